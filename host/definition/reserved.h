/* SPDX-License-Identifier: MIT */
/* Words that generated code cannot use, or not everywhere. */
#ifndef DEFINITION_RESERVED_H
#define DEFINITION_RESERVED_H

#include <stdbool.h>

/* Whether it is a keyword of C11 or Python. */
bool zgi_is_keyword(const char *word);

/* Why a word cannot name `what` ("a protocol"), and the way out; NULL: it can. Free with g_free(). */
char *zgi_name_fault(const char *word, const char *what);

/* Whether a header that generated code includes defines a macro of this name. */
bool zgi_is_macro(const char *word);

/* Whether it is a keyword of C++ only. */
bool zgi_is_cpp_keyword(const char *word);

/* Whether WORD.h is a header of C11, or WORD.py would hide a module of Python. */
bool zgi_is_library(const char *word);

#endif
