/* SPDX-License-Identifier: MIT */
#include "zeugma/hello.h"

const char *zg_match_text(enum zg_match match)
{
    switch (match) {
    case ZG_MATCH_SAME: return "both ends were built from the same definition";
    case ZG_MATCH_OLDER_MINOR:
        return "the other end has an older minor version: what it lacks takes its default; update it to use what is "
               "new";
    case ZG_MATCH_NEWER_MINOR:
        return "the other end has a newer minor version: what is new there is ignored here; update this end to use it";
    case ZG_MATCH_OTHER_DEFINITION:
        return "the other end has the same version number but was built from another definition, so one of the two is "
               "outdated: build both from one file; zeugma compare shows what differs";
    case ZG_MATCH_OLDER_MAJOR:
        return "the other end has an older major version: update it; the two do not understand each other";
    case ZG_MATCH_NEWER_MAJOR:
        return "the other end has a newer major version: update this end; the two do not understand each other";
    default: return "the other end has not said which definition it was built from";
    }
}
