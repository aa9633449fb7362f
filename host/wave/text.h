/* SPDX-License-Identifier: MIT */
/* A drawn wave as lines of text. */
#ifndef ZEUGMA_WAVE_TEXT_H
#define ZEUGMA_WAVE_TEXT_H

#include "wave/wave.h"

/* Lines of at most `width` columns, or one character of the wave if that is wider: levels, bits, and under them each
 * character with what it is. `boxes`: lines are drawn with Unicode's box-drawing characters, otherwise in ASCII. Free
 * with g_free(). */
char *zg_wave_text(const struct zg_wave *wave, unsigned width, bool boxes);

#endif
