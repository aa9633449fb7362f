/* SPDX-License-Identifier: MIT */
#include "plan/plan.h"

#include <string.h>

#include "plan/layout.h"
#include "plan/limits.h"
#include "plan/searched.h"

static void block_free(gpointer data)
{
    struct zg_block *block = data;
    g_array_unref(block->steps);
    g_free(block);
}

static void warn_of_waste(const struct zgi_cursor *cursor, const char *name, struct zg_place place_of_it,
                          struct zg_diagnostics *diagnostics)
{
    unsigned least = cursor->loose_bytes + (cursor->loose_bits + 7) / 8;
    if (cursor->run_bytes > least)
        zgi_warning(diagnostics, place_of_it,
                    "the bit-wide fields of %s take %u bytes; next to each other they would take %u", name,
                    cursor->run_bytes, least);
}

/* The length that a record holds of itself: it stands before all that varies, and can count up to the greatest size. */
static void check_record_length(const struct zg_record *record, const struct zg_block *block,
                                struct zg_diagnostics *diagnostics)
{
    const struct zg_record_length *length = &record->length;
    const unsigned most = zg_block_length_of(block, block->most_size);

    for (unsigned i = 0; i < length->before; i++)
        if (zg_block_step(block, i)->varies) {
            zgi_error(diagnostics, length->place, "%s stands behind %s, whose size varies; put it in front of that",
                      length->name, zg_block_step(block, i)->name);
            return;
        }
    if (most >> length->bits != 0)
        zgi_error(diagnostics, length->place, "record %s takes up to %u bytes; %s cannot count to %u; expected %s",
                  record->name, block->most_size, length->name, most,
                  length->bits == 8 ? "type: u16" : "a shorter record");
}

static void plan_records(struct zg_plan *plan, struct zg_diagnostics *diagnostics)
{
    const struct zg_definition *definition = plan->definition;

    plan->records = g_ptr_array_new_with_free_func(block_free);
    for (unsigned i = 0; i < definition->records->len; i++) {
        const struct zg_record *record = g_ptr_array_index(definition->records, i);
        struct zg_block *block = g_new0(struct zg_block, 1);
        struct zgi_cursor cursor = { 0 };
        block->name = record->name;
        block->length = record->length.bits > 0 ? &record->length : NULL;
        zgi_place_fields(plan, record->fields, 0, block, &cursor, diagnostics);
        if (block->length)
            check_record_length(record, block, diagnostics);
        warn_of_waste(&cursor, record->name, record->place, diagnostics);
        g_ptr_array_add(plan->records, block);
    }
}

/* The position of a step's bits in the header's first eight bytes, as one word, lowest byte first. 64: they are not
 * contiguous there. */
static unsigned shift_in_word(const struct zg_step *step)
{
    struct zg_piece pieces[ZG_PIECES];
    unsigned count = zg_step_pieces(step, 0, pieces);
    unsigned shift = 8 * pieces[0].byte + pieces[0].low - pieces[0].shift;

    for (unsigned i = 0; i < count; i++)
        if (pieces[i].byte >= 8 || 8 * pieces[i].byte + pieces[i].low != shift + pieces[i].shift)
            return 64;
    return shift;
}

static void plan_header_word(struct zg_plan *plan)
{
    static const uint8_t members[ZG_ROLES] = { [ZG_ROLE_VERSION] = offsetof(struct zg_header, version),
                                               [ZG_ROLE_ID] = offsetof(struct zg_header, id),
                                               [ZG_ROLE_SEQUENCE] = offsetof(struct zg_header, sequence),
                                               [ZG_ROLE_MINOR] = offsetof(struct zg_header, minor),
                                               [ZG_ROLE_LENGTH] = offsetof(struct zg_header, length),
                                               [ZG_ROLE_DESTINATION] = offsetof(struct zg_header, destination),
                                               [ZG_ROLE_SOURCE] = offsetof(struct zg_header, source) };
    struct zg_header_word *word = &plan->word;

    word->whole = true;
    for (unsigned i = 0; i < plan->header.steps->len; i++) {
        const struct zg_step *step = zg_block_step(&plan->header, i);
        enum zg_role role = step->role->role;
        uint64_t mask = UINT64_MAX >> (64 - step->bits);
        unsigned shift = shift_in_word(step);
        word->whole = word->whole && shift < 64 && role != ZG_ROLE_NODE; /* which is read as both addresses */
        if (role == ZG_ROLE_CONST && shift < 64) {
            word->constants |= step->role->value << shift;
            word->constant_mask |= mask << shift;
        } else if (role != ZG_ROLE_CONST && role != ZG_ROLE_RESERVED) {
            word->roles[word->count].mask = (uint32_t)mask;
            word->roles[word->count].shift = (uint8_t)(shift & 63);
            word->roles[word->count++].member = members[role];
        }
    }
}

