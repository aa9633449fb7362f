# zeugma_generate(NAME PROTOCOL DEFINITION): a library NAME_generated of the C that a definition of this protocol becomes.
function(zeugma_generate name protocol definition)
  set(folder ${CMAKE_CURRENT_BINARY_DIR}/${name})
  set(generated)
  foreach(part "" _physical _text _device _host)
    list(APPEND generated ${folder}/${protocol}${part}.c)
  endforeach()
  # Files whose bytes would not change keep their time, so that nothing is compiled again for them.
  add_custom_command(OUTPUT ${folder}.log BYPRODUCTS ${generated}
    COMMAND zeugma generate ${definition} -o ${folder} --force > ${folder}.log
    DEPENDS zeugma ${definition} VERBATIM COMMENT "Generating C for ${name}")
  add_library(${name}_generated STATIC ${generated} ${folder}.log)
  target_include_directories(${name}_generated PUBLIC ${folder})
  target_link_libraries(${name}_generated PUBLIC zeugma_runtime)
endfunction()
