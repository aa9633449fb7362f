/* SPDX-License-Identifier: MIT */
/*
 * Private. zgi_crc_ccitt() for an AVR that has a multiplier, without a table: 15 cycles a byte, or 20 in half the code
 * where the compiler optimises for size. The CRC shifts by three, four and five bits. A product does two such shifts at
 * once, one in each of its two bytes: times 16 shifts left by four and right by four, times 32 left by five and right
 * by three, times 8 left by three and right by five.
 */
#ifndef ZEUGMA_DETAIL_CRC_AVR_H
#define ZEUGMA_DETAIL_CRC_AVR_H

#include <stddef.h>
#include <stdint.h>

/* Takes a byte into `in`, the half of the register where it enters, up to the last product. */
#define ZGI_CRC_SUM(in, other, near, far)                                                                              \
    "ld __tmp_reg__, %a[bytes]+\n\t"                                                                                   \
    "eor " in ", __tmp_reg__\n\t"                                                                                      \
    "mul " in ", %[four]\n\t"                                                                                          \
    "eor " in ", " far "\n\t"                                                                                          \
    "mul " in ", %[four]\n\t"                                                                                          \
    "eor " other ", " near "\n\t"                                                                                      \
    "mul " in ", %[more]\n\t"

/* ZGI_CRC_BYTES() takes `count` bytes into the 16 bits of `reg`. They enter at the half `in`, %A (low) or %B (high);
 * after each byte the halves swap roles. `near` is the register of the product that stays within the byte, `far` the
 * other. */
#ifdef __OPTIMIZE_SIZE__

#define ZGI_CRC_BYTES(reg, in, other, bytes, count, factor, near, far)                                                 \
    do {                                                                                                               \
        uint16_t left_ = (uint16_t)(count);                                                                            \
        __asm__ volatile("rjmp 2f\n"                                                                                   \
                         "1:\n\t" ZGI_CRC_SUM(in, other, near, far) "eor r0, %B[crc]\n\t"                              \
                                                                    "eor r1, %A[crc]\n\t"                              \
                                                                    "movw %A[crc], r0\n"                               \
                                                                    "2:\n\t"                                           \
                                                                    "subi %A[left], 1\n\t"                             \
                                                                    "sbci %B[left], 0\n\t"                             \
                                                                    "brcc 1b\n\t"                                      \
                                                                    "clr __zero_reg__"                                 \
                         : [crc] "+r"(reg), [bytes] "+e"(bytes), [left] "+d"(left_)                                    \
                         : [four] "r"((uint8_t)16), [more] "r"((uint8_t)(factor))                                      \
                         : "memory");                                                                                  \
    } while (0)

#else

#define ZGI_CRC_HALF_TURN(in, other, near, far)                                                                        \
    ZGI_CRC_SUM(in, other, near, far)                                                                                  \
    "eor " other ", " far "\n\t"                                                                                       \
    "eor " in ", " near "\n\t"

/* One turn takes two bytes, after which the halves have their roles back. Of an odd number of bytes the first enters in
 * the middle of a turn. 256 turns make a round. */
#define ZGI_CRC_BYTES(reg, in, other, bytes, count, factor, near, far)                                                 \
    do {                                                                                                               \
        const uint16_t all_ = (uint16_t)(((count) + 1) / 2);                                                           \
        uint8_t turns_ = (uint8_t)all_, rounds_ = (uint8_t)((uint16_t)(all_ + 255) >> 8);                              \
        if (all_ == 0)                                                                                                 \
            break;                                                                                                     \
        __asm__ volatile("sbrs %[odd], 0\n\t"                                                                          \
                         "rjmp 1f\n\t"                                                                                 \
                         "mov __tmp_reg__, " in "\n\t"                                                                 \
                         "mov " in ", " other "\n\t"                                                                   \
                         "mov " other ", __tmp_reg__\n\t"                                                              \
                         "rjmp 2f\n"                                                                                   \
                         "1:\n\t" ZGI_CRC_HALF_TURN(in, other, near, far) "2:\n\t" ZGI_CRC_HALF_TURN(                  \
                             other, in, near, far) "dec %[turns]\n\t"                                                  \
                                                   "brne 1b\n\t"                                                       \
                                                   "dec %[rounds]\n\t"                                                 \
                                                   "brne 1b\n\t"                                                       \
                                                   "clr __zero_reg__"                                                  \
                         : [crc] "+r"(reg), [bytes] "+e"(bytes), [turns] "+r"(turns_), [rounds] "+r"(rounds_)          \
                         : [odd] "r"((uint8_t)(count)), [four] "r"((uint8_t)16), [more] "r"((uint8_t)(factor))         \
                         : "memory");                                                                                  \
    } while (0)

#endif

#endif
