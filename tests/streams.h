/* SPDX-License-Identifier: MIT */
/* Streams of frames in each framing, damaged in each way, and which frames must be found in them. */
#ifndef TEST_STREAMS_H
#define TEST_STREAMS_H

#include "sim/random.h"
#include "support.h"

/* A framing, and the bytes that have a meaning in it. */
struct test_framing {
    const char *framing;
    const char *header;
    const char *data;      /* type of what follows the frame's number */
    const char *special;   /* bytes of which payloads are made, besides 0 and 1 */
    const char *delimiter; /* what must precede a frame that does not bring its own; "": it does */
    unsigned delimiter_size;
    unsigned
        shared; /* bytes at a frame's beginning that the end of the one before, or the stream's start, can stand for */
    const char *format; /* of the line, where a byte is two characters; NULL: it is one */
};

extern const struct test_framing test_framings[];
extern const unsigned test_framings_length;

/* How many frames the first sender sends; those of a second one are numbered from 1000. */
enum { TEST_FRAMES = 40 };

/* A definition `p` with one message `m` (id 1) of a number, n, and data. */
char *test_framing_text(const struct test_framing *framing);
struct test_plan test_framing_plan(const struct test_framing *framing);

/* A stream of frames numbered from 0, with something done to it. The frames as sent are added to `frames`. */
GByteArray *test_framing_stream(struct zg_random *random, const struct test_framing *framing,
                                const struct zg_plan *plan, GPtrArray *frames);

/* Numbers (uint32_t) of the frames whose bytes arrived intact, in the order of their places. If two overlap, because a
 * byte between them is missing that could belong to either, the first one counts. */
GArray *test_framing_expected(const struct test_framing *framing, const GByteArray *bytes, const GPtrArray *frames);

/* For g_ptr_array_new_with_free_func(). */
void test_unref_bytes(gpointer bytes);

#endif
