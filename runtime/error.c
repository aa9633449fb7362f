/* SPDX-License-Identifier: MIT */
#include "zeugma/error.h"

const char *zg_error_name(int error)
{
    switch (error) {
    case 0: return "ZG_OK";
#define X(name, number, text)                                                                                          \
    case number: return #name;
        ZG_ERRORS(X)
#undef X
    default: return "unknown";
    }
}

const char *zg_error_text(int error)
{
    switch (error) {
    case 0: return "success";
#define X(name, number, text)                                                                                          \
    case number: return text;
        ZG_ERRORS(X)
#undef X
    default: return "unknown error";
    }
}
