/* SPDX-License-Identifier: MIT */
/* services.yaml, which the build embeds into the library. */
#ifndef ZEUGMA_SERVICES_H
#define ZEUGMA_SERVICES_H

extern const char zgi_services_text[];

#endif
