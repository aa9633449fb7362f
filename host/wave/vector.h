/* SPDX-License-Identifier: MIT */
/* Private: values of vectors in a value change dump. Free with g_free(). */
#ifndef ZEUGMA_WAVE_VECTOR_H
#define ZEUGMA_WAVE_VECTOR_H

#include <glib.h>
#include <stdint.h>

/* Text as its characters, which viewers show as such; at most `most` of them. */
char *zgi_vcd_text(const char *text, size_t most);
char *zgi_vcd_byte(uint8_t byte);

#endif
