/* SPDX-License-Identifier: MIT */
/* Private to a node: what an end does, compiled for any protocol. Each of these files uses those before it. */
#ifndef ZEUGMA_NODE_SERVICES_CODE_H
#define ZEUGMA_NODE_SERVICES_CODE_H

/* clang-format off */
#include "zeugma/detail/any_end.h"
#include "zeugma/detail/hello_body.h"
#include "zeugma/detail/delivery_body.h"
#include "zeugma/detail/query_body.h"
#include "zeugma/detail/services_body.h"
#include "zeugma/detail/traffic_body.h"
/* clang-format on */

#endif
