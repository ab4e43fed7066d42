# cmake --install: headers, library, tool, man page, CMake package and pkg-config file.
include(CMakePackageConfigHelpers)

install(TARGETS hotstitch EXPORT HotStitchTargets)
install(FILES ${public_headers} DESTINATION ${CMAKE_INSTALL_INCLUDEDIR}/hotstitch)
if(HOTSTITCH_TOOL)
    install(TARGETS hotstitch_tool COMPONENT tool)
    install(FILES docs/hotstitch.1 DESTINATION ${CMAKE_INSTALL_MANDIR}/man1 COMPONENT tool)
    # The shells' completions come from the tool itself.
    if(NOT CMAKE_CROSSCOMPILING)
        set(completions ${PROJECT_BINARY_DIR}/completions)
        set(completion_files ${completions}/hotstitch ${completions}/_hotstitch ${completions}/hotstitch.fish)
        add_custom_command(OUTPUT ${completion_files}
            COMMAND ${CMAKE_COMMAND} -E make_directory ${completions}
            COMMAND $<TARGET_FILE:hotstitch_tool> --completion bash > ${completions}/hotstitch
            COMMAND $<TARGET_FILE:hotstitch_tool> --completion zsh > ${completions}/_hotstitch
            COMMAND $<TARGET_FILE:hotstitch_tool> --completion fish > ${completions}/hotstitch.fish
            DEPENDS hotstitch_tool VERBATIM)
        add_custom_target(completions ALL DEPENDS ${completion_files})
        install(FILES ${completions}/hotstitch DESTINATION ${CMAKE_INSTALL_DATADIR}/bash-completion/completions COMPONENT tool)
        install(FILES ${completions}/_hotstitch DESTINATION ${CMAKE_INSTALL_DATADIR}/zsh/vendor-completions COMPONENT tool)
        install(FILES ${completions}/hotstitch.fish DESTINATION ${CMAKE_INSTALL_DATADIR}/fish/vendor_completions.d COMPONENT tool)
    endif()
endif()

set(package_dir ${CMAKE_INSTALL_LIBDIR}/cmake/HotStitch)
install(EXPORT HotStitchTargets NAMESPACE HotStitch:: DESTINATION ${package_dir})
configure_package_config_file(cmake/HotStitchConfig.cmake.in ${PROJECT_BINARY_DIR}/HotStitchConfig.cmake
    INSTALL_DESTINATION ${package_dir})
write_basic_package_version_file(${PROJECT_BINARY_DIR}/HotStitchConfigVersion.cmake COMPATIBILITY SameMinorVersion)
install(FILES ${PROJECT_BINARY_DIR}/HotStitchConfig.cmake ${PROJECT_BINARY_DIR}/HotStitchConfigVersion.cmake
    DESTINATION ${package_dir})

set(private_requires fmt)
if(HOTSTITCH_WITH_LIBDEFLATE)
    string(APPEND private_requires " libdeflate")
endif()
if(HOTSTITCH_WITH_LZMA)
    string(APPEND private_requires " liblzma")
endif()
if(HOTSTITCH_WITH_ARCHIVE)
    string(APPEND private_requires " libarchive")
endif()
if(HOTSTITCH_WITH_ZLIB)
    string(APPEND private_requires " zlib")
endif()
set(private_libs)
if(HOTSTITCH_WITH_BZIP2)
    string(APPEND private_libs " -lbz2")  # comes without a .pc file
endif()
if(HOTSTITCH_WITH_ZSTD)
    string(APPEND private_requires " libzstd")
endif()
if(HOTSTITCH_WITH_LZ4)
    string(APPEND private_requires " liblz4")
endif()
if(HOTSTITCH_WITH_TOML)
    string(APPEND private_requires " tomlplusplus")
endif()
if(HOTSTITCH_WITH_OPENSSL)
    string(APPEND private_requires " libcrypto")
endif()
# Wherever --prefix puts it, or a package moves it to.
file(RELATIVE_PATH prefix_from_pc /p/${CMAKE_INSTALL_LIBDIR}/pkgconfig /p)
string(REGEX REPLACE "/$" "" prefix_from_pc "${prefix_from_pc}")
configure_file(cmake/hotstitch.pc.in ${PROJECT_BINARY_DIR}/hotstitch.pc @ONLY)
install(FILES ${PROJECT_BINARY_DIR}/hotstitch.pc DESTINATION ${CMAKE_INSTALL_LIBDIR}/pkgconfig)

# cpack -G DEB: the tool, its manual and completions as a Debian package.
if(HOTSTITCH_TOOL)
    set(CPACK_GENERATOR DEB)
    set(CPACK_PACKAGE_NAME hotstitch)
    set(CPACK_PACKAGE_CONTACT "The Hot Stitch authors <hotstitch@example.org>")
    set(CPACK_PACKAGE_DESCRIPTION_SUMMARY "patches for ROMs: create, apply, verify")
    set(CPACK_COMPONENT_TOOL_DESCRIPTION "Hot Stitch creates, applies and verifies IPS, UPS, BPS and VCDIFF patches and
header fixes against ROMs, disc images, data files and executables. Nothing is
overwritten unless asked, and everything that can be checked is.")
    set(CPACK_DEBIAN_PACKAGE_SECTION utils)
    set(CPACK_DEBIAN_PACKAGE_SHLIBDEPS ON)
    set(CPACK_DEBIAN_FILE_NAME DEB-DEFAULT)
    set(CPACK_STRIP_FILES ON)
    set(CPACK_COMPONENTS_ALL tool)
    set(CPACK_DEB_COMPONENT_INSTALL ON)
    set(CPACK_DEBIAN_TOOL_PACKAGE_NAME hotstitch)
    set(CPACK_INSTALL_DEFAULT_DIRECTORY_PERMISSIONS OWNER_READ OWNER_WRITE OWNER_EXECUTE GROUP_READ GROUP_EXECUTE
        WORLD_READ WORLD_EXECUTE)
    set(CPACK_PACKAGING_INSTALL_PREFIX /usr)
    set(CPACK_PRE_BUILD_SCRIPTS ${PROJECT_SOURCE_DIR}/cmake/debian.cmake)
    include(CPack)
endif()
