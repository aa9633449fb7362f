/* SPDX-License-Identifier: MIT */
/* Generated vectors, checked by the interpreter, the generated C and the generated Python. */
#include "generated.h"
#include "random_definition.h"

#include <dlfcn.h>

#include <json-glib/json-glib.h>
#include <string.h>

#include "codec/frame.h"
#include "codec/from_json.h"
#include "codec/hex.h"
#include "codec/payload.h"
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
    "in kind._steps if s.name in fields or not s.optional})\n"
    "def kind(name):\n"
    "    name = ''.join(w[:1].upper() + w[1:] for w in name.split('_'))\n"
    "    return kinds[name if name in kinds else name + '_']\n"
    "held = 0\n"
    "for v in vectors['frames']:\n"
    "    m = block(kind(v['message']), v['fields'])\n"
    "    h, t = v['header'], 2 * m.TICKET_SIZE\n"
    "    assert m.pack().hex() == v['payload'][t:], v\n"
    "    assert p.encode(m, **h).hex() == v['frame'], v\n"
    "    r = p.Receiver()\n"
    "    f, = list(r.feed(bytes.fromhex(v['frame']))) + list(r.pause())\n"
    "    assert f.message.pack().hex() == v['payload'][t:] and f.message == type(m).unpack(m.pack()), v\n"
    "    assert all(f.header[k] == h[k] for k in h), v\n"
    "    held += 1\n"
    "for v in vectors['payloads']:\n"
    "    k, data = kind(v['message']), bytes.fromhex(v['payload'])\n"
    "    if len(data) < k.TICKET_SIZE: assert v['refused'], v; held += 1; continue\n"
    "    try: m = k.unpack(data[k.TICKET_SIZE:])\n"
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

/* What checks the vectors besides Python, and how far in the file's text it is. */
struct holding {
    const struct zg_plan *plan;
    void *c; /* the generated C */
    const char *at;
};

/* The text of the next object with that name, unchanged: the JSON library would write its numbers differently. */
static char *next_object(struct holding *holding, const char *name)
{
    const char *begin = strstr(holding->at, name) + strlen(name);
    unsigned depth = 0;
    bool inside = false;

    for (holding->at = begin; holding->at == begin || depth > 0; ++holding->at) {
        inside = inside != (*holding->at == '"');
        if (inside && *holding->at == '\\')
            ++holding->at;
        else if (!inside)
            depth += (unsigned)(*holding->at == '{') - (unsigned)(*holding->at == '}');
    }
    return g_strndup(begin, (gsize)(holding->at - begin));
}

/* The vector's fields, read as a user's JSON. */
static struct zg_value *next_values(struct holding *holding, const struct zg_plan_message *message)
{
    g_autofree char *text = next_object(holding, "\"fields\": ");
    struct zg_value *values = zg_values_new(&message->payload);
    g_autoptr(GError) error = NULL;

    if (!zg_values_from_json(message, text, values, &error))
        fail_msg("%s: %s", error->message, text);
    return values;
}

/* The generated C reads the same values from the payload and makes the same payload from them, or refuses it. */
static void hold_by_c(const struct holding *holding, const struct zg_plan_message *message, const GByteArray *payload,
                      const struct zg_value *values)
{
    static char text[1000000];
    static uint8_t out[65536];
    unsigned tickets = message->tickets;
    size_t size = 0;
    int check = 0, packed = 0;
    test_glue *glue;

    if (payload->len < tickets)
        return;
    *(void **)&glue = test_symbol(holding->c, "glue_", message->message->name);
    const uint8_t *fields = payload->len > 0 ? payload->data + tickets : out;
    int result = glue(fields, payload->len - tickets, text, &check, out, sizeof out, &size, &packed);
    if (!values) {
        assert_true(result < 0);
        return;
    }
    g_autoptr(GString) dump = g_string_new(NULL);
    test_dump(dump, &message->payload, values);
    if (result != 0)
        fail_msg("%s of %u bytes: %d for %s", message->message->name, payload->len, result, dump->str);
    assert_string_equal(dump->str, text);
    assert_int_equal(check, 0);
    const struct zg_header header = { 0 };
    assert_int_equal(tickets + size, zg_payload_size(message, values));
    g_autofree uint8_t *wanted = g_malloc(tickets + size + 1);
    zg_payload_pack(message, &header, values, wanted);
    if (size > 0)
        assert_memory_equal(out, wanted + tickets, size);
}

/* Header and check of a frame, made by the generated C. */
static void hold_frame_by_c(const struct holding *holding, const struct zg_header *header, const GByteArray *payload,
                            const GByteArray *frame)
{
    const struct zg_plan *plan = holding->plan;
    const struct zg_check *check = *(const struct zg_check *const *)test_symbol(holding->c, "glue", "_check");
    void (*write_header)(void *owner, const struct zg_header *header, uint8_t *at);
    g_autofree uint8_t *memory = g_malloc(plan->receive_room), *made = g_malloc0(plan->max_content);
    size_t covered = MAX(plan->header.size + payload->len + check->size, plan->filled) - check->size;
    struct zg_decoder decoder;
    enum zg_framing_event event;

    zg_decoder_init(&decoder, &plan->framer.framing, plan->max_content, memory, plan->receive_room);
    assert_int_equal(zg_decoder_take(&decoder, &plan->framer.framing, frame->data, frame->len, &event), frame->len);
    if (plan->gap_ns > 0)
        zg_decoder_pause(&decoder, &plan->framer.framing, &event);
    assert_int_equal(event, ZG_FRAMING_CONTENT);
    *(void **)&write_header = test_symbol(holding->c, "glue", "_write_header");
    write_header(NULL, header, made);
    if (payload->len > 0)
        memcpy(made + plan->header.size, payload->data, payload->len);
    covered += zg_check_write(check, zg_check_value(check, made, covered), made + covered);
    assert_int_equal(decoder.length, covered);
    assert_memory_equal(made, decoder.content, decoder.length);
}

