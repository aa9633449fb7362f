/* SPDX-License-Identifier: MIT */
#include "plan/plan.h"

#include <string.h>

#include "plan/values.h"

enum { CODE_BLOCK = 254 }; /* content bytes under one COBS code byte */

/* Where the next value goes: the first free byte, or a place in an open bit run. */
struct cursor {
    unsigned at;       /* bytes laid out, the open run's included */
    unsigned run;      /* first byte of the open run */
    unsigned run_bits; /* bits in it; 0: none is open */
    bool run_big;
    unsigned loose_bits; /* of all bit-wide values so far */
    unsigned run_bytes;  /* of all runs so far */
};

static void add_piece(struct zg_step *step, unsigned byte, unsigned low, unsigned bits, unsigned shift)
{
    step->pieces[step->pieces_count++] = (struct zg_piece){ byte, low, bits, shift };
}

/* A value of whole bytes: starts on a byte boundary, in its own byte order. */
static void place_bytes(struct cursor *cursor, struct zg_step *step)
{
    unsigned size = step->type.bits / 8;

    cursor->run_bits = 0;
    for (unsigned i = 0; i < size; i++)
        add_piece(step, cursor->at + (step->big_endian ? size - 1 - i : i), 0, 8, 8 * i);
    cursor->at += size;
}

/* A little run is filled from its least significant bit up: bit k of the run is bit k % 8 of byte k / 8. */
static void place_little_bits(const struct cursor *cursor, struct zg_step *step)
{
    unsigned done = 0;
    while (done < step->type.bits) {
        unsigned bit = cursor->run_bits + done;
        unsigned count = MIN(8 - bit % 8, step->type.bits - done);
        add_piece(step, cursor->run + bit / 8, bit % 8, count, done);
        done += count;
    }
}

/* A big run is filled from its most significant bit down. Pieces are found from the value's top; the list starts at its
 * bottom. */
static void place_big_bits(const struct cursor *cursor, struct zg_step *step)
{
    unsigned left = step->type.bits;
    unsigned end = cursor->run_bits + left; /* bits of the run, from its top, up to the value's last */
    for (unsigned shift = 0; shift < step->type.bits;) {
        unsigned low = (8 - end % 8) % 8;
        unsigned count = MIN(8 - low, left);
        add_piece(step, cursor->run + (end - 1) / 8, low, count, shift);
        shift += count;
        left -= count;
        end -= count;
    }
}

/* A value that shares bytes with its neighbours. Values of another byte order begin a run of their own. */
static void place_bits(struct cursor *cursor, struct zg_step *step)
{
    if (cursor->run_bits == 0 || cursor->run_big != step->big_endian) {
        cursor->run = cursor->at;
        cursor->run_bits = 0;
        cursor->run_big = step->big_endian;
    }
    if (step->big_endian)
        place_big_bits(cursor, step);
    else
        place_little_bits(cursor, step);
    unsigned before = cursor->at;
    cursor->run_bits += step->type.bits;
    cursor->loose_bits += step->type.bits;
    cursor->at = cursor->run + (cursor->run_bits + 7) / 8;
    cursor->run_bytes += cursor->at - before;
}

static void place(struct zg_block *block, struct cursor *cursor, struct zg_step *step)
{
    if (step->type.bits % 8 == 0)
        place_bytes(cursor, step);
    else
        place_bits(cursor, step);
    step->first_byte = UINT_MAX;
    for (unsigned i = 0; i < step->pieces_count; i++) {
        step->first_byte = MIN(step->first_byte, step->pieces[i].byte);
        step->last_byte = MAX(step->last_byte, step->pieces[i].byte);
    }
    zgi_step_limits(step);
    block->bits += step->type.bits;
    block->size = cursor->at;
    g_array_append_val(block->steps, *step);
}

static void plan_header(struct zg_plan *plan)
{
    const struct zg_definition *definition = plan->definition;
    unsigned *const widths[ZG_ROLES] = { &plan->version_bits, &plan->id_bits, &plan->sequence_bits };
    struct cursor cursor = { 0 };

    plan->header.steps = g_array_new(FALSE, FALSE, sizeof(struct zg_step));
    for (unsigned i = 0; i < definition->header->len; i++) {
        const struct zg_header_role *role = g_ptr_array_index(definition->header, i);
        struct zg_step step = { .name = zg_role_name(role->role),
                                .type = { ZG_KIND_UNSIGNED, role->bits, NULL },
                                .role = role->role,
                                .big_endian = role->big_endian };
        place(&plan->header, &cursor, &step);
        *widths[role->role] = role->bits;
    }
    if (plan->version_bits > 0)
        plan->version = definition->major & UINT32_MAX >> (32 - plan->version_bits);
}

/* The check's parameters as the runtime computes with them, and its size. */
static void plan_check(struct zg_plan *plan)
{
    const struct zg_crc_parameters *crc = &plan->definition->check;

    plan->table = g_new0(zg_check_word, MAX(ZG_CRC_TABLE_ENTRIES, 1));
    int error = zg_crc_make(&plan->check.crc, crc->width, crc->poly, crc->init, crc->reflect_in, crc->reflect_out,
                            crc->xor_out, plan->table);
    g_assert(error == 0); /* the definition was checked */
    plan->check.size = (uint8_t)((crc->width + 7) / 8);
    plan->check.big_endian = plan->definition->check_big_endian;
}

