/* SPDX-License-Identifier: MIT */
/* Private. What all ends share, whether for one protocol or for any. */
#ifndef ZEUGMA_DETAIL_END_H
#define ZEUGMA_DETAIL_END_H

#include <stddef.h>
#include <string.h>

#include "zeugma/bytes.h"
#include "zeugma/clock.h"
#include "zeugma/detail/flash.h"
#include "zeugma/error.h"
#include "zeugma/link.h"
#include "zeugma/protocol.h"
#include "zeugma/receiver.h"
#include "zeugma/text.h"

#define ZGI_PROTOCOL_OF(link) ZGI_PROTOCOL(ZGI_RECEIVER(link))

/* The terms of an end's services. Where they are known at compile time, `link` is not read. */
#define ZGI_HELLO(link) ((void)(link), ZGI_PROTOCOL_OF(link)->hello)
#define ZGI_DELIVERY(link) ((void)(link), ZGI_PROTOCOL_OF(link)->delivery)

/* A counter as an argument of zgi_count(). */
#define ZGI_COUNTER(name) ((uint8_t)offsetof(struct zg_counters, name))

#endif