static void plan_header(struct zg_plan *plan)
{
    const struct zg_definition *definition = plan->definition;
    unsigned ignored;
    unsigned *const widths[ZG_ROLES] = { [ZG_ROLE_VERSION] = &plan->version_bits,
                                         [ZG_ROLE_ID] = &plan->id_bits,
                                         [ZG_ROLE_SEQUENCE] = &plan->sequence_bits,
                                         [ZG_ROLE_MINOR] = &plan->minor_bits,
                                         [ZG_ROLE_LENGTH] = &plan->length_bits,
                                         [ZG_ROLE_DESTINATION] = &plan->destination_bits,
                                         [ZG_ROLE_SOURCE] = &plan->source_bits,
                                         [ZG_ROLE_NODE] = &plan->destination_bits,
                                         [ZG_ROLE_CONST] = &ignored,
                                         [ZG_ROLE_RESERVED] = &ignored };
    struct zgi_cursor cursor = { 0 };

    plan->header.name = "header";
    plan->header.steps = g_array_new(FALSE, FALSE, sizeof(struct zg_step));
    for (unsigned i = 0; i < definition->header->len; i++) {
        const struct zg_header_role *role = g_ptr_array_index(definition->header, i);
        struct zg_step step = { .name = zg_role_name(role->role),
                                .code = zg_role_name(role->role),
                                .type = { .kind = ZG_KIND_UNSIGNED, .bits = role->bits },
                                .bits = role->bits,
                                .most = 1,
                                .role = role,
                                .big_endian = role->big_endian };
        zgi_place_step(&plan->header, &cursor, &step, 0);
        *widths[role->role] = role->bits;
        if (role->role == ZG_ROLE_NODE) {
            plan->node = role;
            plan->source_bits = role->bits;
        }
    }
    plan_header_word(plan);
    if (plan->version_bits > 0)
        plan->version = definition->major & UINT32_MAX >> (32 - plan->version_bits);
    if (plan->minor_bits > 0)
        plan->minor = definition->minor & UINT32_MAX >> (32 - plan->minor_bits);
}

/* Bytes from the first one of the role that a length counts from up to the payload, and what it counts besides. */
static unsigned counted_from(const struct zg_plan *plan, const struct zg_step *length,
                             struct zg_diagnostics *diagnostics)
{
    const struct zg_step *step = zg_plan_role(plan, length->role->from);

    if (step)
        return plan->header.size - (unsigned)step->byte + length->role->plus;
    zgi_error(diagnostics, length->role->place, "length counts from %s, which this header does not have",
              zg_role_name(length->role->from));
    return 0;
}

/* What the role length counts besides the payload, and whether it is wide enough. */
static void plan_length(struct zg_plan *plan, struct zg_diagnostics *diagnostics)
{
    const struct zg_step *length = zg_plan_role(plan, ZG_ROLE_LENGTH);

    if (!length)
        return;
    if (length->role->counts == ZG_COUNTS_REST)
        plan->length_more = plan->header.size - zg_step_end(length) + plan->check.size;
    else if (length->role->counts == ZG_COUNTS_CONTENT)
        plan->length_more = plan->header.size + plan->check.size;
    else if (length->role->counts == ZG_COUNTS_FROM)
        plan->length_more = counted_from(plan, length, diagnostics);
    uint64_t most = (uint64_t)plan->max_payload + plan->length_more;
    if (most > UINT64_MAX >> (64 - length->bits))
        zgi_error(diagnostics, length->role->place,
                  "length, u%u, is too narrow to count up to %" G_GUINT64_FORMAT " bytes", length->bits, most);
}

