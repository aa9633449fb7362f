/* SPDX-License-Identifier: MIT */
#include "cli.h"

#include <errno.h>
#include <string.h>

#include "analysis/detection.h"
#include "analysis/nearby.h"
#include "codec/hex.h"
#include "codec/json.h"
#include "generate/c/table.h"
#include "plan/checker.h"

enum { LONGEST = 65536, LONGEST_OF_FOUR = 4096, SHOWN = 12 }; /* bits; lines */

/* What the options ask for. */
struct request {
    struct zg_check_choice choice;
    GByteArray *bytes; /* or NULL */
    bool wanted;       /* settings are to be found for a value */
    uint64_t seen;
    bool as_json;
};

static char *hex_of(const struct request *request, uint64_t value)
{
    return g_strdup_printf("%0*" G_GINT64_MODIFIER "x", 2 * (int)((request->choice.crc.width + 7) / 8), value);
}

static void print_parameters(const struct zg_check_choice *choice)
{
    const struct zg_crc_parameters *crc = &choice->crc;
    int digits = (int)(crc->width + 3) / 4;

    cli_print("%s, %u bits", choice->name ? choice->name : "a CRC", crc->width);
    if (choice->kind == ZG_CHECK_CRC)
        cli_print(": polynomial 0x%0*" G_GINT64_MODIFIER "x, initial value 0x%0*" G_GINT64_MODIFIER
                  "x, bytes %sreflected, result %sreflected, final XOR 0x%0*" G_GINT64_MODIFIER "x",
                  digits, crc->poly, digits, crc->init, crc->reflect_in ? "" : "not ", crc->reflect_out ? "" : "not ",
                  digits, crc->xor_out);
    cli_print("\n");
}

static void print_value(const struct request *request, const char *what, const uint8_t *bytes, size_t count)
{
    g_autofree char *text = hex_of(request, zg_check_choice_value(&request->choice, bytes, count));
    g_autoptr(GString) big = g_string_new(NULL), little = g_string_new(NULL);

    for (size_t i = 0; i < strlen(text); i += 2) {
        g_string_append_printf(big, " %.2s", text + i);
        g_string_append_printf(little, " %.2s", text + strlen(text) - 2 - i);
    }
    cli_print("  of %s: %s", what, text);
    if (strlen(text) > 2)
        cli_print("; on the wire%s big-endian,%s little-endian", big->str, little->str);
    cli_print("\n");
}

/* The length in bits, with the check's own, up to which every pattern of up to `flips` flipped bits is detected.
 * `*least`: greater lengths were not tried. */
static uint64_t sees_all_up_to(const struct zg_crc_parameters *crc, unsigned flips, bool *least)
{
    uint64_t sees = flips == 4 ? LONGEST_OF_FOUR : LONGEST;

    *least = true;
    for (unsigned i = 1; i <= flips; i++) {
        uint64_t these = zg_crc_sees(crc, i, sees);
        *least = *least && these == sees;
        sees = these;
    }
    return sees;
}

static void print_detection(const struct zg_crc_parameters *crc)
{
    for (unsigned flips = 1; flips <= 4; flips++) {
        bool least;
        uint64_t sees = sees_all_up_to(crc, flips, &least);
        g_autofree char *pattern =
            flips == 1 ? g_strdup("single flipped bit") : g_strdup_printf("pattern of up to %u flipped bits", flips);
        cli_print("  detects any %s in frames of up to %s%" G_GUINT64_FORMAT " bits\n", pattern,
                  least ? "at least " : "", sees);
    }
    const unsigned on_line = zg_crc_burst(crc, true), other = zg_crc_burst(crc, false);
    cli_print("  detects any burst of up to %u bits at any length, in the order in which a serial line sends them\n",
              on_line);
    if (other != on_line)
        cli_print("    (of up to %u if the most significant bit of a byte is sent first)\n", other);
}

static void print_text(const struct request *request)
{
    if (request->choice.kind == ZG_CHECK_NONE) {
        cli_print("none: no check, nothing is sent\n");
        return;
    }
    print_parameters(&request->choice);
    if (request->bytes) {
        g_autofree char *what = g_strdup_printf("%u byte%s", request->bytes->len, request->bytes->len == 1 ? "" : "s");
        print_value(request, what, request->bytes->data, request->bytes->len);
        return;
    }
    print_value(request, "\"123456789\"", (const uint8_t *)"123456789", 9);
    if (request->choice.kind == ZG_CHECK_CRC)
        print_detection(&request->choice.crc);
}

