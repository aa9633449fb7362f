#!/usr/bin/env python3
"""Makes the plain comments of a public header what doxygen reads: doxygen-filter.py HEADER.

The first comment describes the file, one before a declaration describes that, one after a member or constant describes that.
What is private stays a plain comment, or is left out."""
import re
import sys

COMMENT = re.compile(r"/\*.*?\*/", re.S)


def escaped(text):
    """Words that doxygen would take for commands or markup."""
    return re.sub(r"([<>#@%])", r"\\\1", text.replace("\\", "\\\\")).replace("`", "'")


def described(text):
    """One header with doxygen's comments."""
    out, at, described_file = [], 0, False
    for match in COMMENT.finditer(text):
        before, comment = text[at:match.start()], match.group()
        at = match.end()
        out.append(before)
        line = text[text.rfind("\n", 0, match.start()) + 1:match.start()]
        body = comment[2:-2]
        if "SPDX" in body or line.lstrip().startswith("#") or body.strip().startswith(("Private", "private")):
            out.append(comment)
        elif not described_file:
            described_file = True
            out.append("/** @file\n" + escaped(body) + "*/")
        else:
            out.append(("/**<" if line.strip() else "/**") + escaped(body) + "*/")
    out.append(text[at:])
    # Members below a line "private" are not the caller's, up to some that may be read.
    return re.sub(r"(\n\s*/\* private \*/\n)(.*?)(\n\};|\n\s*/\*\* read only)", r"\1/** @cond */\2\n/** @endcond */\3", "".join(out),
                  flags=re.S)


with open(sys.argv[1], encoding="utf-8") as header:
    sys.stdout.write(described(header.read()))