/* The bytes that an open-ended field may fill. Without a limit, the user's have none, and the services' what the
 * largest other message or variable takes. */
static unsigned open_room(const struct zg_plan *plan, const struct zg_message *message, unsigned front)
{
    unsigned room = zgi_payload_room(plan);

    if (room == 0 && message->service) {
        room = MAX(plan->max_payload, 16);
        for (unsigned i = 0; i < plan->variables->len; i++)
            room = MAX(room, 2 + zg_plan_variable_at(plan, i)->block.most_size);
    }
    return room > front ? room - front : 0;
}

/* An open-ended field of a service shrinks to fit. So does the name in hello, the only one with a count. */
static void shrink_to_fit(struct zg_block *block, unsigned room)
{
    struct zg_step *last = &g_array_index(block->steps, struct zg_step, block->steps->len - 1);

    if (last->type.extent != ZG_EXTENT_COUNTED || block->most_size <= room)
        return;
    unsigned over = MIN(block->most_size - room, last->most);
    last->type.count -= over;
    last->most -= over;
    last->most_size -= over;
    block->most_size -= over;
    block->bits -= 8 * over;
}

/* An open-ended text in a text layout shrinks to what its neighbours leave. */
static void shrink_text(struct zg_block *block, struct zg_text *text, unsigned room)
{
    struct zg_step *last =
        block->steps->len > 0 ? &g_array_index(block->steps, struct zg_step, block->steps->len - 1) : NULL;

    if (!last || last->type.extent != ZG_EXTENT_REST || last->type.kind != ZG_KIND_TEXT || text->most <= room)
        return;
    const unsigned over = MIN(text->most - room, last->most);
    last->most -= over;
    last->most_size -= over;
    block->most_size -= over;
    block->bits -= 8 * over;
    text->most -= over;
}

static void plan_payload(const struct zg_plan *plan, struct zg_plan_message *item, struct zg_diagnostics *diagnostics)
{
    const struct zg_message *message = item->message;
    struct zg_block *block = &item->payload;
    struct zgi_cursor cursor = { 0 };

    item->tickets = zg_message_is_ticketed(message) ? message->kept ? 2 : 1 : 0;
    unsigned least = item->tickets, most = item->tickets;
    for (unsigned i = 0; i < message->tags->len; i++) {
        const struct zg_tag *tag = g_ptr_array_index(message->tags, i);
        least = i == 0 ? tag->size : MIN(least, tag->size);
        most = MAX(most, tag->size);
    }
    item->front = zg_plan_tag(item) ? zg_plan_tag(item)->size : item->tickets;
    unsigned room = open_room(plan, message, most);
    block->name = message->name;
    zgi_place_fields(plan, message->fields, room, block, &cursor, diagnostics);
    if (message->service && zgi_payload_room(plan) > 0)
        shrink_to_fit(block, room);
    if (message->layout.kind == ZG_LAYOUT_BINARY)
        warn_of_waste(&cursor, message->name, message->place, diagnostics);
    if (message->layout.kind != ZG_LAYOUT_BINARY)
        item->text = zgi_text_new(message, block, diagnostics);
    if (item->text)
        shrink_text(block, item->text, room);
    item->payload_least = least + (item->text ? item->text->least : block->size);
    item->payload_most = most + (item->text ? item->text->most : block->most_size);
    for (unsigned i = 0; i < message->fields->len; i++) {
        const struct zg_field *field = g_ptr_array_index(message->fields, i);
        if (field->type.extent == ZG_EXTENT_REST && field->type.count == 0 && zgi_payload_room(plan) == 0 &&
            !message->service)
            zgi_error(diagnostics, field->place, "%s is open-ended; the frame needs max_payload", field->name);
    }
}

