/* SPDX-License-Identifier: MIT */
/* What may stand in a place of the command line, for the shells' completion. Nothing is printed where a file belongs:
 * then the shell completes files. */
#include "cli.h"

#include <string.h>

#include "definition/check_choice.h"
#include "link/address.h"
#include "posix/serial.h"

struct place {
    const char *word; /* which is typed now, may be "" */
    char **before;    /* the words before it; the first is the verb */
    unsigned count;
    GPtrArray *arguments; /* those of them that are arguments of the verb, not options */
};

static void offer(const struct place *place, const char *candidate)
{
    if (g_str_has_prefix(candidate, place->word))
        cli_print("%s\n", candidate);
}

/* --- what a definition has */

static void offer_messages(const struct place *place, const struct zg_plan *plan)
{
    for (unsigned i = 0; i < plan->messages->len; i++)
        offer(place, zg_plan_message_at(plan, i)->message->name);
}

/* MESSAGE, FIELD and MESSAGE.FIELD. */
static void offer_fields(const struct place *place, const struct zg_plan *plan)
{
    offer_messages(place, plan);
    for (unsigned i = 0; i < plan->messages->len; i++) {
        const struct zg_plan_message *item = zg_plan_message_at(plan, i);
        for (unsigned k = 0; k < item->payload.steps->len; k++) {
            const struct zg_step *step = zg_block_step(&item->payload, k);
            g_autofree char *whole = g_strdup_printf("%s.%s", item->message->name, step->name);
            offer(place, whole);
        }
    }
}

static void offer_variables(const struct place *place, const struct zg_plan *plan)
{
    for (unsigned i = 0; i < plan->variables->len; i++) {
        const struct zg_variable *variable = zg_plan_variable_at(plan, i)->variable;
        g_autofree char *write = g_strdup_printf("%s=", zg_variable_field(variable)->name);
        offer(place, zg_variable_field(variable)->name);
        if (variable->access & ZG_ACCESS_WRITE)
            offer(place, write);
    }
}

/* The fields of the message before the word, as an object to fill in. */
static void offer_object(const struct place *place, const struct zg_plan *plan)
{
    const char *name = g_ptr_array_index(place->arguments, place->arguments->len - 1);
    const struct zg_plan_message *item = zg_plan_by_name(plan, name);
    g_autoptr(GString) object = g_string_new("'{");

    for (unsigned i = 0; item && i < item->payload.steps->len; i++)
        g_string_append_printf(object, "%s\"%s\": ", i > 0 ? ", " : "", zg_block_step(&item->payload, i)->name);
    g_string_append(object, "}'");
    offer(place, object->str);
}

static void with_definition(const struct place *place, void (*show)(const struct place *, const struct zg_plan *))
{
    const struct cli_verb quiet = { .name = "--candidates" };
    struct cli_definition loaded;

    if (place->arguments->len == 0)
        return;
    if (cli_load(&quiet, g_ptr_array_index(place->arguments, 0), true, &loaded) == CLI_YES)
        show(place, loaded.plan);
    cli_definition_clear(&loaded);
}

/* --- what needs no definition */

static void offer_port(const struct zg_serial_port *port, void *data)
{
    g_autofree char *link = g_strdup_printf("serial:%s", port->path);
    offer(data, link);
}

static void offer_links(struct place *place)
{
    if (zg_serial_list("", offer_port, place) <= 0)
        offer(place, "serial:");
    for (unsigned i = ZG_ADDRESS_SERIAL + 1; i <= ZG_ADDRESS_SIM; i++) {
        g_autofree char *link = g_strdup_printf("%s:", zg_address_word((enum zg_address_kind)i));
        offer(place, link);
    }
}

