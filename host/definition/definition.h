/* SPDX-License-Identifier: MIT */
/*
 * The model of a definition: the contents of its file, checked, with places. Read only once loaded; owned by the struct
 * zg_definition, freed with it. docs/definition.md describes the language.
 */
#ifndef ZEUGMA_DEFINITION_H
#define ZEUGMA_DEFINITION_H

#include <glib.h>
#include <gmp.h>
#include <stdbool.h>
#include <stdint.h>

#include "definition/check_choice.h"
#include "definition/diagnostics.h"
#include "definition/framing_choice.h"
#include "definition/words.h"
#include "soft_uart/format.h"

enum zg_kind {
    ZG_KIND_UNSIGNED,
    ZG_KIND_SIGNED,
    ZG_KIND_BOOL,
    ZG_KIND_FLOAT,
    ZG_KIND_LEB_UNSIGNED,
    ZG_KIND_LEB_SIGNED,
    ZG_KIND_TEXT,
    ZG_KIND_BYTES,
    ZG_KIND_RECORD
};

/* How often a type occurs: once, N times, up to N times after a count, or up to the end of the payload or record. */
enum zg_extent { ZG_EXTENT_ONE, ZG_EXTENT_FIXED, ZG_EXTENT_COUNTED, ZG_EXTENT_REST };

struct zg_enum;
struct zg_record;

struct zg_type {
    enum zg_kind kind;
    unsigned bits; /* of one integer or float; LEB128: 32 or 64 */
    bool is_ascii; /* of text: bytes 20 to 7E alone */
    enum zg_extent extent;
    unsigned count;                    /* N of FIXED and COUNTED, limit of REST or 0: elements; text and bytes: bytes */
    const struct zg_enum *enumeration; /* of enum or flags, whose kind is unsigned or signed; otherwise NULL */
    const struct zg_record *record;    /* of kind record */
};

/* A raw value, of its type's kind. A float is the double that has exactly its value. */
union zg_raw {
    uint64_t u;
    int64_t i;
    bool b;
    double f;
};

struct zg_enum_value {
    char *name;
    char *summary; /* or NULL */
    char *text;    /* how it is written in text layouts; NULL: as its name */
    union zg_raw raw;
    struct zg_place place;
};

struct zg_enum {
    char *name;
    char *summary;
    struct zg_type type;
    bool flags;         /* a set of flags: raw values are bit numbers */
    GPtrArray *values;  /* struct zg_enum_value */
    GHashTable *by_raw; /* the first value with these 64 raw bits */
    struct zg_place place;
};

enum zg_side { ZG_SIDE_DEVICE = 1, ZG_SIDE_HOST = 2, ZG_SIDE_BOTH = 3 };

/* How a value is written in a text layout (`as`). */
struct zg_form {
    unsigned base;  /* 2, 10 or 16 */
    unsigned width; /* characters, exactly; 0: as many as it takes */
    int decimals;   /* -1: not given */
    int exponent;   /* digits behind the point of a number with an exponent; -1: without one */
    char pad;       /* what fills the width up: '0' or ' ' */
    char point;     /* '.' or ',' */
    char quote;     /* around text; 0: none */
    bool sign;      /* a plus too */
    int lower;      /* digits beyond 9: 1 lower case, 0 upper case, -1 not given */
    bool raw;       /* not the physical value */
    bool number;    /* not the names of an enum or flags */
    bool names;     /* not the number of flags */
    bool base64;    /* bytes */
    bool string;    /* in json, a number within quotes */
    char *prefix, *on, *off, *between, *absent; /* or NULL */
    struct zg_place place;                      /* line 0: none of these is given */
};

enum zg_layout_kind { ZG_LAYOUT_BINARY, ZG_LAYOUT_PATTERN, ZG_LAYOUT_PAIRS, ZG_LAYOUT_JSON };

/* How a message's fields are arranged. */
struct zg_layout {
    enum zg_layout_kind kind;
    char *pattern;          /* literals and {names} */
    char *assign, *between; /* of pairs: between name and value, between pairs */
    struct zg_place place;  /* line 0: not given */
};

/* A pair or member that is always the same, and no field. */
struct zg_constant {
    char *name; /* on the wire */
    char *text; /* of a string, or the digits of a number */
    bool is_number;
    unsigned before; /* how many fields come before it */
    struct zg_place place;
};