static void plan_messages(struct zg_plan *plan, struct zg_diagnostics *diagnostics)
{
    const struct zg_definition *definition = plan->definition;

    plan->messages = g_array_new(FALSE, TRUE, sizeof(struct zg_plan_message));
    for (unsigned i = 0; i < definition->messages->len; i++) {
        struct zg_plan_message item = { .message = g_ptr_array_index(definition->messages, i) };
        plan_payload(plan, &item, diagnostics);
        const unsigned around = plan->header.size + plan->check.size;
        const unsigned least = plan->header.size + zg_check_least(&plan->check);
        item.content = plan->filled > 0 ? plan->filled : around + item.payload_most;
        item.frame_least =
            zg_framing_least(&definition->framing, plan->filled > 0 ? plan->filled : least + item.payload_least);
        item.frame_most = zg_framing_most(&definition->framing, item.content);
        if (item.message->bare)
            item.content = item.frame_least = item.frame_most = item.payload_most;
        else
            plan->max_payload = MAX(plan->max_payload, MAX(item.payload_most, 1));
        g_array_append_val(plan->messages, item);
    }
}

/* The first message that is sent in frames; if there is none, any. */
static const struct zg_plan_message *first_framed(const struct zg_plan *plan)
{
    unsigned i = 0;

    while (i + 1 < plan->messages->len && zg_plan_message_at(plan, i)->message->bare)
        i++;
    return zg_plan_message_at(plan, i);
}

/* Whether all payloads have the same size. */
static bool has_one_size(const struct zg_plan *plan)
{
    const unsigned size = first_framed(plan)->payload_most;

    for (unsigned i = 0; i < plan->messages->len; i++) {
        const struct zg_plan_message *item = zg_plan_message_at(plan, i);
        if (!item->message->bare && (item->payload_least != size || item->payload_most != size))
            return false;
    }
    return true;
}

static void plan_variables(struct zg_plan *plan, struct zg_diagnostics *diagnostics)
{
    const struct zg_definition *definition = plan->definition;

    plan->variables = g_array_new(FALSE, TRUE, sizeof(struct zg_plan_variable));
    for (unsigned i = 0; i < definition->variables->len; i++) {
        struct zg_plan_variable item = { .variable = g_ptr_array_index(definition->variables, i) };
        const struct zg_field *field = zg_variable_field(item.variable);
        struct zgi_cursor cursor = { 0 };
        item.name = g_strconcat("variable_", field->name, NULL);
        item.block.name = item.name;
        zgi_place_fields(plan, item.variable->fields, 0, &item.block, &cursor, diagnostics);
        struct zg_step *step = &g_array_index(item.block.steps, struct zg_step, 0);
        step->name = step->code = "value";
        g_array_append_val(plan->variables, item);
    }
}

/* Thousandths of a byte's time on the line, in nanoseconds. */
static uint64_t characters_ns(const struct zg_line *line, uint64_t millichars)
{
    return zg_line_bytes_ns(line, millichars) / 1000;
}

/* Where the end mark ends what one side sent, by the message that the content so far tells; false: there is none. */
static bool find_end(const struct zg_plan *plan, enum zg_side from, const uint8_t *content, size_t length,
                     enum zg_ends *ends)
{
    const unsigned size = plan->header.size;
    const struct zg_step *role = zg_plan_role(plan, ZG_ROLE_ID);
    const struct zg_plan_message *item = NULL;

    *ends = ZG_ENDS_ANYWHERE;
    if (role && length < zg_step_end(role))
        return false;
    const uint64_t id = role ? zg_step_load(role, 0, content) : 0;
    if (role || length >= size)
        item = zg_plan_told(plan, from, id, content + MIN(size, length), length - MIN(size, length));
    if (!item)
        return false;
    if (item->fixed_end)
        *ends = zg_ends_behind(zg_plan_before_end(plan, item), length);
    return true;
}

/* If both sides may have sent it, it ends where one of them would end it. */
static enum zg_ends ends(const void *context, enum zg_side from, const uint8_t *content, size_t length)
{
    const struct zg_plan *plan = context;
    enum zg_ends device, host;
    const bool by_device = (from & ZG_SIDE_DEVICE) && find_end(plan, ZG_SIDE_DEVICE, content, length, &device);
    const bool by_host = (from & ZG_SIDE_HOST) && find_end(plan, ZG_SIDE_HOST, content, length, &host);

    if (by_device && by_host)
        return device == host ? device : ZG_ENDS_ANYWHERE;
    return by_device ? device : by_host ? host : ZG_ENDS_ANYWHERE;
}

/* What the framing makes of the largest content; and the silences that framing and line require. A sender's silence
 * counts from when it handed over its last byte, which takes up to two bytes' times to leave. */
