/* SPDX-License-Identifier: MIT */
/*
 * Checks that add bytes up, as struct zg_check calls them (zeugma/check.h): `parameters` is not read; the state before
 * the first byte is ZG_..._START. Any context; linear in the bytes. Weaker than a CRC of the same size: only for
 * devices that have nothing else.
 */
#ifndef ZEUGMA_SUMS_H
#define ZEUGMA_SUMS_H

#include <stddef.h>
#include <stdint.h>

#include "zeugma/config.h"

#ifdef __cplusplus
extern "C" {
#endif

/* The sum of all bytes modulo 256: as it is; negated, so that all bytes and the check add up to 0; inverted. */
#define ZG_SUM8_START 0
zg_check_word zg_sum8_update(const void *parameters, zg_check_word state, const uint8_t *bytes, size_t count);
zg_check_word zg_sum8_finish(const void *parameters, zg_check_word state);
zg_check_word zg_sum8_negated_finish(const void *parameters, zg_check_word state);
zg_check_word zg_sum8_inverted_finish(const void *parameters, zg_check_word state);

/* All bytes XORed; finished by zg_sum8_finish(). */
#define ZG_XOR8_START 0
zg_check_word zg_xor8_update(const void *parameters, zg_check_word state, const uint8_t *bytes, size_t count);

#if ZG_CHECK_BITS >= 16
/* Two sums modulo 255, the second in the high byte (J. G. Fletcher, "An Arithmetic Checksum for Serial Transmissions",
 * IEEE Transactions on Communications 30, 1982). The state is the value. */
#define ZG_FLETCHER16_START 0
zg_check_word zg_fletcher16_update(const void *parameters, zg_check_word state, const uint8_t *bytes, size_t count);
zg_check_word zg_fletcher16_finish(const void *parameters, zg_check_word state);
#endif

#if ZG_CHECK_BITS >= 32
/* Adler-32 (RFC 1950, section 8): two sums modulo 65521. */
#define ZG_ADLER32_START 1
zg_check_word zg_adler32_update(const void *parameters, zg_check_word state, const uint8_t *bytes, size_t count);
zg_check_word zg_adler32_finish(const void *parameters, zg_check_word state);

/* The Internet checksum (RFC 1071): the ones' complement of the ones' complement sum of big-endian words; a last byte
 * alone is the high one of a word. */
#define ZG_INTERNET_START 0
zg_check_word zg_internet_update(const void *parameters, zg_check_word state, const uint8_t *bytes, size_t count);
zg_check_word zg_internet_finish(const void *parameters, zg_check_word state);
#endif

#ifdef __cplusplus
}
#endif

#endif
