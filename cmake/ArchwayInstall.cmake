include(CMakePackageConfigHelpers)
get_property(ARCHWAY_ROOM_TABLE GLOBAL PROPERTY ARCHWAY_ROOM_TABLE)
list(JOIN ARCHWAY_ROOM_TABLE "\n" ARCHWAY_ROOM_TABLE)
configure_package_config_file(${PROJECT_SOURCE_DIR}/cmake/ArchwayConfig.cmake.in ${PROJECT_BINARY_DIR}/ArchwayConfig.cmake
  INSTALL_DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/Archway)
write_basic_package_version_file(${PROJECT_BINARY_DIR}/ArchwayConfigVersion.cmake COMPATIBILITY SameMinorVersion)
install(FILES ${PROJECT_BINARY_DIR}/ArchwayConfig.cmake ${PROJECT_BINARY_DIR}/ArchwayConfigVersion.cmake
  ${PROJECT_SOURCE_DIR}/cmake/FindMUMPS.cmake ${PROJECT_SOURCE_DIR}/cmake/FindMETIS.cmake ${PROJECT_SOURCE_DIR}/cmake/FindLAPACKE.cmake ${PROJECT_SOURCE_DIR}/cmake/FindCairo.cmake
  DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/Archway COMPONENT base)