static void plan_framing(struct zg_plan *plan)
{
    const struct zg_framing_choice *framing = &plan->definition->framing;
    const struct zg_line *line = &plan->definition->line;

    plan->max_content = plan->filled > 0 ? plan->filled : plan->header.size + plan->max_payload + plan->check.size;
    plan->max_frame = zg_framing_most(framing, plan->max_content);
    plan->receive_room = zg_framing_room(framing, plan->max_content, plan->sized);
    if (framing->kind == ZG_FRAMING_GAP)
        plan->gap_ns = framing->gap_millichars > 0 ? characters_ns(line, framing->gap_millichars) : framing->gap_ns;
    uint64_t silence_ns = MAX(plan->gap_ns, line->gap_ns);
    if (silence_ns > 0 || line->half_duplex)
        plan->send_gap_ns = silence_ns + characters_ns(line, 2000);
    if (line->half_duplex) /* a sender keeps the line between its frames */
        plan->turn_ns = plan->send_gap_ns + characters_ns(line, 2000);
    const struct zg_content_sizes sizes = { .most = plan->max_content,
                                            .around = plan->header.size + plan->check.size,
                                            .trailing = zg_plan_trailing(plan),
                                            .max_payload = plan->max_payload,
                                            .one_size = plan->sized,
                                            .length = zg_plan_role(plan, ZG_ROLE_LENGTH),
                                            .length_more = plan->length_more,
                                            .ends = zg_plan_has_fixed_ends(plan, ZG_SIDE_BOTH) ? ends : NULL,
                                            .context = plan };
    zgi_framer_init(&plan->framer, framing, &sizes, ZG_FRAMER_OBSERVER);
    zgi_framer_init(&plan->device_framer, framing, &sizes, ZG_FRAMER_DEVICE);
    zgi_framer_init(&plan->host_framer, framing, &sizes, ZG_FRAMER_HOST);
    if (plan->definition->check.covers == ZG_COVERS_ALL &&
        plan->check.size > 0) /* the sync bytes that it covers go into its start value */
        plan->check.start =
            plan->check.update(plan->check.parameters, plan->check.start, framing->start.bytes, framing->start.size);
}

struct zg_plan *zg_plan_new(const struct zg_definition *definition, struct zg_diagnostics *diagnostics)
{
    struct zg_plan *plan = g_new0(struct zg_plan, 1);

    plan->definition = definition;
    plan_header(plan);
    zg_checker_init(&plan->checker, &definition->check,
                    definition->check.covers == ZG_COVERS_PAYLOAD ? plan->header.size : 0);
    if (definition->check.covers == ZG_COVERS_AFTER_START ||
        (definition->check.covers == ZG_COVERS_ALL && definition->check.after_end))
        zg_checker_close(&plan->checker, &definition->framing.end);
    plan->check = plan->checker.check;
    if (definition->framing.kind == ZG_FRAMING_FIXED)
        plan->filled = (unsigned)definition->framing.size;
    plan->packets = definition->framing.kind == ZG_FRAMING_PACKET;
    plan_records(plan, diagnostics);
    plan_variables(plan, diagnostics);
    plan_messages(plan, diagnostics);
    zgi_find_bares(plan);
    plan->sized = zg_framing_is_sized(&definition->framing, has_one_size(plan)) && !definition->check.after_end;
    plan->searched = zg_framing_is_plain(&definition->framing) && !plan->sized && !definition->framing.coding;
    if (plan->searched)
        zgi_find_fixed_ends(plan);
    zgi_plan_limits(plan, diagnostics);
    if (plan->sized)
        plan->max_payload = first_framed(plan)->payload_most;
    else if (plan->filled > 0)
        plan->max_payload = zgi_payload_room(plan);
    else if (definition->max_payload > 0)
        plan->max_payload = (unsigned)definition->max_payload;
    plan_length(plan, diagnostics);
    plan_framing(plan);
    zgi_plan_check_gap(plan, diagnostics);
    zgi_diagnostics_sort(diagnostics);
    if (zg_diagnostics_errors(diagnostics) == 0)
        return plan;
    zg_plan_free(plan);
    return NULL;
}