static void plan_payload(const struct zg_message *message, struct zg_block *block, struct zg_diagnostics *diagnostics)
{
    struct cursor cursor = { 0 };

    block->steps = g_array_new(FALSE, FALSE, sizeof(struct zg_step));
    for (unsigned i = 0; i < message->fields->len; i++) {
        const struct zg_field *field = g_ptr_array_index(message->fields, i);
        struct zg_step step = {
            .name = field->name, .type = field->type, .field = field, .big_endian = field->big_endian
        };
        place(block, &cursor, &step);
    }
    unsigned least = (cursor.loose_bits + 7) / 8;
    if (cursor.run_bytes > least)
        zgi_warning(diagnostics, message->place,
                    "the bit-wide fields of %s take %u bytes; side by side they would take %u", message->name,
                    cursor.run_bytes, least);
}

static void plan_messages(struct zg_plan *plan, struct zg_diagnostics *diagnostics)
{
    const struct zg_definition *definition = plan->definition;

    plan->messages = g_array_new(FALSE, TRUE, sizeof(struct zg_plan_message));
    for (unsigned i = 0; i < definition->messages->len; i++) {
        struct zg_plan_message item = { .message = g_ptr_array_index(definition->messages, i) };
        plan_payload(item.message, &item.payload, diagnostics);
        item.content = plan->header.size + item.payload.size + plan->check.size;
        item.frame_least = zg_plan_frame_least(item.content);
        item.frame_most = zg_plan_frame_most(item.content);
        plan->max_payload = MAX(plan->max_payload, MAX(item.payload.size, 1));
        g_array_append_val(plan->messages, item);
    }
}

static void check_sizes(struct zg_plan *plan, struct zg_diagnostics *diagnostics)
{
    const struct zg_definition *definition = plan->definition;

    for (unsigned i = 0; i < plan->messages->len; i++) {
        const struct zg_plan_message *item = zg_plan_message_at(plan, i);
        if (definition->max_payload > 0 && item->payload.size > definition->max_payload)
            zgi_error(diagnostics, item->message->place,
                      "the payload of %s takes %u bytes, max_payload is %" G_GUINT64_FORMAT, item->message->name,
                      item->payload.size, definition->max_payload);
        if (definition->max_frame > 0 && item->frame_most > definition->max_frame)
            zgi_error(diagnostics, item->message->place,
                      "a frame of %s takes up to %u bytes on the wire, max_frame is %" G_GUINT64_FORMAT,
                      item->message->name, item->frame_most, definition->max_frame);
    }
}

struct zg_plan *zg_plan_new(const struct zg_definition *definition, struct zg_diagnostics *diagnostics)
{
    struct zg_plan *plan = g_new0(struct zg_plan, 1);

    plan->definition = definition;
    plan_header(plan);
    plan_check(plan);
    plan_messages(plan, diagnostics);
    check_sizes(plan, diagnostics);
    if (definition->max_payload > 0)
        plan->max_payload = (unsigned)definition->max_payload;
    plan->max_content = plan->header.size + plan->max_payload + plan->check.size;
    plan->max_frame = zg_plan_frame_most(plan->max_content);
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
    for (unsigned i = 0; i < plan->messages->len; i++)
        g_array_unref(g_array_index(plan->messages, struct zg_plan_message, i).payload.steps);
    g_array_unref(plan->messages);
    g_array_unref(plan->header.steps);
    g_free(plan->table);
    g_free(plan);
}

const struct zg_step *zg_block_step(const struct zg_block *block, unsigned index)
{
    return &g_array_index(block->steps, struct zg_step, index);
}

const struct zg_plan_message *zg_plan_message_at(const struct zg_plan *plan, unsigned index)
{
    return &g_array_index(plan->messages, struct zg_plan_message, index);
}

const struct zg_plan_message *zg_plan_by_id(const struct zg_plan *plan, uint64_t id)
{
    for (unsigned i = 0; i < plan->messages->len; i++)
        if (plan->id_bits == 0 || zg_plan_message_at(plan, i)->message->id == id)
            return zg_plan_message_at(plan, i);
    return NULL;
}

const struct zg_plan_message *zg_plan_by_name(const struct zg_plan *plan, const char *name)
{
    for (unsigned i = 0; i < plan->messages->len; i++)
        if (strcmp(zg_plan_message_at(plan, i)->message->name, name) == 0)
            return zg_plan_message_at(plan, i);
    return NULL;
}

unsigned zg_plan_frame_least(unsigned content)
{
    return content + 2; /* one code byte, one delimiter: zeros often enough to start every block */
}

unsigned zg_plan_frame_most(unsigned content)
{
    return content + MAX((content + CODE_BLOCK - 1) / CODE_BLOCK, 1) + 1;
}
