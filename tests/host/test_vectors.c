/* SPDX-License-Identifier: MIT */
/* Generated vectors, held by the interpreter and by the generated Python, which share no code. */
#include "support.h"

#include <json-glib/json-glib.h>
#include <string.h>

#include "codec/frame.h"
#include "codec/values.h"
#include "generate/generate.h"

/* Builds each message from the vector's fields, packs, encodes, receives and unpacks it. */
static const char holder[] =
    "import sys, json, enum\n"
    "sys.path.insert(0, sys.argv[1])\n"
    "p = __import__(sys.argv[2] + '_')\n"
    "with open(sys.argv[1] + '/' + sys.argv[2] + '__vectors.json') as file: vectors = json.load(file)\n"
    "kinds = {m.__name__: m for m in p.MESSAGES.values()}\n"
    "def item(s, v):\n"
    "    if s.kind == 'record': return block(s.record, v)\n"
    "    if isinstance(v, list): return s.names(sum(1 << x if isinstance(x, int) else s.names[x.upper()] for x in v))\n"
    "    if isinstance(v, str): return float(v) if s.kind == 'f' else int(v) if v.lstrip('-').isdigit() else "
    "s.names[v.upper()]\n"
    "    return v\n"
    "def value(s, v):\n"
    "    if s.kind == 'text': return v\n"
    "    if s.kind == 'bytes': return bytes.fromhex(v)\n"
    "    return [item(s, x) for x in v] if s.array else item(s, v)\n"
    "def block(kind, fields):\n"
    "    return kind(**{s.name: value(s, fields[s.name.rstrip('_')] if s.name not in fields else fields[s.name]) for s "
    "in kind._steps})\n"
    "def kind(name):\n"
    "    name = ''.join(w[:1].upper() + w[1:] for w in name.split('_'))\n"
    "    return kinds[name if name in kinds else name + '_']\n"
    "held = 0\n"
    "for v in vectors['frames']:\n"
    "    m = block(kind(v['message']), v['fields'])\n"
    "    assert m.pack().hex() == v['payload'], v\n"
    "    assert p.encode(m, v['sequence']).hex() == v['frame'], v\n"
    "    f, = p.Receiver().feed(bytes.fromhex(v['frame']))\n"
    "    assert f.message.pack().hex() == v['payload'] and f.message == type(m).unpack(m.pack()), v\n"
    "    held += 1\n"
    "for v in vectors['payloads']:\n"
    "    try: m = kind(v['message']).unpack(bytes.fromhex(v['payload']))\n"
    "    except p.ProtocolError: assert v['refused'], v\n"
    "    else: assert not v['refused'] and m.pack() == block(type(m), v['fields']).pack(), v\n"
    "    held += 1\n"
    "print(held)\n";

static GByteArray *hex_member(JsonObject *vector, const char *name)
{
    GByteArray *bytes = zg_bytes_from_hex(json_object_get_string_member(vector, name), NULL);
    assert_non_null(bytes);
    return bytes;
}

/* The text of the next "fields" object, as it stands in the file: the JSON library would write its numbers anew. */
static char *next_fields(const char **at)
{
    const char *begin = strstr(*at, "\"fields\": ") + strlen("\"fields\": ");
    unsigned depth = 0;
    bool inside = false;

    for (*at = begin; *at == begin || depth > 0; ++*at) {
        inside = inside != (**at == '"');
        if (inside && **at == '\\')
            ++*at;
        else if (!inside)
            depth += (unsigned)(**at == '{') - (unsigned)(**at == '}');
    }
    return g_strndup(begin, (gsize)(*at - begin));
}

/* The vector's fields, read as a user's JSON, packed. */
static GByteArray *packed_fields(const struct zg_plan_message *message, const char **at)
{
    g_autofree char *text = next_fields(at);
    struct zg_value *values = zg_values_new(&message->payload);
    g_autoptr(GError) error = NULL;

    if (!zg_values_from_json(message, text, values, &error))
        fail_msg("%s: %s", error->message, text);
    size_t length = zg_block_size(&message->payload, values);
    g_autofree uint8_t *payload = g_malloc(length + 1);
    zg_block_pack(&message->payload, values, payload);
    zg_values_free(&message->payload, values);
    return g_byte_array_append(g_byte_array_new(), payload, (guint)length);
}

static void assert_same(const GByteArray *a, const GByteArray *b)
{
    assert_int_equal(a->len, b->len);
    if (a->len > 0)
        assert_memory_equal(a->data, b->data, a->len);
}

static void hold_frame(const struct zg_plan *plan, JsonObject *vector, const char **at)
{
    const struct zg_plan_message *message = zg_plan_by_name(plan, json_object_get_string_member(vector, "message"));
    struct zg_header header = { .id = (uint32_t)message->message->id,
                                .sequence = (uint32_t)json_object_get_int_member(vector, "sequence"),
                                .minor = plan->minor };
    g_autoptr(GByteArray) payload = hex_member(vector, "payload");
    g_autoptr(GByteArray) frame = hex_member(vector, "frame");
    g_autoptr(GByteArray) packed = packed_fields(message, at);
    g_autoptr(GByteArray) made = zg_frame_make(plan, &header, packed->data, packed->len);

    assert_same(packed, payload);
    assert_same(made, frame);
}

