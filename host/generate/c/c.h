/* SPDX-License-Identifier: MIT */
/* What the files of the C generator share. Texts returned are freed with g_free(). */
#ifndef ZEUGMA_GENERATE_C_H
#define ZEUGMA_GENERATE_C_H

#include "generate/generate.h"
#include "plan/end.h"

/* The protocol's name as prefix of functions and types, and of constants. */
struct zgi_c {
    const struct zg_plan *plan;
    const char *prefix;     /* "loom" */
    char *upper;            /* "LOOM" */
    enum zg_side side;      /* whose end is being printed */
    struct zg_plan_end end; /* what that end does */
};

/* Begins a file with the mark, the definition's summary, and what the file is. */
GString *zgi_c_file(const struct zgi_c *c, const char *what);

/* Appends a template: @p stands for the protocol's name, @s for the side's, @n for `name` (may be NULL if unused); @P,
 * @S, @N for the same in capitals. */
void zgi_c_emit(const struct zgi_c *c, GString *text, const char *name, const char *template);

/* Appends an initialiser with its member's name in a comment, because C++ before 2020 has no designated initialisers.
 */
void zgi_c_member(GString *text, const char *member, const char *format, ...) G_GNUC_PRINTF(3, 4);

/* Breaks the lines of a whole file that are too long. */
void zgi_c_wrap(GString *text);

/* Removes "+ 0", "* 1" and casts of casts from code that has names and numbers, but no strings. */
void zgi_c_tidy(GString *code);

/* Text made safe for a comment. */
char *zgi_c_comment(const char *text);

/* The bits of the C integer that holds a step's number: 8, 16, 32 or 64. */
unsigned zgi_c_bits(const struct zg_step *step);

/* PREFIX_FIRST_SECOND in capitals (`second` may be NULL); the C type of one element; a raw integer as a constant of its
 * type. */
char *zgi_c_constant(const struct zgi_c *c, const char *first, const char *second);
char *zgi_c_element_type(const struct zgi_c *c, const struct zg_step *step);
char *zgi_c_literal(enum zg_kind kind, unsigned width, union zg_raw raw);

/* An expression for the raw bits of a single number in the bytes `buffer`; for an array, of the element that `buffer`
 * points to. */
char *zgi_c_load(const struct zg_step *step, const char *buffer);

/* Converts raw bits, an expression, to the step's type. */
char *zgi_c_value(const struct zg_step *step, const char *bits);

/* The value of `expression` as raw bits, an unsigned expression. */
char *zgi_c_raw_bits(const struct zg_step *step, const char *expression);

/* Statements that write the single numbers of the steps from `first` up to, not including, `end` into `out`, one
 * line a byte. Each value is called `before` + name, a float's bits are bits_of_NAME. */
void zgi_c_store(GString *text, const struct zg_block *block, unsigned first, unsigned end, const char *before);

/* The static functions of a block: check_NAME, size_NAME, put_NAME, get_NAME. */
void zgi_c_block_check(const struct zgi_c *c, GString *text, const struct zg_block *block);
void zgi_c_block_put(const struct zgi_c *c, GString *text, const struct zg_block *block);
void zgi_c_block_get(const struct zgi_c *c, GString *text, const struct zg_block *block);

/* The framing: the name of its struct; the runtime's header that it needs; and, if it has options of its own, the
 * definitions of both. */
char *zgi_c_framing_name(const struct zgi_c *c);
const char *zgi_c_framing_header(const struct zgi_c *c);
bool zgi_c_framing_has_options(const struct zgi_c *c);
void zgi_c_framing(const struct zgi_c *c, GString *text);

/* Stops the compiler where the runtime lacks what this end's framing needs. */
void zgi_c_framing_needs(const struct zgi_c *c, GString *text);

/* The files' bodies. */
void zgi_c_types(const struct zgi_c *c, GString *text);
void zgi_c_code(const struct zgi_c *c, GString *text);
void zgi_c_frame(const struct zgi_c *c, GString *text);
void zgi_c_physical_code(const struct zgi_c *c, GString *text);
void zgi_c_words_header(const struct zgi_c *c, GString *text);
void zgi_c_words_code(const struct zgi_c *c, GString *text);

