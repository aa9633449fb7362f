# zeugma_generate(TARGET DEFINITION [FOLDER dir] [SIDE device|host|both] [PYTHON])
#
# A library TARGET of the C that a definition becomes, linked with the runtime; link it and include "PROTOCOL_device.h" or
# "PROTOCOL_host.h". It is generated again when the definition changes. SIDE: only that end (default both). PYTHON: the
# module PROTOCOL.py, too. The files go to FOLDER in the current binary folder, by default TARGET, which is also the
# target's property ZEUGMA_FOLDER.
function(zeugma_generate target definition)
  cmake_parse_arguments(PARSE_ARGV 2 generate "PYTHON" "FOLDER;SIDE" "")
  if(generate_UNPARSED_ARGUMENTS)
    message(FATAL_ERROR "zeugma_generate: unknown argument ${generate_UNPARSED_ARGUMENTS}; "
                        "expected FOLDER, SIDE or PYTHON")
  endif()
  if(NOT generate_FOLDER)
    set(generate_FOLDER ${target})
  endif()
  if(NOT generate_SIDE)
    set(generate_SIDE both)
  endif()
  set(targets c)
  if(generate_PYTHON)
    set(targets c,python)
  endif()
  get_filename_component(definition ${definition} ABSOLUTE)
  set_property(DIRECTORY APPEND PROPERTY CMAKE_CONFIGURE_DEPENDS ${definition}) # whose protocol names the files
  file(STRINGS ${definition} line REGEX "^protocol:" LIMIT_COUNT 1)
  if(NOT line MATCHES "^protocol: *\"?([A-Za-z][A-Za-z0-9_]*)")
    message(FATAL_ERROR "zeugma_generate: ${definition} has no line \"protocol: NAME\"")
  endif()
  set(protocol ${CMAKE_MATCH_1})
  set(folder ${CMAKE_CURRENT_BINARY_DIR}/${generate_FOLDER})
  set(generated ${folder}/${protocol}.c ${folder}/${protocol}_physical.c ${folder}/${protocol}_text.c)
  foreach(side device host)
    if(generate_SIDE STREQUAL side OR generate_SIDE STREQUAL both)
      list(APPEND generated ${folder}/${protocol}_${side}.c)
    endif()
  endforeach()
  # Files whose bytes would not change keep their time, so that nothing is compiled again for them.
  add_custom_command(OUTPUT ${folder}.log BYPRODUCTS ${generated}
    COMMAND $<TARGET_FILE:zeugma::zeugma> generate ${definition} -o ${folder} --target ${targets} --side ${generate_SIDE}
            --force > ${folder}.log
    DEPENDS $<TARGET_FILE:zeugma::zeugma> ${definition} VERBATIM COMMENT "Generating code from ${protocol}")
  add_library(${target} STATIC ${generated} ${folder}.log)
  target_include_directories(${target} PUBLIC ${folder})
  target_link_libraries(${target} PUBLIC zeugma::runtime)
  set_target_properties(${target} PROPERTIES ZEUGMA_FOLDER ${folder})
endfunction()
