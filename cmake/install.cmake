# cmake --install: the command, libraries, headers, what firmware compiles for itself, and what find_package() and
# pkg-config read.
include(CMakePackageConfigHelpers)
set(package ${CMAKE_INSTALL_LIBDIR}/cmake/zeugma)
set(share ${CMAKE_INSTALL_DATADIR}/zeugma)

set_target_properties(zeugma_runtime PROPERTIES EXPORT_NAME runtime)
set_target_properties(zeugma_sim PROPERTIES EXPORT_NAME sim)
set_target_properties(zeugma_posix PROPERTIES EXPORT_NAME posix)
install(TARGETS zeugma_runtime zeugma_sim zeugma_posix EXPORT zeugmaTargets)
install(DIRECTORY include/zeugma DESTINATION ${CMAKE_INSTALL_INCLUDEDIR})
install(DIRECTORY runtime ports DESTINATION ${share} USE_SOURCE_PERMISSIONS)
if(ZEUGMA_HOST)
  set_target_properties(zeugma_host PROPERTIES EXPORT_NAME host)
  install(TARGETS zeugma EXPORT zeugmaTargets)
  install(TARGETS zeugma_host EXPORT zeugmaHostTargets)
  install(EXPORT zeugmaHostTargets NAMESPACE zeugma:: DESTINATION ${package})
  install(DIRECTORY host/ DESTINATION ${CMAKE_INSTALL_INCLUDEDIR}/zeugma-host
          FILES_MATCHING PATTERN *.h PATTERN project EXCLUDE)
  install(FILES ${CMAKE_CURRENT_BINARY_DIR}/definition.schema.json DESTINATION ${share})
  foreach(section 1 5)
    install(DIRECTORY ${CMAKE_CURRENT_BINARY_DIR}/man/ DESTINATION ${CMAKE_INSTALL_MANDIR}/man${section}
            FILES_MATCHING PATTERN *.${section}.gz)
  endforeach()
  install(FILES cli/completion/zeugma.bash DESTINATION ${CMAKE_INSTALL_DATADIR}/bash-completion/completions RENAME zeugma)
  install(FILES cli/completion/_zeugma DESTINATION ${CMAKE_INSTALL_DATADIR}/zsh/vendor-completions)
  install(FILES cli/completion/zeugma.fish DESTINATION ${CMAKE_INSTALL_DATADIR}/fish/vendor_completions.d)
  install(FILES cmake/generate.cmake DESTINATION ${package})
endif()
install(EXPORT zeugmaTargets NAMESPACE zeugma:: DESTINATION ${package})
install(DIRECTORY docs/ DESTINATION ${CMAKE_INSTALL_DOCDIR} FILES_MATCHING PATTERN *.md)
install(FILES README.md DESTINATION ${CMAKE_INSTALL_DOCDIR})
install(FILES LICENSE DESTINATION ${CMAKE_INSTALL_DOCDIR} RENAME copyright)
add_custom_command(OUTPUT changelog.gz COMMAND gzip -9nc ${PROJECT_SOURCE_DIR}/CHANGELOG.md > changelog.gz
  DEPENDS CHANGELOG.md VERBATIM)
add_custom_target(changelog ALL DEPENDS changelog.gz)
install(FILES ${CMAKE_CURRENT_BINARY_DIR}/changelog.gz DESTINATION ${CMAKE_INSTALL_DOCDIR})

configure_package_config_file(cmake/zeugmaConfig.cmake.in zeugmaConfig.cmake INSTALL_DESTINATION ${package})
write_basic_package_version_file(zeugmaConfigVersion.cmake COMPATIBILITY SameMinorVersion)
install(FILES ${CMAKE_CURRENT_BINARY_DIR}/zeugmaConfig.cmake ${CMAKE_CURRENT_BINARY_DIR}/zeugmaConfigVersion.cmake
  DESTINATION ${package})
file(RELATIVE_PATH to_prefix /${CMAKE_INSTALL_LIBDIR}/pkgconfig /)
configure_file(cmake/zeugma.pc.in zeugma.pc @ONLY)
install(FILES ${CMAKE_CURRENT_BINARY_DIR}/zeugma.pc DESTINATION ${CMAKE_INSTALL_LIBDIR}/pkgconfig)

# cpack -G DEB: one package with all of it.
set(CPACK_PACKAGE_NAME zeugma)
set(CPACK_PACKAGE_CONTACT "Zeugma's founders <zeugma@example.org>")
set(CPACK_PACKAGE_VERSION ${PROJECT_VERSION})
set(CPACK_PACKAGE_DESCRIPTION_SUMMARY "framed serial protocols from one definition file")
set(CPACK_DEBIAN_PACKAGE_DESCRIPTION
"From one definition file it generates the code of both ends of a serial line,
 the device's and the PC's, simulates the line, shows what passes on a real one
 and measures what it loses.")
set(CPACK_DEBIAN_PACKAGE_SECTION devel)
set(CPACK_DEBIAN_PACKAGE_SHLIBDEPS ON)
set(CPACK_DEBIAN_FILE_NAME DEB-DEFAULT)
set(CPACK_DEBIAN_PACKAGE_SUGGESTS
    "cmake, gcc, python3, libglib2.0-dev, libyaml-dev, libgmp-dev, libpcap-dev, libsqlite3-dev, libcairo2-dev, libfontconfig-dev, libsoup-3.0-dev")
set(CPACK_STRIP_FILES ON)
set(CPACK_PACKAGING_INSTALL_PREFIX /usr)
include(CPack)