struct zg_field {
    char *name;
    char *code; /* its name in generated code: the same, or, if that is a keyword, with an underscore behind it */
    char *summary;
    char *unit;
    struct zg_type type;
    bool big_endian;
    bool scaled; /* scale is not 1, or offset is not 0 */
    mpq_t scale; /* physical value = raw * scale + offset, exactly */
    mpq_t offset;
    bool ranged;
    mpq_t low; /* physical limits, both inclusive */
    mpq_t high;
    char *key;           /* its name in pairs and json; NULL: its name */
    bool optional;       /* may be absent, in text layouts */
    bool counts_bytes;   /* the count in front of an array counts bytes */
    unsigned count_bits; /* of that count: 8 or 16; 0: as few as it takes */
    struct zg_place count_place;
    int decimals; /* of scale and offset as they are written; -1: a fraction */
    struct zg_form form;
    struct zg_place optional_place;
    unsigned since;     /* minor version that introduced it; 0: from the start */
    char *default_text; /* of a missing field, as written; NULL: raw zero */
    struct zg_place place;
    struct zg_place since_place;
    struct zg_place default_place;
};

/* A number among a record's fields that says how many bytes this one has. It is no field: who sends computes it. */
struct zg_record_length {
    char *name;
    unsigned bits; /* 8 or 16; 0: the record has none */
    bool big_endian;
    bool counts_rest; /* the bytes behind it; otherwise all of the record */
    unsigned plus;    /* and so much more */
    unsigned before;  /* how many fields stand in front of it */
    struct zg_place place;
};

/* Fields under one name. Never contains itself, at any depth. */
struct zg_record {
    char *name;
    char *summary;
    GPtrArray *fields; /* struct zg_field */
    struct zg_record_length length;
    struct zg_place place;
};

/* Bytes at the front of a payload. */
enum { ZG_TAG_MAX = 64 };

struct zg_tag {
    unsigned size;
    bool whole; /* it is the whole payload */
    uint8_t bytes[ZG_TAG_MAX];
    struct zg_place place;
};

struct zg_message {
    char *name;
    char *summary;
    uint64_t id;
    bool identified; /* an id is given */
    GPtrArray *tags; /* struct zg_tag: without an id in the header, what tells the message; the first is sent */
    bool bare;       /* its one tag is all of it, and stands outside any frame */
    enum zg_side from;
    uint64_t every_ns;    /* nominal period; 0: none given */
    GPtrArray *fields;    /* struct zg_field */
    GPtrArray *constants; /* struct zg_constant, of pairs and json */
    struct zg_layout layout;
    bool service;       /* belongs to a service, not to the definition's own messages */
    GPtrArray *replies; /* char *, names: any of them answers it, which makes it a request */
    GPtrArray *lines;   /* char *, names: any number of them come before the answer */
    bool ticketless;    /* ticket: none; its answers simply follow it */
    bool is_reply;      /* a request names it as its reply, whose ticket it repeats */
    bool follows;       /* a request without a ticket names it as an answer, or as a line before one */
    bool acknowledged;  /* delivery: acknowledged */
    bool kept;          /* order: kept */
    unsigned window;    /* messages that may be unacknowledged at a time */
    unsigned retries;
    uint64_t timeout_ns; /* for the reply or acknowledgement */
    struct zg_place place;
    struct zg_place id_place, bare_place;
    struct zg_place reply_place, ticket_place, delivery_place, order_place, window_place,
        resend_place; /* line 0: not given */
};

/* What a host may do with a variable. */
enum zg_access { ZG_ACCESS_READ = 1, ZG_ACCESS_WRITE = 2, ZG_ACCESS_READ_WRITE = 3 };

struct zg_variable {
    unsigned index; /* 0 to 255 */
    enum zg_access access;
    GPtrArray *fields; /* the variable itself: one struct zg_field */
    struct zg_place index_place;
};

enum zg_role {
    ZG_ROLE_VERSION,
    ZG_ROLE_ID,
    ZG_ROLE_SEQUENCE,
    ZG_ROLE_MINOR,
    ZG_ROLE_LENGTH,
    ZG_ROLE_DESTINATION,
    ZG_ROLE_SOURCE,
    ZG_ROLE_NODE, /* the device's address, in both directions; the PC has none */
    ZG_ROLE_CONST,
    ZG_ROLE_RESERVED,
    ZG_ROLES
};

