/* SPDX-License-Identifier: MIT */
#include "zeugma/delivery.h"

const char *zg_settled_text(enum zg_settled settled)
{
    switch (settled) {
    case ZG_DELIVERED: return "delivered";
    case ZG_REFUSED_UNKNOWN_ID: return "refused: the other end does not know this message";
    case ZG_REFUSED_BAD_PAYLOAD: return "refused: its length does not fit the other end's definition";
    case ZG_REFUSED_BAD_VALUE: return "refused: a value is outside its range";
    case ZG_REFUSED_BUSY: return "refused: the other end has no place for it at present";
    case ZG_REFUSED_NOT_ALLOWED: return "refused: not allowed";
    case ZG_REFUSED_NO_VARIABLE: return "refused: no variable has this index";
    case ZG_SETTLED_NO_ANSWER: return "no answer";
    case ZG_SETTLED_RESTART: return "one of the ends restarted";
    default: return "refused, for a reason unknown to this end";
    }
}