/* A message and one of its tags; all of those that these sides may send, the longest tag first. */
struct zgi_told {
    const struct zg_plan_message *item;
    const struct zg_tag *tag;
};
GArray *zgi_c_tags_of(const struct zg_plan *plan, enum zg_side from);

/* The line "if ..." or "else if ..." that asks whether `bytes`, of which there are `length`, begin with a tag. */
void zgi_c_print_tag(GString *text, const char *lead, const struct zg_tag *tag, const char *bytes);

/* Statements that look for a message's tags in `bytes`, of which there are `length`: where one is, `found` and its
 * size. The longest first. */
void zgi_c_tags(GString *text, const struct zg_message *message, const char *bytes, const char *found);

/* Statements that refuse a payload in `out`, without a tag, that begins with one of another message. */
void zgi_c_mistaken(const struct zgi_c *c, GString *text, const struct zg_message *message);

/* Whether a message's text could hold an end mark that is searched, or a byte that a receiver drops; statements that
 * refuse such a payload in `out`, of `*size` bytes. */
bool zgi_c_must_be_carried(const struct zg_plan *plan, const struct zg_plan_message *item);
void zgi_c_carried(const struct zgi_c *c, GString *text, const struct zg_plan_message *item);

/* Without an id in the header: statements of zgi_deliver() that choose the message by tag or by what fits, and the
 * functions they need. `unknown` is returned if there is none. */
void zgi_c_choice(const struct zgi_c *c, GString *functions, GString *cases, const char *unknown);

/* Parts of an end. A message for which zg_side_tickets() holds has a kind, its index among those. */
/* PROTOCOL_line.h. */
void zgi_c_line(const struct zgi_c *c, GString *text);

void zgi_c_session_type(const struct zgi_c *c, GString *text);
void zgi_c_session_terms(const struct zgi_c *c, GString *text);
void zgi_c_session_code(const struct zgi_c *c, GString *text);
void zgi_c_settled(const struct zgi_c *c, GString *text);
void zgi_c_services(const struct zgi_c *c, GString *text);
void zgi_c_send_prototypes(const struct zgi_c *c, GString *text);
void zgi_c_sends(const struct zgi_c *c, GString *text);
/* The parameter that functions have first where the end has several peers. */
const char *zgi_c_to_parameter(const struct zgi_c *c);

void zgi_c_takes(const struct zgi_c *c, GString *text);

/* The beginning of a function that answers a service's request at once, or later; then the arguments "late" and
 * "content" of what it calls. */
void zgi_c_answering(const struct zgi_c *c, GString *text, const char *request);
const char *zgi_c_late_arguments(const struct zgi_c *c);

/* The service traffic: what an end does; the host's function that begins it. */
void zgi_c_traffic_code(const struct zgi_c *c, GString *text);
void zgi_c_traffic_host(const struct zgi_c *c, GString *text, bool prototypes);

/* Whether this end keeps what arrives damaged, for a traffic_damage. */
bool zgi_c_hears_damage(const struct zgi_c *c);

void zgi_c_variables_type(const struct zgi_c *c, GString *text);
void zgi_c_variables_declarations(const struct zgi_c *c, GString *text);
void zgi_c_variables_code(const struct zgi_c *c, GString *text);
void zgi_c_variables_host(const struct zgi_c *c, GString *text, bool prototypes);

void zgi_c_node_header(const struct zgi_c *c, GString *text);
void zgi_c_node_code(const struct zgi_c *c, GString *text);

/* Requests without a ticket: an end's members, its constant table, the body of a send function (`to`: whom it is sent
 * to), how the open one is settled, what a message that answers does, how it is preferred to others that fit as
 * well, and what is due. */
void zgi_c_query_members(const struct zgi_c *c, GString *text);
void zgi_c_query_terms(const struct zgi_c *c, GString *text);
void zgi_c_query_send(const struct zgi_c *c, GString *text, const struct zg_plan_message *item, const char *to);
void zgi_c_query_settle(const struct zgi_c *c, GString *text);
void zgi_c_query_hear(const struct zgi_c *c, GString *text, const struct zg_message *message);
void zgi_c_query_prefer(const struct zgi_c *c, GString *text, const struct zg_message *message);
void zgi_c_query_poll(const struct zgi_c *c, GString *text);

#endif