void zg_plan_free(struct zg_plan *plan)
{
    if (!plan)
        return;
    for (unsigned i = 0; i < plan->messages->len; i++) {
        g_array_unref(zg_plan_message_at(plan, i)->payload.steps);
        zgi_text_free(zg_plan_message_at(plan, i)->text);
    }
    for (unsigned i = 0; i < plan->variables->len; i++) {
        const struct zg_plan_variable *item = zg_plan_variable_at(plan, i);
        g_array_unref(item->block.steps);
        g_free(item->name);
    }
    g_array_unref(plan->messages);
    g_array_unref(plan->variables);
    g_ptr_array_unref(plan->records);
    g_array_unref(plan->header.steps);
    zg_checker_clear(&plan->checker);
    g_free(plan);
}

static uint64_t time_of_us(const struct zg_plan *plan, unsigned bytes)
{
    return zg_line_bytes_ns(&plan->definition->line, bytes) / 1000;
}

unsigned zg_plan_trailing(const struct zg_plan *plan)
{
    return plan->definition->check.after_end ? plan->check.size : 0;
}

unsigned zg_plan_before_end(const struct zg_plan *plan, const struct zg_plan_message *item)
{
    return item->content - zg_plan_trailing(plan);
}

unsigned zg_plan_everybody(const struct zg_plan *plan)
{
    if (plan->node)
        return (unsigned)plan->node->value;
    return plan->destination_bits > 0 ? UINT32_MAX >> (32 - plan->destination_bits) : 0;
}

uint64_t zg_plan_answer_us(const struct zg_plan *plan)
{
    return time_of_us(plan, plan->max_frame) + 4 * plan->turn_ns / 1000;
}

uint64_t zg_plan_hello_wait_us(const struct zg_plan *plan)
{
    const struct zg_plan_message *hello =
        zg_definition_serves(plan->definition, ZG_SERVICE_HELLO) ? zg_plan_by_name(plan, "hello") : NULL;

    if (!hello)
        return 0;
    return MAX(8 * time_of_us(plan, hello->frame_most) + 4 * plan->turn_ns / 1000, 100000);
}

const struct zg_framing *zg_plan_framing(const struct zg_plan *plan, enum zg_side side)
{
    const struct zg_framer *framer = side == ZG_SIDE_DEVICE ? &plan->device_framer
                                     : side == ZG_SIDE_HOST ? &plan->host_framer
                                                            : &plan->framer;

    return &framer->framing;
}

const char *zg_plan_wire_unit(const struct zg_plan *plan)
{
    return plan->definition->framing.halves ? "characters" : "bytes";
}

struct zg_protocol zg_plan_protocol(const struct zg_plan *plan)
{
    const struct zg_line *line = &plan->definition->line;

    return (struct zg_protocol){ .framing = &plan->framer.framing,
                                 .check = &plan->check,
                                 .max_payload = plan->max_payload,
                                 .max_frame = plan->max_frame,
                                 .receive_room = plan->receive_room,
                                 .filled = plan->filled,
                                 .byte_timeout_us = (uint32_t)(line->byte_timeout_ns / 1000),
                                 .gap_us = (uint32_t)(plan->gap_ns / 1000),
                                 .send_gap_us = (uint32_t)((plan->send_gap_ns + 999) / 1000),
                                 .turn_us = (uint32_t)((plan->turn_ns + 999) / 1000),
                                 .link_timeout_us = (uint32_t)(line->link_timeout_ns / 1000),
                                 .header_size = (uint8_t)plan->header.size,
                                 .version_bits = (uint8_t)plan->version_bits,
                                 .sequence_bits = (uint8_t)plan->sequence_bits,
                                 .destination_bits = (uint8_t)plan->destination_bits,
                                 .source_bits = (uint8_t)plan->source_bits,
                                 .node = plan->node != NULL,
                                 .everybody = (zg_header_number)zg_plan_everybody(plan),
                                 .packets = plan->packets,
                                 .coded = plan->definition->framing.coding != ZG_CODING_NONE,
                                 .halved = plan->definition->framing.halves != ZG_HALVES_NONE,
                                 .ignores = (uint8_t)plan->definition->framing.ignores,
                                 .ignored = plan->definition->framing.ignored,
                                 .length_ends = plan->filled > 0 && plan->length_bits > 0 };
}
