/* SPDX-License-Identifier: MIT */
#include "zeugma/hello.h"

const char *zg_match_text(enum zg_match match)
{
    switch (match) {
    case ZG_MATCH_SAME: return "both ends were built from the same definition";
    case ZG_MATCH_OLDER_MINOR:
        return "the other end is of an older minor version: what it lacks takes its default; bring it up to date to "
               "use "
               "what is new";
    case ZG_MATCH_NEWER_MINOR:
        return "the other end is of a newer minor version: what is new there is ignored here; bring this end up to "
               "date "
               "to use it";
    case ZG_MATCH_OTHER_DEFINITION:
        return "the other end has the same version number but was built from another definition, so one of the two is "
               "stale: build both from one file; zeugma compare tells what differs";
    case ZG_MATCH_OLDER_MAJOR:
        return "the other end is of an older major version and is stale: bring it up to date; the two do not "
               "understand each other";
    case ZG_MATCH_NEWER_MAJOR:
        return "the other end is of a newer major version, so this end is stale: bring it up to date; the two do not "
               "understand each other";
    default: return "the other end has not said which definition it was built from";
    }
}