static void print_json(const struct request *request)
{
    const struct zg_crc_parameters *crc = &request->choice.crc;
    bool own = request->bytes != NULL;
    g_autofree char *value = hex_of(
        request, zg_check_choice_value(&request->choice, own ? request->bytes->data : (const uint8_t *)"123456789",
                                       own ? request->bytes->len : 9));
    struct zg_json json;

    zg_json_begin(&json, true);
    zg_json_open(&json, NULL, '{');
    zg_json_string(&json, "check", request->choice.name ? request->choice.name : "crc by parameters");
    zg_json_unsigned(&json, "width", crc->width);
    if (request->choice.kind == ZG_CHECK_CRC) {
        zg_json_unsigned(&json, "poly", crc->poly);
        zg_json_unsigned(&json, "init", crc->init);
        zg_json_bool(&json, "reflect_in", crc->reflect_in);
        zg_json_bool(&json, "reflect_out", crc->reflect_out);
        zg_json_unsigned(&json, "xor_out", crc->xor_out);
    }
    zg_json_unsigned(&json, "bytes", own ? request->bytes->len : 9);
    zg_json_string(&json, "value", value);
    if (!own && request->choice.kind == ZG_CHECK_CRC) {
        zg_json_open(&json, "sees_flips_up_to_bits", '[');
        for (unsigned flips = 1; flips <= 4; flips++) {
            bool least;
            zg_json_unsigned(&json, NULL, sees_all_up_to(crc, flips, &least));
        }
        zg_json_close(&json, ']');
        zg_json_unsigned(&json, "sees_bursts_up_to_bits", zg_crc_burst(crc, true));
    }
    zg_json_close(&json, '}');
    cli_print_json(&json);
}

/* Prints the settings that give the value that was seen. */
static int find(const struct request *request)
{
    g_autoptr(GPtrArray) found =
        zg_check_nearby(&request->choice, request->bytes->data, request->bytes->len, request->seen);
    g_autofree char *seen = hex_of(request, request->seen);
    struct zg_json json;

    zg_json_begin(&json, true);
    zg_json_open(&json, NULL, '[');
    for (unsigned i = 0; i < found->len; i++) {
        const struct zg_nearby *nearby = g_ptr_array_index(found, i);
        if (!request->as_json && i < SHOWN) {
            cli_print("%s\n    ", nearby->text);
            print_parameters(&nearby->choice);
        }
        zg_json_open(&json, NULL, '{');
        zg_json_string(&json, "check", nearby->choice.name ? nearby->choice.name : "crc by parameters");
        zg_json_string(&json, "differs", nearby->text);
        zg_json_bool(&json, "bytes_swapped", nearby->swapped);
        zg_json_close(&json, '}');
    }
    zg_json_close(&json, ']');
    g_autofree char *text = zg_json_end(&json);
    if (request->as_json)
        cli_print("%s\n", text);
    else if (found->len == 0)
        cli_print("no similar settings give %s for %u byte%s; is one too many or too few?\n", seen, request->bytes->len,
                  request->bytes->len == 1 ? "" : "s");
    else if (found->len > SHOWN)
        cli_print("and %u more; a longer example, or a second one, would narrow them down\n", found->len - SHOWN);
    return found->len > 0 ? CLI_YES : CLI_NO;
}

/* Reads CHECK. False: it is none, and a message was printed. */
static bool read_choice(const struct cli_verb *verb, const char *text, struct zg_check_choice *choice)
{
    struct zg_diagnostics *diagnostics = zg_diagnostics_new("CHECK");
    bool good = zg_check_parse(text, choice, diagnostics);

    for (unsigned i = 0; i < zg_diagnostics_count(diagnostics); i++)
        cli_error(verb, "%s", zg_diagnostics_get(diagnostics, i)->message);
    zg_diagnostics_free(diagnostics);
    return good;
}

/* Reads the bytes of one of the options. CLI_YES, or the status, with a message printed. */
static int read_bytes(const struct cli_verb *verb, const char *hex, const char *text, const char *file,
                      struct request *request)
{
    g_autoptr(GError) error = NULL;
    char *content = NULL;
    gsize length = 0;

