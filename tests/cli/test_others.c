/* SPDX-License-Identifier: MIT */
/* Text layouts held against software of others: a filter for JSON, a library for sentences with `$` and `*hh`, and one
 * that controls instruments. */
#include "processes.h"

#include <string.h>
#include <sys/socket.h>
#include <unistd.h>

static const char definitions[] =
    "climate.yaml\n"
    "zeugma: 1\nprotocol: climate\nversion: 1.0\n"
    "frame: { framing: { kind: marks, end: \"\\n\" }, check: none, max_payload: 600, layout: json }\n"
    "messages:\n  climate: { from: device, fields: { kind: { const: \"climate\" }, temp: { type: i16, scale: 0.01, "
    "key: t "
    "}, "
    "name: \"text[..60]\", on: bool, steps: \"u8[..9]\", humidity: { type: u8, key: rh, optional: true } } }\n"
    "\f"
    "depth.yaml\n"
    "zeugma: 1\nprotocol: depth\nversion: 1.0\n"
    "frame: { framing: { kind: marks, start: \"$\", end: \"\\r\\n\" }, check: { name: xor8, as: hex, after: \"*\", "
    "covers: "
    "payload }, max_payload: 80 }\n"
    "messages:\n  depth: { from: device, layout: { pattern: \"SDDPT,{depth},{offset},{range}\" }, fields: { depth: { "
    "type: u16, scale: 0.1 }, offset: { type: i8, scale: 0.1 }, range: { type: u16, optional: true } } }\n"
    "\f"
    "meter.yaml\n"
    "zeugma: 1\nprotocol: meter\nversion: 1.0\n"
    "frame: { framing: { kind: marks, end: \"\\n\" }, check: none, max_payload: 40 }\n"
    "messages:\n"
    "  ask_volts: { from: host, tag: \"VOLT?\", ticket: none, reply: volts, fields: {} }\n"
    "  volts: { from: device, layout: { pattern: \"{volts}\" }, fields: { volts: { type: i16, scale: 0.001, range: "
    "[-12, "
    "12] } } }\n";

static int write_definitions(void **state)
{
    g_auto(GStrv) files = g_strsplit(definitions, "\f", -1);

    (void)state;
    for (char **file = files; *file; file++) {
        char *text = strchr(*file, '\n');
        *text++ = '\0';
        g_autofree char *path = g_build_filename(test_folder, *file, NULL);
        assert_true(g_file_set_contents(path, text, -1, NULL));
    }
    return 0;
}

/* Runs a script that drives the command, whose arguments follow; what it asserts is what is tested. */
static void run_script(const char *script, const char *more)
{
    g_autofree char *path = g_build_filename(test_folder, "script.py", NULL);
    g_autofree char *command =
        g_strdup_printf(TEST_PYTHON " -W ignore %s " TEST_ZEUGMA " %s %s", path, test_folder, more);

    assert_true(g_file_set_contents(path, script, -1, NULL));
    struct process process = test_start_program(command);
    if (test_finish(&process, 0) != 0)
        fail_msg("%s%s", process.text->str, process.errors->str);
    test_assert_in(process.text->str, "all is well");
    test_clear(&process);
}

