/* SPDX-License-Identifier: MIT */
/* A chosen framing, as the runtime runs it, and what it makes of sizes. */
#ifndef ZEUGMA_FRAMER_H
#define ZEUGMA_FRAMER_H

#include "definition/framing_choice.h"
#include "plan/steps.h"
#include "zeugma/marks.h"
#include "zeugma/sized.h"

/* What a framing needs to know of contents, bytes. */
struct zg_content_sizes {
    unsigned most;
    unsigned around; /* header and check together */
    unsigned max_payload;
    const struct zg_step *length; /* of the header, where its length is the framing's; else NULL */
    unsigned length_more;         /* what that counts beside the payload */
};

/* Is not to be moved or copied: framing points into it. */
struct zg_framer {
    struct zg_framing framing;
    struct zg_sized sized; /* of length, fixed, and marks without escape */
    struct zg_marks marks; /* of the other marks */
    struct zg_content_sizes sizes;
};

/* Prepares a framer; the step with the length must outlive it. */
void zgi_framer_init(struct zg_framer *framer, const struct zg_framing_choice *choice,
                     const struct zg_content_sizes *sizes);

/* Whether the content stands between marks as it is. */
bool zg_framing_is_plain(const struct zg_framing_choice *framing);

/* Whether it is COBS with no delimiter in front, and contents up to `content` bytes have no full block: what
 * zeugma/detail/short_cobs_body.h takes. */
bool zg_framing_is_short_cobs(const struct zg_framing_choice *framing, unsigned content);

/* Bytes on the wire of a frame with `content` bytes of content: fewest and most. */
unsigned zg_framing_least(const struct zg_framing_choice *framing, unsigned content);
unsigned zg_framing_most(const struct zg_framing_choice *framing, unsigned content);

/* Bytes of memory that the decoder takes for contents up to `content` bytes. */
unsigned zg_framing_room(const struct zg_framing_choice *framing, unsigned content);

#endif