/* What the role length counts: the payload, everything after the length itself, the whole content, or from the first
 * byte of a role to the payload's end. */
enum zg_counts { ZG_COUNTS_PAYLOAD, ZG_COUNTS_REST, ZG_COUNTS_CONTENT, ZG_COUNTS_FROM };

struct zg_header_role {
    enum zg_role role;
    unsigned bits; /* unsigned; 1 to 32, of const and reserved up to 64 */
    bool big_endian;
    uint64_t value;        /* of const; of node the address that means every device */
    enum zg_counts counts; /* of length */
    enum zg_role from;     /* with ZG_COUNTS_FROM: that role, */
    unsigned plus;         /* and so much more, bytes */
    struct zg_place place;
};

/* The clocks of both ends, as far as they are known; 0: not. Tolerances are parts of one. */
struct zg_clock {
    double device_hz, device_tolerance, host_tolerance;
    struct zg_divider divider;
};

/* A clocked line: data changes half a clock before the edge at which it is sampled. */
struct zg_pair {
    bool samples_rising; /* or at the falling edge of the clock */
    bool lsb_first, idle_high;
    uint64_t byte_gap_ns; /* a sender's least pause between bytes */
};

enum zg_stop_level { ZG_STOP_AS_IDLE, ZG_STOP_LOW, ZG_STOP_HIGH };

struct zg_line {
    uint64_t baud; /* of a clocked line: of its clock */
    unsigned data_bits;
    char parity;         /* N E O M S */
    unsigned half_stops; /* stop bits, doubled */
    bool msb_first, idle_low;
    enum zg_stop_level stop_level; /* as written */
    bool stop_opposite;            /* stop bits have the level that is not the idle one; a bit of that follows them */
    double carrier_hz;             /* sent while the level is low; 0: none */
    bool is_clocked;
    struct zg_pair pair;
    bool half_duplex; /* both sides take turns on the line */
    uint64_t gap_ns;  /* least idle time that a sender leaves between frames */
    uint64_t byte_timeout_ns;
    uint64_t keepalive_ns;    /* 0: none */
    uint64_t link_timeout_ns; /* 0: none */
    struct zg_clock clock;
    struct zg_place place, keepalive_place, format_place, carrier_place, pair_place; /* line 0: not given */
};

enum zg_console { ZG_CONSOLE_NONE, ZG_CONSOLE_FRAMED, ZG_CONSOLE_INTERLEAVED };

struct zg_definition {
    char *file;
    char *protocol;
    char *summary;
    unsigned major;
    unsigned minor;
    struct zg_line line;
    bool big_endian;
    struct zg_layout layout; /* of messages that have none of their own */
    GPtrArray *header;       /* struct zg_header_role */
    bool header_in_doubt;    /* part of it could not be read */
    struct zg_framing_choice framing;
    struct zg_check_choice check;
    uint64_t max_payload; /* 0: as large as the largest message */
    uint64_t max_frame;   /* 0: no limit */
    GPtrArray *enums;     /* struct zg_enum, flags included */
    GPtrArray *records;   /* struct zg_record, each after those that it contains */
    GPtrArray *messages;  /* struct zg_message, as written, then those of the services */
    GPtrArray *variables; /* struct zg_variable, as written */
    unsigned services;    /* one bit for each enabled service, by enum zg_service */
    enum zg_console console;
    struct zg_place version_place, frame_place, services_place, variables_place, console_place;
};

/* The services, and their names in the same order, NULL-terminated. */
enum zg_service {
    ZG_SERVICE_HELLO,
    ZG_SERVICE_ECHO,
    ZG_SERVICE_COUNTERS,
    ZG_SERVICE_VARIABLES,
    ZG_SERVICE_CONSOLE,
    ZG_SERVICE_DELIVERY,
    ZG_SERVICE_TRAFFIC
};
extern const char *const zg_service_names[];

/* Whether a service is enabled. */
static inline bool zg_definition_serves(const struct zg_definition *definition, enum zg_service service)
{
    return definition->services >> service & 1;
}

/* Whether a message asks for an answer. */
bool zg_message_is_request(const struct zg_message *message);