static void hold_frame(struct holding *holding, JsonObject *vector)
{
    const struct zg_plan *plan = holding->plan;
    const struct zg_plan_message *message = zg_plan_by_name(plan, json_object_get_string_member(vector, "message"));
    struct zg_header header = { .id = (uint32_t)message->message->id, .minor = plan->minor };
    g_autofree char *roles = next_object(holding, "\"header\": ");
    g_autoptr(GByteArray) payload = hex_member(vector, "payload");
    g_autoptr(GByteArray) frame = hex_member(vector, "frame");
    struct zg_value *values = next_values(holding, message);
    g_autofree uint8_t *packed = g_malloc(plan->max_payload);

    assert_true(zg_header_from_json(plan, message, roles, &header, NULL));
    assert_int_equal(zg_payload_size(message, values), payload->len);
    zg_payload_pack(message, &header, values, packed);
    if (payload->len > 0)
        assert_memory_equal(packed, payload->data, payload->len);
    g_autoptr(GByteArray) made = zg_frame_of(plan, message, &header, packed, payload->len);
    assert_int_equal(made->len, frame->len);
    assert_memory_equal(made->data, frame->data, frame->len);
    header.length = payload->len;
    hold_by_c(holding, message, payload, values);
    hold_frame_by_c(holding, &header, payload, frame);
    zg_values_free(&message->payload, values);
}

static void hold_payload(struct holding *holding, JsonObject *vector)
{
    const struct zg_plan *plan = holding->plan;
    const struct zg_plan_message *message = zg_plan_by_name(plan, json_object_get_string_member(vector, "message"));
    const struct zg_block *block = &message->payload;
    g_autoptr(GByteArray) payload = hex_member(vector, "payload");
    struct zg_value *values = zg_values_new(block);
    struct zg_header header;
    size_t ignored;
    bool good = zg_payload_unpack(message, payload->data, payload->len, &header, values, &ignored);

    assert_int_equal(good, !json_object_get_boolean_member(vector, "refused"));
    if (good) {
        struct zg_value *wanted = next_values(holding, message);
        g_autoptr(GString) dump = g_string_new(NULL), wanted_dump = g_string_new(NULL);
        assert_true(zg_block_permits(block, values, NULL));
        test_dump(dump, block, values);
        test_dump(wanted_dump, block, wanted);
        assert_string_equal(dump->str, wanted_dump->str);
        zg_values_free(block, wanted);
    }
    hold_by_c(holding, message, payload, good ? values : NULL);
    zg_values_free(block, values);
}

/* By the interpreter and the generated C. */
static unsigned hold_all(const struct zg_plan *plan, void *c, const char *text)
{
    struct holding holding = { plan, c, text };
    g_autoptr(JsonParser) parser = json_parser_new();
    assert_true(json_parser_load_from_data(parser, text, -1, NULL));
    JsonObject *root = json_node_get_object(json_parser_get_root(parser));
    JsonArray *frames = json_object_get_array_member(root, "frames");
    JsonArray *payloads = json_object_get_array_member(root, "payloads");

    for (unsigned i = 0; i < json_array_get_length(frames); i++)
        hold_frame(&holding, json_array_get_object_element(frames, i));
    for (unsigned i = 0; i < json_array_get_length(payloads); i++)
        hold_payload(&holding, json_array_get_object_element(payloads, i));
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
    const char *argv[] = { TEST_PYTHON, "-W", "error", script, folder, name, NULL };
    g_autofree char *out = NULL, *err = NULL;
    int status = 0;

    void *c = test_build_c(plan.plan, folder);
    unsigned held = hold_all(plan.plan, c, vectors->text);
    dlclose(c);
    assert_true(held >= least);
    assert_true(zg_generated_write(files, folder, false, NULL) && zg_generated_write(module, folder, false, NULL));
    assert_true(g_file_set_contents(script, holder, -1, NULL));
    assert_true(g_spawn_sync(NULL, (char **)argv, NULL, G_SPAWN_SEARCH_PATH, NULL, NULL, &out, &err, &status, NULL));
    if (status != 0 || atoi(out) != (int)held)
        fail_msg("%s%s", out, strlen(err) > 900 ? err + strlen(err) - 900 : err);
    test_remove_folder(folder);
    test_plan_clear(&plan);
}

/* A definition's text with "_" after its protocol's name, in case that is the name of a Python module. */
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
    for (size_t i = 0; i < G_N_ELEMENTS(texts); i += TEST_SHARE) {
        g_autofree char *text = renamed(texts[i]);
        hold(text, 30);
    }
    g_autofree char *text = renamed(loom);
    hold(text, 50);
    g_autofree char *weigher = test_data("codec/weigher.yaml");
    g_autofree char *lines = renamed(weigher);
    hold(lines, 80);
}

static void test_random_definitions(void **state)
{
    struct zg_random random = zg_random_seeded(12, 0);
    (void)state;
    for (unsigned i = 0; i < test_rounds(3); i++) {
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
