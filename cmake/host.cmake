# The host's library and the command.
find_package(PkgConfig REQUIRED)
pkg_check_modules(GLIB REQUIRED IMPORTED_TARGET glib-2.0)
pkg_check_modules(YAML REQUIRED IMPORTED_TARGET yaml-0.1)
pkg_check_modules(GMP REQUIRED IMPORTED_TARGET gmp)
pkg_check_modules(PCAP REQUIRED IMPORTED_TARGET libpcap)
pkg_check_modules(SQLITE REQUIRED IMPORTED_TARGET sqlite3)
pkg_check_modules(NCURSES REQUIRED IMPORTED_TARGET ncursesw)
if(ZEUGMA_PICTURES)
  pkg_check_modules(CAIRO IMPORTED_TARGET cairo cairo-svg cairo-pdf fontconfig)
  if(NOT CAIRO_FOUND)
    message(WARNING "There is no cairo: zeugma will draw no pictures.")
  endif()
endif()

if(ZEUGMA_PAGE)
  pkg_check_modules(SOUP IMPORTED_TARGET libsoup-3.0)
  if(NOT SOUP_FOUND)
    message(WARNING "There is no libsoup 3: zeugma will serve no page.")
  endif()
endif()

file(GLOB_RECURSE HOST_SOURCES CONFIGURE_DEPENDS host/*.c)
if(CAIRO_FOUND)
  list(FILTER HOST_SOURCES EXCLUDE REGEX "host/picture/none\\.c$")
else()
  list(FILTER HOST_SOURCES EXCLUDE REGEX "host/picture/(plot|surface|wave)\\.c$")
endif()
if(SOUP_FOUND)
  list(FILTER HOST_SOURCES EXCLUDE REGEX "host/page/none\\.c$")
else()
  list(FILTER HOST_SOURCES EXCLUDE REGEX "host/page/server\\.c$")
endif()
# What generated folders hold beside generated code is part of the library.
file(GLOB RUNTIME_FILES CONFIGURE_DEPENDS RELATIVE ${PROJECT_SOURCE_DIR} include/zeugma/*.h
     include/zeugma/detail/*.h runtime/*.c runtime/*.h)
file(GLOB PYTHON_FILES CONFIGURE_DEPENDS RELATIVE ${PROJECT_SOURCE_DIR} host/generate/python/*.py)
set(embedded "")
file(GLOB_RECURSE PROJECT_FILES CONFIGURE_DEPENDS RELATIVE ${PROJECT_SOURCE_DIR} host/start/project/*)
foreach(file ${RUNTIME_FILES} ${PYTHON_FILES} ${PROJECT_FILES})
  string(REGEX REPLACE "^(include|runtime|host/generate|host/start)/" "" target ${file})
  list(APPEND embedded "${target}=${PROJECT_SOURCE_DIR}/${file}")
endforeach()
list(JOIN embedded "," embedded)
add_custom_command(OUTPUT embedded.c
  COMMAND ${CMAKE_COMMAND} -DFILES=${embedded} -DNAME=zgi_embedded_files -DOUTPUT=embedded.c
          -P ${PROJECT_SOURCE_DIR}/cmake/embed.cmake
  DEPENDS ${PYTHON_FILES} ${PROJECT_FILES} cmake/embed.cmake ${RUNTIME_FILES} VERBATIM COMMENT "Embedding the runtime")
add_custom_command(OUTPUT services.c
  COMMAND ${CMAKE_COMMAND} -DSOURCE=${PROJECT_SOURCE_DIR}/host/definition/services.yaml -DNAME=zgi_services_text
          -DHEADER=definition/services.h -DOUTPUT=services.c -P ${PROJECT_SOURCE_DIR}/cmake/embed_text.cmake
  DEPENDS host/definition/services.yaml cmake/embed_text.cmake VERBATIM COMMENT "Embedding the services")
# What the pages of a report and of a live link hold; without the library for charts they have none.
find_file(CHART_JS chart.min.js PATHS /usr/share/javascript/chart.js)
if(NOT CHART_JS)
  message(WARNING "There is no Chart.js: pages will have no charts.")
  file(WRITE ${CMAKE_CURRENT_BINARY_DIR}/no_charts.js "")
  set(CHART_JS_FILE ${CMAKE_CURRENT_BINARY_DIR}/no_charts.js)
else()
  set(CHART_JS_FILE ${CHART_JS})
endif()
set(PAGE_SOURCES "")
foreach(part page_style=report/page.css page_script=report/page.js live_page=page/live.html live_style=page/live.css
        live_script=page/live.js viewer_script=page/viewer.js running_page=soak/running.html
        running_script=soak/running.js page_charts=${CHART_JS_FILE})
  string(REGEX REPLACE "=.*" "" name ${part})
  string(REGEX REPLACE "^[^=]*=" "" source ${part})
  get_filename_component(source ${source} ABSOLUTE BASE_DIR ${PROJECT_SOURCE_DIR}/host)
  add_custom_command(OUTPUT ${name}.c
    COMMAND ${CMAKE_COMMAND} -DSOURCE=${source} -DNAME=zgi_${name} -DHEADER=page/files.h
            -DOUTPUT=${name}.c -P ${PROJECT_SOURCE_DIR}/cmake/embed_text.cmake
    DEPENDS ${source} cmake/embed_text.cmake VERBATIM COMMENT "Embedding ${name}")
  list(APPEND PAGE_SOURCES ${CMAKE_CURRENT_BINARY_DIR}/${name}.c)
endforeach()
add_library(zeugma_host STATIC ${HOST_SOURCES} ${CMAKE_CURRENT_BINARY_DIR}/embedded.c
            ${CMAKE_CURRENT_BINARY_DIR}/services.c ${PAGE_SOURCES})
target_compile_definitions(zeugma_host PRIVATE _GNU_SOURCE)
add_library(zeugma::host ALIAS zeugma_host)
if(ZEUGMA_SANITIZE) # the other builds see that every file includes what it needs
  target_precompile_headers(zeugma_host PRIVATE <glib.h> <stdio.h> <string.h> <math.h>)
endif()
target_include_directories(zeugma_host PUBLIC $<BUILD_INTERFACE:${PROJECT_SOURCE_DIR}/host>
                           $<INSTALL_INTERFACE:${CMAKE_INSTALL_INCLUDEDIR}/zeugma-host>)
target_link_libraries(zeugma_host PUBLIC zeugma_sim zeugma_posix zeugma_runtime PkgConfig::GLIB PkgConfig::GMP
                      PRIVATE PkgConfig::YAML PkgConfig::PCAP PkgConfig::SQLITE m)
if(CAIRO_FOUND)
  target_link_libraries(zeugma_host PRIVATE PkgConfig::CAIRO)
endif()
if(SOUP_FOUND)
  target_link_libraries(zeugma_host PRIVATE PkgConfig::SOUP)
endif()

file(GLOB CLI_SOURCES CONFIGURE_DEPENDS cli/*.c)
add_executable(zeugma ${CLI_SOURCES})
target_compile_definitions(zeugma PRIVATE ZEUGMA_VERSION="${PROJECT_VERSION}")
target_link_libraries(zeugma PRIVATE zeugma_host PkgConfig::NCURSES m)
add_executable(zeugma::zeugma ALIAS zeugma)

# The language, for editors; and the man pages.
add_custom_command(OUTPUT definition.schema.json COMMAND zeugma check --schema > definition.schema.json
  DEPENDS zeugma VERBATIM COMMENT "Making the language's schema")
add_custom_command(OUTPUT man/zeugma.1.gz COMMAND zeugma --manual man COMMAND gzip -9nf man/*.1 man/*.5 DEPENDS zeugma
  COMMENT "Making the man pages")
add_custom_target(made_by_command ALL DEPENDS definition.schema.json man/zeugma.1.gz)

include(cmake/generate.cmake)
