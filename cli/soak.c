#include "cli.h"
static int run(const struct cli_verb *verb, int argc, char **argv){(void)verb;(void)argc;(void)argv;return 0;}
const struct cli_verb cli_soak = { "soak", "DEF LINK", "x", "x", run };
