/* SPDX-License-Identifier: MIT */
/* Private. Constant tables that stay in flash, also where the target cannot read its flash by a plain load. */
#ifndef ZEUGMA_DETAIL_FLASH_H
#define ZEUGMA_DETAIL_FLASH_H

#include <string.h>

#include "zeugma/config.h"

#if defined(__AVR__)

#include <avr/pgmspace.h>

#define ZG_FLASH PROGMEM
#define ZGI_FLASH_APART
#define zgi_flash_copy(to, from, size) ((void)memcpy_P(to, from, size))
/* A number or bool of one, two or four bytes. */
#define zgi_flash_read(at)                                                                                             \
    (sizeof *(at) == 1 ? pgm_read_byte(at) : sizeof *(at) == 2 ? pgm_read_word(at) : pgm_read_dword(at))

#if ZG_CHECK_BITS == 8
#define zgi_flash_word(at) pgm_read_byte(at)
#elif ZG_CHECK_BITS == 16
#define zgi_flash_word(at) pgm_read_word(at)
#else
#define zgi_flash_word(at) pgm_read_dword(at)
#endif
#if ZG_CHECK_BITS == 64 && ZG_CRC_TABLE != 0
#error "On AVR a check of 64 bits has no table: set ZG_CRC_TABLE to 0"
#endif

#else

#define ZG_FLASH
#define zgi_flash_word(at) (*(at))
#define zgi_flash_copy(to, from, size) ((void)memcpy(to, from, size))
#define zgi_flash_read(at) (*(at))

#endif

#endif
