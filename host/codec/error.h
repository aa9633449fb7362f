/* SPDX-License-Identifier: MIT */
/* What is wrong with values that a user wrote. */
#ifndef ZEUGMA_CODEC_ERROR_H
#define ZEUGMA_CODEC_ERROR_H

#include <glib.h>

#define ZG_CODEC_ERROR (g_quark_from_static_string("zg-codec-error"))

enum zg_codec_error {
    ZG_CODEC_ERROR_JSON,  /* not JSON, or not an object */
    ZG_CODEC_ERROR_FIELD, /* a field is missing or unknown */
    ZG_CODEC_ERROR_VALUE, /* a value has the wrong type or is outside its limits */
    ZG_CODEC_ERROR_HEX    /* not hex digits, or an odd number of them */
};

#endif
