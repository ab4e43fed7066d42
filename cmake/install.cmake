# cmake --install: headers, library, tool, man page, CMake package and pkg-config file.
include(CMakePackageConfigHelpers)

install(TARGETS hotstitch EXPORT HotStitchTargets)
install(FILES ${public_headers} DESTINATION ${CMAKE_INSTALL_INCLUDEDIR}/hotstitch)
if(HOTSTITCH_TOOL)
    install(TARGETS hotstitch_tool)
    install(FILES docs/hotstitch.1 DESTINATION ${CMAKE_INSTALL_MANDIR}/man1)
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
if(HOTSTITCH_WITH_OPENSSL)
    string(APPEND private_requires " libcrypto")
endif()
configure_file(cmake/hotstitch.pc.in ${PROJECT_BINARY_DIR}/hotstitch.pc @ONLY)
install(FILES ${PROJECT_BINARY_DIR}/hotstitch.pc DESTINATION ${CMAKE_INSTALL_LIBDIR}/pkgconfig)
