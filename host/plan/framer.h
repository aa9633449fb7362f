/* SPDX-License-Identifier: MIT */
/* A framing that a definition chose, as the runtime runs it, and the sizes that it leads to. */
#ifndef ZEUGMA_FRAMER_H
#define ZEUGMA_FRAMER_H

#include "definition/framing_choice.h"
#include "plan/steps.h"
#include "zeugma/coding.h"
#include "zeugma/halves.h"
#include "zeugma/marks.h"
#include "zeugma/sized.h"

/* What a framing must know about contents, bytes. */
struct zg_content_sizes {
    unsigned most;
    unsigned around;   /* header and check together */
    unsigned trailing; /* behind the end mark */
    unsigned max_payload;
    bool one_size;                /* all contents are as large */
    const struct zg_step *length; /* of the header, if the framing depends on its length; otherwise NULL */
    unsigned length_more;         /* what that counts besides the payload */
    /* Where plain marks end a frame that one of these sides may have sent, by its content so far; NULL: anywhere. */
    enum zg_ends (*ends)(const void *context, enum zg_side from, const uint8_t *content, size_t length);
    const void *context;
};

/* Must not be moved or copied: framing points into it. */
struct zg_framer {
    struct zg_framing framing;
    struct zg_framing inner; /* of a coded one */
    struct zg_coding coding;
    struct zg_framing joined; /* of one whose bytes are sent as halves */
    struct zg_halves halves;
    struct zg_sized sized; /* of length, fixed, and plain marks around contents of one size */
    struct zg_marks marks; /* of other marks */
    struct zg_end_mark others[ZG_ALSO_MOST + 1], sent;
    struct zg_content_sizes sizes;
    enum zg_side from; /* who may have sent what is received */
};

/* Prepares a framer: for the device's end of the link, the host's, or an observer of both, who sends like the device.
 * The step of the length must outlive it. */
enum zg_framer_of { ZG_FRAMER_OBSERVER, ZG_FRAMER_DEVICE, ZG_FRAMER_HOST };
void zgi_framer_init(struct zg_framer *framer, const struct zg_framing_choice *choice,
                     const struct zg_content_sizes *sizes, enum zg_framer_of of);

/* Whether contents between plain marks all have one size, so that the end mark counts only where it must stand;
 * otherwise none holds the end mark, and it is searched. */
bool zg_framing_is_sized(const struct zg_framing_choice *framing, bool one_size);

/* Whether the content is sent between marks unchanged. */
bool zg_framing_is_plain(const struct zg_framing_choice *framing);

/* Whether it is COBS without a delimiter before each frame, and contents up to `content` bytes have no full block: the
 * case of zeugma/detail/short_cobs_body.h. */
bool zg_framing_is_short_cobs(const struct zg_framing_choice *framing, unsigned content);

/* The least and the most bytes on the wire of a frame with `content` bytes of content. */
unsigned zg_framing_least(const struct zg_framing_choice *framing, unsigned content);
unsigned zg_framing_most(const struct zg_framing_choice *framing, unsigned content);

/* Bytes of memory that the decoder needs for contents up to `content` bytes. */
unsigned zg_framing_room(const struct zg_framing_choice *framing, unsigned content, bool one_size);

/* Those of the framing whose bytes are sent as halves; of any other the same. */
unsigned zg_framing_inner_room(const struct zg_framing_choice *framing, unsigned content, bool one_size);

#endif
