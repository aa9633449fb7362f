/* SPDX-License-Identifier: MIT */
/* Private. What the code of all ends has in common, whether it is for one protocol or for any. */
#ifndef ZEUGMA_DETAIL_END_H
#define ZEUGMA_DETAIL_END_H

#include <stddef.h>
#include <string.h>

#include "zeugma/clock.h"
#include "zeugma/detail/flash.h"
#include "zeugma/error.h"
#include "zeugma/link.h"
#include "zeugma/protocol.h"
#include "zeugma/receiver.h"
#include "zeugma/text.h"

#define ZGI_PROTOCOL_OF(link) ZGI_PROTOCOL(ZGI_RECEIVER(link))

/* The terms of its services; `link` is not looked at where they are known when compiled. */
#define ZGI_HELLO(link) ((void)(link), ZGI_PROTOCOL_OF(link)->hello)
#define ZGI_DELIVERY(link) ((void)(link), ZGI_PROTOCOL_OF(link)->delivery)

/* A counter, for zgi_count(). */
#define ZGI_COUNTER(name) ((uint8_t)offsetof(struct zg_counters, name))

#endif