    if (hex)
        request->bytes = zg_bytes_from_hex(hex, &error);
    else if (text)
        request->bytes = g_byte_array_append(g_byte_array_new(), (const guint8 *)text, (guint)strlen(text));
    else if (file && g_file_get_contents(file, &content, &length, &error))
        request->bytes = g_byte_array_new_take((guint8 *)content, length);
    if (!error)
        return CLI_YES;
    cli_error(verb, "%s", error->message);
    return file ? CLI_TROUBLE : CLI_NO;
}

/* Reads the value that was seen, in hex digits, as many bytes as the check has. */
static bool read_seen(const struct cli_verb *verb, const char *text, struct request *request)
{
    g_autoptr(GError) error = NULL;
    g_autoptr(GByteArray) bytes = zg_bytes_from_hex(text, &error);
    unsigned size = (request->choice.crc.width + 7) / 8;

    if (!bytes)
        cli_error(verb, "--find: %s", error->message);
    else if (bytes->len != size)
        cli_error(verb, "--find: the check has %u byte%s, \"%s\" has %u", size, size == 1 ? "" : "s", text, bytes->len);
    for (unsigned i = 0; bytes && i < bytes->len; i++)
        request->seen = request->seen << 8 | bytes->data[i];
    return bytes && bytes->len == size;
}

static bool options_fit(const struct cli_verb *verb, unsigned sources, const char *find_text, bool table)
{
    if (sources > 1)
        cli_error(verb, "give one of --hex, --text and --file");
    else if (find_text && sources == 0)
        cli_error(verb, "--find needs the bytes that the value belongs to: --hex, --text or --file");
    else if (table && (sources > 0 || find_text))
        cli_error(verb, "--table takes no bytes");
    else
        return true;
    return false;
}

static int run(const struct cli_verb *verb, int argc, char **argv)
{
    g_autofree char *hex = NULL, *text = NULL, *file = NULL, *find_text = NULL;
    gboolean as_json = FALSE, table = FALSE;
    struct request request = { 0 };
    GOptionEntry entries[] = {
        { "hex", 0, 0, G_OPTION_ARG_STRING, &hex, "The check value of these bytes", "HEX" },
        { "text", 0, 0, G_OPTION_ARG_STRING, &text, "The check value of a text's bytes", "TEXT" },
        { "file", 0, 0, G_OPTION_ARG_FILENAME, &file, "The check value of a file's bytes", "FILE" },
        { "find", 0, 0, G_OPTION_ARG_STRING, &find_text, "Which similar settings give this value for the bytes",
          "VALUE" },
        { "table", 0, 0, G_OPTION_ARG_NONE, &table, "The CRC's look-up table and its use, as C", NULL },
        { "json", 0, 0, G_OPTION_ARG_NONE, &as_json, "Print one JSON document", NULL },
        G_OPTION_ENTRY_NULL
    };

    if (!cli_parse(verb, entries, &argc, &argv, 1, 1))
        return CLI_USAGE;
    unsigned sources = (hex ? 1U : 0U) + (text ? 1U : 0U) + (file ? 1U : 0U);
    if (!options_fit(verb, sources, find_text, table))
        return CLI_USAGE;
    request.as_json = as_json;
    int status = read_choice(verb, argv[1], &request.choice) ? read_bytes(verb, hex, text, file, &request) : CLI_NO;
    if (status == CLI_YES && find_text && !read_seen(verb, find_text, &request))
        status = CLI_NO;
    if (status == CLI_YES && table && request.choice.kind != ZG_CHECK_CRC) {
        cli_error(verb, "%s is no CRC and has no table", request.choice.name);
        status = CLI_NO;
    } else if (status == CLI_YES && table) {
        g_autofree char *code = zg_crc_table_as_c(&request.choice.crc);
        cli_print("%s", code);
    } else if (status == CLI_YES && find_text) {
        status = find(&request);
    } else if (status == CLI_YES) {
        (as_json ? print_json : print_text)(&request);
    }
    g_clear_pointer(&request.bytes, g_byte_array_unref);
    g_free(request.choice.name);
    return cli_finish(verb, status);
}

const struct cli_verb cli_crc = { "crc", "CHECK", "Check values; what a check detects; which settings give a value",
                                  "zeugma crc crc16/modbus --hex '01 03 00 00 00 0A'", run };