static void hold_payload(const struct zg_plan *plan, JsonObject *vector, const char **at)
{
    const struct zg_plan_message *message = zg_plan_by_name(plan, json_object_get_string_member(vector, "message"));
    g_autoptr(GByteArray) payload = hex_member(vector, "payload");
    struct zg_value *values = zg_values_new(&message->payload);
    size_t ignored;
    bool good = zg_block_unpack(&message->payload, payload->data, payload->len, values, &ignored);

    assert_int_equal(good, !json_object_get_boolean_member(vector, "refused"));
    if (good) {
        assert_true(zg_block_permits(&message->payload, values, NULL));
        g_autoptr(GByteArray) wanted = packed_fields(message, at);
        g_autofree uint8_t *packed = g_malloc(wanted->len + 1);
        assert_int_equal(zg_block_size(&message->payload, values), wanted->len);
        zg_block_pack(&message->payload, values, packed);
        if (wanted->len > 0)
            assert_memory_equal(packed, wanted->data, wanted->len);
    }
    zg_values_free(&message->payload, values);
}

static unsigned hold_by_interpreter(const struct zg_plan *plan, const char *text)
{
    g_autoptr(JsonParser) parser = json_parser_new();
    assert_true(json_parser_load_from_data(parser, text, -1, NULL));
    JsonObject *root = json_node_get_object(json_parser_get_root(parser));
    JsonArray *frames = json_object_get_array_member(root, "frames");
    JsonArray *payloads = json_object_get_array_member(root, "payloads");

    for (unsigned i = 0; i < json_array_get_length(frames); i++)
        hold_frame(plan, json_array_get_object_element(frames, i), &text);
    for (unsigned i = 0; i < json_array_get_length(payloads); i++)
        hold_payload(plan, json_array_get_object_element(payloads, i), &text);
    return json_array_get_length(frames) + json_array_get_length(payloads);
}

static void hold(const char *definition, unsigned least)
{
    struct test_plan plan = test_plan_of(definition);
    g_autofree char *folder = g_dir_make_tmp("zeugma-vectors-XXXXXX", NULL);
    g_autofree char *script = g_build_filename(folder, "holder.py", NULL);
    g_autoptr(GPtrArray) files = zg_generate_vectors(plan.plan);
    g_autoptr(GPtrArray) module = zg_generate_python(plan.plan);
    const struct zg_generated *vectors = g_ptr_array_index(files, 0);
    g_autofree char *name = g_strndup(plan.definition->protocol, strlen(plan.definition->protocol) - 1);
    const char *argv[] = { "python3", "-W", "error", script, folder, name, NULL };
    g_autofree char *out = NULL, *err = NULL;
    int status = 0;

    unsigned held = hold_by_interpreter(plan.plan, vectors->text);
    assert_true(held >= least);
    assert_true(zg_generated_write(files, folder, false, NULL) && zg_generated_write(module, folder, false, NULL));
    assert_true(g_file_set_contents(script, holder, -1, NULL));
    assert_true(g_spawn_sync(NULL, (char **)argv, NULL, G_SPAWN_SEARCH_PATH, NULL, NULL, &out, &err, &status, NULL));
    if (status != 0 || atoi(out) != (int)held)
        fail_msg("%s%s", out, strlen(err) > 900 ? err + strlen(err) - 900 : err);
    test_remove_folder(folder);
    test_plan_clear(&plan);
}

/* A definition's text with "_" behind its protocol's name, lest it be one of Python's modules. */
static char *renamed(const char *text)
{
    const char *name = strstr(text, "protocol: ") + strlen("protocol: ");
    size_t length = strcspn(name, "\n");
    return g_strdup_printf("%.*s_%s", (int)(name - text + (gssize)length), text, name + length);
}

static void test_known_definitions(void **state)
{
    g_autofree char *fields = test_data("codec/fields.yaml");
    g_autofree char *sound = test_data("definitions/sound.yaml");
    g_autofree char *loom = NULL;
    const char *const texts[] = { fields, sound };
    (void)state;
    assert_true(g_file_get_contents(TEST_SOURCE "/examples/loom/loom.yaml", &loom, NULL, NULL));
    for (size_t i = 0; i < G_N_ELEMENTS(texts); i++) {
        g_autofree char *text = renamed(texts[i]);
        hold(text, 30);
    }
    g_autofree char *text = renamed(loom);
    hold(text, 50);
}

static void test_random_definitions(void **state)
{
    struct zg_random random = zg_random_seeded(12, 0);
    (void)state;
    for (unsigned i = 0; i < 12; i++) {
        g_autofree char *plain = test_random_definition(&random);
        g_autofree char *text = renamed(plain);
        hold(text, 1);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_known_definitions),
                                        cmocka_unit_test(test_random_definitions) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
