# cmake --install: headers, library, tool, man page, CMake package and pkg-config file.
include(CMakePackageConfigHelpers)

# A shared library goes wherever the tool goes, with a path from the one to the other.
if(HOTSTITCH_TOOL AND BUILD_SHARED_LIBS)
    install(TARGETS hotstitch EXPORT HotStitchTargets LIBRARY COMPONENT tool NAMELINK_COMPONENT Unspecified)
    file(RELATIVE_PATH from_tool /p/${CMAKE_INSTALL_BINDIR} /p/${CMAKE_INSTALL_LIBDIR})
    set_target_properties(hotstitch_tool PROPERTIES INSTALL_RPATH "$ORIGIN/${from_tool}")
else()
    install(TARGETS hotstitch EXPORT HotStitchTargets)
endif()
install(FILES LICENSE README.md CHANGELOG.md TYPE DOC COMPONENT tool)
install(FILES ${public_headers} DESTINATION ${CMAKE_INSTALL_INCLUDEDIR}/hotstitch)
if(HOTSTITCH_TOOL)
    install(TARGETS hotstitch_tool COMPONENT tool)
    install(FILES docs/hotstitch.1 DESTINATION ${CMAKE_INSTALL_MANDIR}/man1 COMPONENT tool)
    # The shells' completions come from the tool itself.
    if(NOT CMAKE_CROSSCOMPILING)
        set(completions ${PROJECT_BINARY_DIR}/completions)
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

# A static library needs its own libraries named to whoever links it.
set(pc_libs "-lhotstitch")
if(NOT BUILD_SHARED_LIBS)
    string(APPEND pc_libs " -lfmt")
    foreach(library LIBDEFLATE:deflate ARCHIVE:archive LZMA:lzma ZLIB:z BZIP2:bz2 ZSTD:zstd LZ4:lz4 TOML:tomlplusplus
            OPENSSL:crypto)
        string(REPLACE : ";" option_and_name ${library})
        list(GET option_and_name 0 option)
        list(GET option_and_name 1 name)
        if(HOTSTITCH_WITH_${option})
            string(APPEND pc_libs " -l${name}")
        endif()
    endforeach()
    string(APPEND pc_libs " -pthread")
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
    if(BUILD_SHARED_LIBS)
        set(CPACK_DEBIAN_PACKAGE_SHLIBDEPS_PRIVATE_DIRS ${PROJECT_BINARY_DIR})
        set(CPACK_DEBIAN_PACKAGE_GENERATE_SHLIBS ON)
    endif()
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
