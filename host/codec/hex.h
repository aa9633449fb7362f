/* SPDX-License-Identifier: MIT */
/* Bytes from hex digits, and digits from bytes. */
#ifndef ZEUGMA_CODEC_HEX_H
#define ZEUGMA_CODEC_HEX_H

#include <stdint.h>

#include "codec/error.h"

/* Bytes from hex digits in the usual notations, `7E01`, `7e 01`, `0x7E, 0x01`, `\\x7e\\x01`, `7E:01`. Free with
 * g_byte_array_unref(). */
GByteArray *zg_bytes_from_hex(const char *text, GError **error);

/* Two digits for each byte, in lower case. */
void zg_append_hex(GString *text, const uint8_t *bytes, size_t count);

#endif
