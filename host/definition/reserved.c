/* SPDX-License-Identifier: MIT */
#include "definition/reserved.h"

#include <glib.h>

#include "definition/words.h"

bool zgi_is_keyword(const char *word)
{
    static const char *const keywords[] = {
        /* C11, 6.4.1 */
        "auto", "break", "case", "char", "const", "continue", "default", "do", "double", "else", "enum", "extern",
        "float", "for", "goto", "if", "inline", "int", "long", "register", "restrict", "return", "short", "signed",
        "sizeof", "static", "struct", "switch", "typedef", "union", "unsigned", "void", "volatile", "while", "_Alignas",
        "_Alignof", "_Atomic", "_Bool", "_Complex", "_Generic", "_Imaginary", "_Noreturn", "_Static_assert",
        "_Thread_local",
        /* Python 3, 2.3.1 */
        "False", "None", "True", "and", "as", "assert", "async", "await", "class", "def", "del", "elif", "except",
        "finally", "from", "global", "import", "in", "is", "lambda", "nonlocal", "not", "or", "pass", "raise", "try",
        "with", "yield", NULL
    };
    return g_strv_contains(keywords, word);
}

bool zgi_is_macro(const char *word)
{
    static const char *const macros[] = { "bool", "true", "false", "NULL", "offsetof", "INFINITY", "NAN", NULL };
    return g_strv_contains(macros, word);
}

bool zgi_is_cpp_keyword(const char *word)
{
    static const char *const keywords[] = { /* C++20, 5.11 and 5.5, without those that C or Python has */
                                            "alignas",
                                            "alignof",
                                            "and_eq",
                                            "asm",
                                            "bitand",
                                            "bitor",
                                            "catch",
                                            "char8_t",
                                            "char16_t",
                                            "char32_t",
                                            "co_await",
                                            "co_return",
                                            "co_yield",
                                            "compl",
                                            "concept",
                                            "const_cast",
                                            "consteval",
                                            "constexpr",
                                            "constinit",
                                            "decltype",
                                            "delete",
                                            "dynamic_cast",
                                            "explicit",
                                            "export",
                                            "friend",
                                            "mutable",
                                            "namespace",
                                            "new",
                                            "noexcept",
                                            "not_eq",
                                            "nullptr",
                                            "operator",
                                            "or_eq",
                                            "private",
                                            "protected",
                                            "public",
                                            "reinterpret_cast",
                                            "requires",
                                            "static_assert",
                                            "static_cast",
                                            "template",
                                            "this",
                                            "thread_local",
                                            "throw",
                                            "typeid",
                                            "typename",
                                            "using",
                                            "virtual",
                                            "wchar_t",
                                            "xor",
                                            "xor_eq",
                                            NULL
    };
    return g_strv_contains(keywords, word);
}

bool zgi_is_library(const char *word)
{
    static const char *const names[] = {
        /* C11, 7.1.2 */
        "assert", "complex", "ctype", "errno", "fenv", "float", "inttypes", "iso646", "limits", "locale", "math",
        "setjmp", "signal", "stdalign", "stdarg", "stdatomic", "stdbool", "stddef", "stdint", "stdio", "stdlib",
        "stdnoreturn", "string", "tgmath", "threads", "time", "uchar", "wchar", "wctype",
        /* modules of Python 3 whose name is one plain word */
        "abc", "argparse", "array", "ast", "asyncio", "base64", "bisect", "builtins", "calendar", "cmd", "code",
        "codecs", "collections", "copy", "csv", "ctypes", "curses", "dataclasses", "datetime", "decimal", "dis",
        "email", "enum", "fractions", "functools", "getopt", "glob", "graphlib", "gzip", "hashlib", "heapq", "hmac",
        "html", "http", "inspect", "io", "itertools", "json", "keyword", "logging", "mailbox", "marshal", "mmap",
        "numbers", "operator", "os", "pathlib", "pickle", "platform", "pprint", "profile", "queue", "random", "re",
        "sched", "secrets", "select", "selectors", "shelve", "shutil", "site", "socket", "sqlite3", "ssl", "stat",
        "statistics", "struct", "subprocess", "symtable", "sys", "tarfile", "tempfile", "test", "textwrap", "threading",
        "timeit", "token", "tokenize", "trace", "traceback", "types", "typing", "unittest", "uuid", "warnings", "wave",
        "weakref", "xml", "zipfile", "zlib", NULL
    };
    return g_strv_contains(names, word);
}

char *zgi_name_fault(const char *word, const char *what)
{
    if (!zgi_is_identifier(word))
        return g_strdup_printf("\"%s\" cannot name %s; expected a letter, then letters, digits and underscores", word,
                               what);
    if (zgi_is_keyword(word))
        return g_strdup_printf("\"%s\" is a keyword of C or Python and cannot name %s; choose another", word, what);
    return NULL;
}