/* What a general tool writes is read, in any spelling; what is written, it reads. */
static void test_json(void **state)
{
    static const char script[] =
        "import json, random, subprocess, sys\n"
        "zeugma, folder = sys.argv[1], sys.argv[2]\n"
        "random.seed(5)\n"
        "lines, wanted = [], []\n"
        "for i in range(200):\n"
        "    value = {'t': round(random.uniform(-300, 300), random.choice((0, 1, 2))), 'kind': 'climate',\n"
        "             'name': ''.join(random.choice('aB\\u00e9\\u4e2d\\U0001F600\"\\\\/\\t\\b') for _ in "
        "range(random.randrange(9))),\n"
        "             'on': random.choice((True, False)), 'steps': [random.randrange(256) for _ in "
        "range(random.randrange(10))]}\n"
        "    if random.random() < 0.5:\n"
        "        value['rh'] = random.randrange(101)\n"
        "    if random.random() < 0.3:\n"
        "        value['new'] = [{'deep': [None, True, 1e300]}, 'x']\n"
        "    items = list(value.items())\n"
        "    random.shuffle(items)\n"
        "    lines.append(json.dumps(dict(items), ensure_ascii=random.random() < 0.5,\n"
        "                            separators=random.choice(((',', ':'), (', ', ' : ')))))\n"
        "    wanted.append(value)\n"
        "spelled = subprocess.run(['jq', '-c', '--unbuffered', '.'], input='\\n'.join(lines), text=True, "
        "capture_output=True,\n"
        "                         check=True).stdout.splitlines()\n"
        "assert len(spelled) == len(lines)\n"
        "for texts in lines, spelled:\n"
        "    told = subprocess.run([zeugma, 'decode', folder + '/climate.yaml', '--json', '-'], "
        "input='\\n'.join(texts) + '\\n',\n"
        "                          text=True, capture_output=True, check=False).stdout.splitlines()\n"
        "    assert len(told) == len(texts) and all('fields' in line for line in told), [line for line in told if "
        "'fields' not in line]\n"
        "    for line, value in zip(told, wanted):\n"
        "        fields = json.loads(line)['fields']\n"
        "        assert fields['name'] == value['name'] and fields['on'] == value['on'] and fields['steps'] == "
        "value['steps'], line\n"
        "        assert fields['temp'] == value['t'] and fields.get('humidity') == value.get('rh'), (line, value)\n"
        "for value in wanted[:20]:\n"
        "    fields = {'temp': value['t'], 'name': value['name'], 'on': value['on'], 'steps': value['steps']}\n"
        "    sent = subprocess.run([zeugma, 'encode', folder + '/climate.yaml', 'climate', json.dumps(fields), "
        "'--binary'],\n"
        "                          capture_output=True, check=True).stdout\n"
        "    again = json.loads(subprocess.run(['jq', '-c', '.'], input=sent, capture_output=True, "
        "check=True).stdout)\n"
        "    assert again == {key: value[key] for key in ('kind', 't', 'name', 'on', 'steps')}, (again, value)\n"
        "print('all is well')\n";
    (void)state;
    run_script(script, "");
}

static void test_sentences(void **state)
{
    static const char script[] =
        "import json, pynmea2, subprocess, sys\n"
        "zeugma, folder = sys.argv[1], sys.argv[2]\n"
        "wanted = [(d / 10, o / 10, r) for d, o, r in zip(range(3, 6000, 61), range(-120, 120, 3), [None, 50] * 40)]\n"
        "theirs = ''.join(str(pynmea2.DPT('SD', 'DPT', ('%.1f' % d, '%.1f' % o, '' if r is None else str(r)))) + "
        "'\\r\\n'\n"
        "                 for d, o, r in wanted)\n"
        "told = subprocess.run([zeugma, 'decode', folder + '/depth.yaml', '--json', '-'], input=theirs, text=True,\n"
        "                      capture_output=True, check=True).stdout.splitlines()\n"
        "assert len(told) == len(wanted), told\n"
        "for line, (d, o, r) in zip(told, wanted):\n"
        "    fields = json.loads(line)['fields']\n"
        "    assert (fields['depth'], fields['offset'], fields.get('range')) == (d, o, r), line\n"
        "for d, o, r in wanted[:12]:\n"
        "    fields = {'depth': d, 'offset': o, **({} if r is None else {'range': r})}\n"
        "    ours = subprocess.run([zeugma, 'encode', folder + '/depth.yaml', 'depth', json.dumps(fields), "
        "'--binary'],\n"
        "                          capture_output=True, check=True).stdout.decode()\n"
        "    read = pynmea2.parse(ours.strip(), check=True)\n"
        "    assert (float(read.depth), float(read.offset)) == (d, o), ours\n"
        "print('all is well')\n";
    (void)state;
    run_script(script, "");
}

static void test_instrument(void **state)
{
    static const char script[] =
        "import pyvisa, sys\n"
        "meter = pyvisa.ResourceManager('@py').open_resource('TCPIP::127.0.0.1::%s::SOCKET' % sys.argv[3])\n"
        "meter.read_termination = meter.write_termination = '\\n'\n"
        "meter.timeout = 5000\n"
        "values = [float(meter.query('VOLT?')) for _ in range(20)]\n"
        "assert all(-12 <= value <= 12 for value in values), values\n"
        "meter.close()\n"
        "print('all is well')\n";
    unsigned port;
    (void)state;
    assert_int_equal(close(test_bind_anywhere(SOCK_STREAM, &port)), 0);
    g_autofree char *number = g_strdup_printf("%u", port);
    struct process device = test_start("sim meter.yaml --on tcp:127.0.0.1:%u", port);
    test_await(&device, "Ctrl-C ends it");
    run_script(script, number);
    test_end(&device);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test_setup_teardown(test_json, write_definitions, test_kill_running),
        cmocka_unit_test_setup_teardown(test_sentences, write_definitions, test_kill_running),
        cmocka_unit_test_setup_teardown(test_instrument, write_definitions, test_kill_running)
    };
    return test_run_processes(tests, G_N_ELEMENTS(tests));
}
