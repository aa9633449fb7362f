/* SPDX-License-Identifier: MIT */
/* The parts of a definition, each read in a file of its own. */
#ifndef ZEUGMA_READ_H
#define ZEUGMA_READ_H

#include "definition/definition.h"
#include "definition/yaml.h"

/* The keys of each mapping. The tables end with a row without a name. */
extern const struct zgi_key zgi_definition_keys[], zgi_field_keys[], zgi_variable_keys[], zgi_line_keys[],
    zgi_format_keys[], zgi_pair_keys[], zgi_clock_keys[], zgi_framing_keys[], zgi_ends_keys[], zgi_named_check_keys[],
    zgi_crc_keys[], zgi_frame_keys[], zgi_role_keys[], zgi_length_keys[], zgi_const_keys[], zgi_count_keys[],
    zgi_node_keys[], zgi_message_keys[], zgi_reply_keys[], zgi_services_keys[], zgi_value_keys[], zgi_enum_keys[],
    zgi_flags_keys[], zgi_form_keys[], zgi_layout_keys[], zgi_pairs_keys[], zgi_constant_keys[],
    zgi_record_length_keys[];

/* Each takes the definition as `into`. */
void zgi_read_line(struct zgi_reader *reader, const struct zgi_entry *entry, void *into);
void zgi_read_frame(struct zgi_reader *reader, const struct zgi_entry *entry, void *into);
void zgi_read_framing(struct zgi_reader *reader, const struct zgi_entry *entry, void *into);
void zgi_read_check(struct zgi_reader *reader, const struct zgi_entry *entry, void *into);
void zgi_read_header(struct zgi_reader *reader, const struct zgi_entry *entry, void *into);
void zgi_read_enums(struct zgi_reader *reader, const struct zgi_entry *entry, void *into);
void zgi_read_flags(struct zgi_reader *reader, const struct zgi_entry *entry, void *into);
void zgi_read_records(struct zgi_reader *reader, const struct zgi_entry *entry, void *into);
void zgi_read_messages(struct zgi_reader *reader, const struct zgi_entry *entry, void *into);
void zgi_read_variables(struct zgi_reader *reader, const struct zgi_entry *entry, void *into);
void zgi_read_services(struct zgi_reader *reader, const struct zgi_entry *entry, void *into);
void zgi_read_console(struct zgi_reader *reader, const struct zgi_entry *entry, void *into);

GPtrArray *zgi_messages_new(void);
GPtrArray *zgi_variables_new(void);

/* One message, `entry` being its name and mapping. */
struct zg_message *zgi_read_message(struct zgi_reader *reader, const struct zgi_entry *entry,
                                    struct zg_definition *definition);

/* Adds a message to the definition, or a diagnostic if its id is taken. */
void zgi_add_message(struct zgi_reader *reader, struct zg_definition *definition, struct zg_message *message);

/* The type named by a word: a built-in one, or an enum, flags or record of `definition`, with its extent. A diagnostic
 * if there is none. */
bool zgi_read_type(struct zgi_reader *reader, yaml_node_t *node, const struct zg_definition *definition,
                   struct zg_type *type);

/* The same, for integer types only. */
bool zgi_read_integer_type(struct zgi_reader *reader, yaml_node_t *node, struct zg_type *type);

/* Whether a value of this type may go to the end of what it is in; if not, a diagnostic. */
bool zgi_may_be_open_ended(struct zgi_reader *reader, struct zg_place place, struct zg_type type);

/* A built-in type without extent. */
bool zgi_builtin_type(const char *word, struct zg_type *type);

/* Reads a mapping of fields into an array of struct zg_field. What has `const` is put into `constants`, what has
 * `counts` into `length`; where that is NULL, it is an error. */
void zgi_read_fields(struct zgi_reader *reader, yaml_node_t *node, const struct zg_definition *definition,
                     GPtrArray *fields, GPtrArray *constants, struct zg_record_length *length);
GPtrArray *zgi_fields_new(void);

/* A layout; `whole`: of all messages, which none but pattern can be. */
void zgi_read_layout(struct zgi_reader *reader, yaml_node_t *node, bool whole, struct zg_layout *layout);
void zgi_layout_clear(struct zg_layout *layout);

/* How a value is written. */
struct zg_form zgi_form_new(void);
void zgi_read_form(struct zgi_reader *reader, const struct zgi_entry *entry, struct zg_form *form);
void zgi_form_clear(struct zg_form *form);

/* Gives a message that has no layout of its own that of all; without an id in the header, gives one with a pattern the
 * tag with which it begins. Reports what its layout does not allow. */
void zgi_settle_layout(struct zgi_reader *reader, const struct zg_definition *definition, struct zg_message *message);

/* A time of at most 30 min, which its key names. */
void zgi_read_clocked_time(struct zgi_reader *reader, const struct zgi_entry *entry, uint64_t *nanoseconds);

/* Text into a char *, which it replaces; for tables of keys. */
void zgi_keep_text(struct zgi_reader *reader, const struct zgi_entry *entry, char **into);

/* little or big. */
void zgi_read_order(struct zgi_reader *reader, yaml_node_t *node, bool *big_endian);

/* "7", "-3": the raw value of an integer type, or a diagnostic. */
bool zgi_read_raw(struct zgi_reader *reader, yaml_node_t *node, struct zg_type type, union zg_raw *raw);

/* A role of the header, or NULL. */
const struct zg_header_role *zgi_role(const struct zg_definition *definition, enum zg_role role);

/* What messages, services and the line require of each other. Looks up the names of replies. */
void zgi_check_behaviour(struct zg_definition *definition, struct zg_diagnostics *diagnostics);

/* Reports names and constants that generated code would define twice. */
void zgi_check_generated_names(const struct zg_definition *definition, struct zg_diagnostics *diagnostics);

#endif
