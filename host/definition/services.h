/* SPDX-License-Identifier: MIT */
/* services.yaml, made part of the library by the build. */
#ifndef ZEUGMA_SERVICES_H
#define ZEUGMA_SERVICES_H

extern const char zgi_services_text[];

#endif