/* The verb's argument in whose place the word is, in capitals as --help shows it. Free with g_free(). */
static char *argument_at(const struct cli_verb *verb, unsigned index)
{
    g_auto(GStrv) names = g_strsplit(verb->arguments, " ", -1);
    const unsigned count = g_strv_length(names);

    if (count == 0)
        return g_strdup("");
    if (g_str_has_prefix(names[count - 1], "FIELD") && index >= 2)
        return g_strdup("FIELD");
    if (strstr(verb->arguments, "[DEF LINK...]"))
        index %= 2;
    const bool repeats = g_str_has_prefix(names[count - 1], "...");
    const unsigned last = repeats ? count - 2 : count - 1;
    if (index > last && !repeats)
        return g_strdup("");
    const char *name = names[MIN(index, last)];
    return g_strndup(name + strspn(name, "["), strcspn(name + strspn(name, "["), "[]="));
}

static void offer_argument(struct place *place, const struct cli_verb *verb)
{
    g_autofree char *argument = argument_at(verb, place->arguments->len);

    if (strcmp(argument, "LINK") == 0) {
        offer_links(place);
    } else if (strcmp(argument, "MESSAGE") == 0) {
        with_definition(place, offer_messages);
    } else if (strcmp(argument, "FIELD") == 0) {
        with_definition(place, offer_fields);
    } else if (strcmp(argument, "JSON") == 0) {
        with_definition(place, offer_object);
    } else if (strcmp(argument, "NAME") == 0) {
        with_definition(place, offer_variables);
    } else if (strcmp(argument, "CHECK") == 0) {
        g_autoptr(GPtrArray) names = zg_check_names();
        for (unsigned i = 0; g_ptr_array_index(names, i); i++)
            offer(place, g_ptr_array_index(names, i));
    }
}

static void offer_options(const struct place *place, const GOptionEntry *entries)
{
    for (const GOptionEntry *entry = entries; entry->long_name; entry++) {
        g_autofree char *option = g_strdup_printf("--%s", entry->long_name);
        if (!(entry->flags & G_OPTION_FLAG_HIDDEN))
            offer(place, option);
    }
}

/* The argument of an option. */
static void offer_for_option(struct place *place, const char *option)
{
    if (strcmp(option, "show") == 0 || strcmp(option, "mark") == 0)
        with_definition(place, offer_fields);
    else if (strcmp(option, "on") == 0)
        offer_links(place);
}

static const GOptionEntry *entry_of(const GOptionEntry *entries, const char *word)
{
    for (; entries->long_name; entries++)
        if ((g_str_has_prefix(word, "--") && strcmp(word + 2, entries->long_name) == 0) ||
            (word[0] == '-' && word[1] != '-' && word[1] == entries->short_name && word[2] == '\0'))
            return entries;
    return NULL;
}

/* The words before this one decide what it is. */
static void offer_for_verb(const struct cli_verb *verb, const GOptionEntry *entries, void *data)
{
    struct place *place = data;
    const GOptionEntry *entry = NULL; /* the option whose argument comes next */

    for (unsigned i = 1; i < place->count; i++) {
        if (entry) {
            entry = NULL;
            continue;
        }
        entry = entry_of(entries, place->before[i]);
        if (entry && entry->arg == G_OPTION_ARG_NONE)
            entry = NULL;
        else if (!entry && place->before[i][0] != '-')
            g_ptr_array_add(place->arguments, place->before[i]);
    }
    if (entry)
        offer_for_option(place, entry->long_name);
    else if (place->word[0] == '-')
        offer_options(place, entries);
    else
        offer_argument(place, verb);
}

int cli_print_candidates(int count, char **words)
{
    const struct cli_verb whole = { .name = "--candidates" };
    g_autoptr(GPtrArray) arguments = g_ptr_array_new();
    struct place place = { .word = count > 0 ? words[count - 1] : "",
                           .before = words,
                           .count = count > 0 ? (unsigned)count - 1 : 0,
                           .arguments = arguments };

    for (unsigned i = 0; i < cli_verbs_length; i++) {
        if (place.count == 0)
            offer(&place, cli_verbs[i]->name);
        else if (strcmp(cli_verbs[i]->name, words[0]) == 0)
            cli_show_options(cli_verbs[i], offer_for_verb, &place);
    }
    return cli_finish(&whole, CLI_YES);
}
