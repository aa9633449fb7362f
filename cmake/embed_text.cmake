# Writes the file SOURCE as the text NAME, declared in HEADER, into OUTPUT.
file(READ ${SOURCE} bytes HEX)
string(REGEX REPLACE "([0-9a-f][0-9a-f])" "0x\\1," bytes "${bytes}")
file(WRITE ${OUTPUT} "#include \"${HEADER}\"\n\nconst char ${NAME}[] = { ${bytes} 0 };\n")
