#!/bin/sh
# Whether a program built with ZG_AVR_OWN_REGISTERS leaves r2 to r5 to the USART's two interrupts: check_registers.sh ELF.
# Functions of the C library, which are not compiled with the program, may use them; those are named, and the status is 1.
set -eu
[ $# -eq 1 ] || { echo "usage: check_registers.sh ELF" >&2; exit 2; }
begin=$(avr-nm "$1" | awk '$3 == "__dtors_end" { print "0x" $1 }') # behind the tables, which are no code
code=$(avr-objdump -d --no-show-raw-insn --start-address="${begin:-0}" "$1")
printf '%s\n' "$code" | awk -v elf="$1" '
/^[0-9a-f]+ <.*>:$/ { name = substr($2, 2, length($2) - 3); next }
name == "__vector_18" || name == "__vector_19" { seen = 1; next }
/[ \t]r[2-5](,|$)/ && !(name in found) { found[name] = bad = 1; print elf ": " name " uses" $0 }
END {
    if (!seen)
        print elf ": the interrupts of the USART are missing"
    if (bad)
        print elf ": r2 to r5 are the interrupts\047: build all of it with -ffixed-r2 to -ffixed-r5, and do without such functions"
    exit !seen || bad
}'
