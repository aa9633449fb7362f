/* SPDX-License-Identifier: MIT */
/*
 * What a runtime function returns if it fails: a negative number. 0 is success.
 */
#ifndef ZEUGMA_ERROR_H
#define ZEUGMA_ERROR_H

#ifdef __cplusplus
extern "C" {
#endif

/* The one list from which enumeration, names and texts are made. */
#define ZG_ERRORS(X)                                                                                                   \
    X(ZG_EROOM, -1, "the buffer or ring has not enough room")                                                          \
    X(ZG_ESIZE, -2, "the payload has another length than its message")                                                 \
    X(ZG_ERANGE, -3, "a value is outside its type or range")                                                           \
    X(ZG_EVERSION, -4, "the frame is of another major version")                                                        \
    X(ZG_EUNKNOWN, -5, "no message has this id")                                                                       \
    X(ZG_EINVALID, -6, "an argument is not valid")                                                                     \
    X(ZG_EFORM, -7, "a constant or the length in the header is wrong")

enum zg_error {
#define X(name, number, text) name = number,
    ZG_ERRORS(X)
#undef X
};

/* The name of an error ("ZG_EROOM"), "ZG_OK" for 0, "unknown" for any other number. Any context; constant time. */
const char *zg_error_name(int error);

/* The same error as an English phrase. Any context; constant time. */
const char *zg_error_text(int error);

#ifdef __cplusplus
}
#endif

#endif
