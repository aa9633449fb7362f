/* SPDX-License-Identifier: MIT */
/* Words that generated code cannot use, or not everywhere. */
#ifndef DEFINITION_RESERVED_H
#define DEFINITION_RESERVED_H

#include <stdbool.h>

/* Whether C11 or Python keeps the word for itself. */
bool zgi_is_keyword(const char *word);

/* Whether a header that generated code includes makes a macro of it. */
bool zgi_is_macro(const char *word);

/* Whether it is a keyword of C++ alone. */
bool zgi_is_cpp_keyword(const char *word);

/* Whether WORD.h is a header of C11's, or WORD.py would stand for a module of Python's own. */
bool zgi_is_library(const char *word);

#endif