/* Whether a message carries a ticket: it is acknowledged, a request that is not ticketless, or the reply to one. */
bool zg_message_is_ticketed(const struct zg_message *message);

/* How a request takes a message of the other side: not at all, as a line before its answer, or as its answer. */
enum zg_answers { ZG_ANSWERS_NOT, ZG_ANSWERS_LINE, ZG_ANSWERS };
enum zg_answers zg_message_answers(const struct zg_message *request, const char *name);

/* The place of a message among a request's replies, then its lines; UINT_MAX: it is none of them. */
unsigned zg_message_answer_index(const struct zg_message *request, const char *name);

/* The names of a request's replies: "value, text or failed". Free with g_free(). */
char *zg_message_replies(const struct zg_message *request);

/* The longest tag of a message with which a payload begins, or NULL. */
const struct zg_tag *zg_message_tag(const struct zg_message *message, const uint8_t *payload, size_t length);

/* Whether a message asks a service for an answer without a ticket. */
bool zg_message_asks_service(const struct zg_message *message);

/* "read", "write", "read_write". */
const char *zg_access_name(enum zg_access access);

/* A variable's field. */
const struct zg_field *zg_variable_field(const struct zg_variable *variable);

/* The largest definition file, bytes. */
#define ZG_DEFINITION_MAX (1024 * 1024)

/* Reads a definition. Returns NULL if the file cannot be read (`*error` set) or has errors (`*error` not set,
 * diagnostics filled). `diagnostics` may hold warnings in either case. Free with zg_definition_free(). */
struct zg_definition *zg_definition_load(const char *file, struct zg_diagnostics *diagnostics, GError **error);

/* The same from memory; `file` only appears in diagnostics. */
struct zg_definition *zg_definition_parse(const char *file, const char *text, size_t length,
                                          struct zg_diagnostics *diagnostics);

void zg_definition_free(struct zg_definition *definition);

/* A message by name, or NULL. */
const struct zg_message *zg_definition_message(const struct zg_definition *definition, const char *name);

/* Whether a type is a single integer, which may be scaled, have a range, or be an enum. LEB128 counts, a float does
 * not. */
bool zg_type_is_integer(struct zg_type type);

/* The enum's value for a raw one, or NULL if it has none. */
const struct zg_enum_value *zg_enum_find(const struct zg_enum *enumeration, union zg_raw raw);

/* The enum's name for a raw value, or NULL if it has none. */
const char *zg_enum_name(const struct zg_enum *enumeration, union zg_raw raw);

/* Who receives what the sides `from` send. */
enum zg_side zg_receivers(enum zg_side from);

/* "binary", "pattern", "pairs", "json". */
const char *zg_layout_name(enum zg_layout_kind kind);

/* What a field is called in pairs and json. */
const char *zg_field_key(const struct zg_field *field);

/* "device", "host" or "both". */
const char *zg_side_name(enum zg_side side);

/* As the type is written: "u8", "head_state", "text[..24]". Free with g_free(). */
char *zg_type_name(struct zg_type type);

/* How the accessors of a scaled field name its unit: "in_N", "in_percent"; without a unit "value". Free with g_free().
 */
char *zg_field_suffix(const struct zg_field *field);

/* The Python class of a type or message: "row_taken" is "RowTaken". Free with g_free(). */
char *zg_python_name(const char *name);

/* "version", "id", ... */
const char *zg_role_name(enum zg_role role);

/* Data bits of a character; of a clocked line 8. */
unsigned zg_line_data_bits(const struct zg_line *line);

/* Bit times of one character on the line, doubled: start, data, parity and stop bits. */
unsigned zg_line_half_bits(const struct zg_line *line);

/* The characters of an asynchronous line. */
struct zg_uart_format zg_line_format(const struct zg_line *line);

/* The time of one byte on the wire, a character of the line, and of several, ns; of a clocked line with pauses. */
uint64_t zg_line_byte_ns(const struct zg_line *line);
uint64_t zg_line_bytes_ns(const struct zg_line *line, uint64_t bytes);

/* "8N1", "7E1.5 msb idle low", "clocked falling msb idle low", with the carrier: all of a line on which both ends must
 * agree but its rate. Free with g_free(). */
char *zg_line_text(const struct zg_line *line);

#endif
