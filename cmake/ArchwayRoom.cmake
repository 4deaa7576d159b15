# Flags live on this interface target, never in CMAKE_CXX_FLAGS, so that users of the library are not touched by them.
add_library(archway_build_flags INTERFACE)
# -ffp-contract: fused multiply-add where the machine has it; the ISO mode of the standard would switch it off
target_compile_options(archway_build_flags INTERFACE -ffp-contract=fast
  -Wall -Wextra -Wpedantic -Wconversion -Wshadow -Wnon-virtual-dtor -Wdouble-promotion
  $<$<BOOL:${ARCHWAY_WERROR}>:-Werror>)
if(ARCHWAY_SANITIZE)
  # Checks at every use of a pointer make Eigen's expressions four times as slow to compile. What they find in this code
  # (a null pointer, an object of too few bytes) the address sanitizer stops at as well.
  target_compile_options(archway_build_flags INTERFACE -fsanitize=${ARCHWAY_SANITIZE} -fno-omit-frame-pointer
    $<$<CXX_COMPILER_ID:GNU>:-fno-sanitize=null,alignment,vptr,object-size,pointer-overflow>)
  target_link_options(archway_build_flags INTERFACE -fsanitize=${ARCHWAY_SANITIZE})
endif()

# What nearly every file reads is precompiled once for each set of flags, not once a target (six to ten seconds each).
# ARGN: a further header; the target then has a precompiled header of its own.
set(archway_common_headers <Eigen/Core> <Eigen/Geometry> <Eigen/LU> <Eigen/Cholesky> <Eigen/SparseCore> <fmt/format.h>
    <algorithm> <array> <cmath> <functional> <limits> <map> <memory> <mutex> <optional> <set> <string> <tuple> <vector>)
function(archway_precompile target kind)
  if(NOT ARCHWAY_PRECOMPILED)
    return()
  endif()
  if(ARGN OR kind STREQUAL "own")
    target_precompile_headers(${target} PRIVATE ${archway_common_headers} ${ARGN})
    return()
  endif()
  set(owner archway_headers_${kind})
  if(NOT TARGET ${owner})
    file(WRITE ${PROJECT_BINARY_DIR}/${owner}.cpp "// owner of a precompiled header\n")
    add_library(${owner} OBJECT ${PROJECT_BINARY_DIR}/${owner}.cpp)
    set_target_properties(${owner} PROPERTIES POSITION_INDEPENDENT_CODE ON)
    target_compile_features(${owner} PUBLIC cxx_std_17)
    target_link_libraries(${owner} PRIVATE Eigen3::Eigen fmt::fmt archway_build_flags)
    set(headers ${archway_common_headers})
    if(kind MATCHES "^(calm|test)$")
      target_compile_options(${owner} PRIVATE ${archway_calm_options})
    endif()
    if(kind STREQUAL "test")
      list(APPEND headers <catch2/catch.hpp>)
      target_link_libraries(${owner} PRIVATE Catch2::Catch2)
    endif()
    target_precompile_headers(${owner} PRIVATE ${headers})
  endif()
  target_precompile_headers(${target} REUSE_FROM ${owner})
  target_compile_options(${target} PRIVATE -fPIC)  # of programs too: as the header was compiled
endfunction()

# Files that are joined must not use one name for two things in their anonymous namespaces.
function(archway_unity target batch)
  if(ARCHWAY_UNITY)
    set_target_properties(${target} PROPERTIES UNITY_BUILD ON UNITY_BUILD_BATCH_SIZE ${batch})
  endif()
endfunction()

# Files of a room that are joined because they share what is costly to compile. ARGN: files
function(archway_group room group)
  if(ARCHWAY_UNITY)
    list(TRANSFORM ARGN PREPEND "${PROJECT_SOURCE_DIR}/src/${room}/")
    set_source_files_properties(${ARGN} PROPERTIES UNITY_GROUP ${group})
    set_target_properties(archway_${room} PROPERTIES UNITY_BUILD ON UNITY_BUILD_MODE GROUP)
  endif()
endfunction()

# Rooms without inner loops of their own: what they wait for is the disk, a library or a room below. A third less to
# compile.
set(archway_calm_options $<$<CONFIG:Release>:-O1>)

# A folder of a room: a chapter of its own with what it may include. To be declared before the room, in the order of the
# arrows: USES names folders of the room declared before, so that no cycle can arise. HEADERS: public headers, in
# include/archway/ROOM. SOURCES: in src/ROOM/FOLDER. Up to BATCH of them (as given to the room) are compiled as one unit.
function(archway_folder room folder)
  cmake_parse_arguments(PARSE_ARGV 2 FOLDER "" "" "USES;HEADERS;SOURCES")
  get_property(before GLOBAL PROPERTY ARCHWAY_FOLDERS_${room})
  foreach(used IN LISTS FOLDER_USES)
    if(NOT used IN_LIST before)
      message(FATAL_ERROR "folder '${folder}' of room '${room}' may use folders declared before it only, not '${used}'")
    endif()
  endforeach()
  set_property(GLOBAL APPEND PROPERTY ARCHWAY_FOLDERS_${room} ${folder})
  set_property(GLOBAL PROPERTY ARCHWAY_FOLDER_USES_${room}_${folder} ${FOLDER_USES})
  set_property(GLOBAL PROPERTY ARCHWAY_FOLDER_HEADERS_${room}_${folder} ${FOLDER_HEADERS})
  set_property(GLOBAL PROPERTY ARCHWAY_FOLDER_SOURCES_${room}_${folder} ${FOLDER_SOURCES})
endfunction()

# Sources of all folders, joined folder by folder; writes the map that CheckLayering.cmake reads.
function(archway_collect_folders room batch result)
  get_property(folders GLOBAL PROPERTY ARCHWAY_FOLDERS_${room})
  set(all "")
  set(map "set(folders ${folders})\n")
  foreach(folder IN LISTS folders)
    foreach(what USES HEADERS SOURCES)
      get_property(${what} GLOBAL PROPERTY ARCHWAY_FOLDER_${what}_${room}_${folder})
      string(APPEND map "set(${what}_${folder} ${${what}})\n")
    endforeach()
    set(place 0)
    foreach(source IN LISTS SOURCES)
      list(APPEND all ${folder}/${source})
      if(ARCHWAY_UNITY AND batch)
        math(EXPR group "${place} / ${batch}")
        set_source_files_properties(${PROJECT_SOURCE_DIR}/src/${room}/${folder}/${source} PROPERTIES UNITY_GROUP ${folder}_${group})
        math(EXPR place "${place} + 1")
      endif()
    endforeach()
  endforeach()
  string(REPLACE ";" " " map "${map}")
  file(WRITE ${PROJECT_BINARY_DIR}/folders/${room}.cmake "${map}")
  set(${result} ${all} PARENT_SCOPE)
endfunction()

# A room is a namespace, a folder and a target. CALM: compiled with the options above. USES: rooms it may include. NEEDS: libraries seen in its public
# headers. HIDDEN: libraries used in its .cpp files only.
function(archway_room)
  cmake_parse_arguments(PARSE_ARGV 0 ROOM "CALM" "NAME;BATCH" "SOURCES;USES;NEEDS;HIDDEN")
  set(target archway_${ROOM_NAME})
  get_property(folders GLOBAL PROPERTY ARCHWAY_FOLDERS_${ROOM_NAME})
  if(folders)
    archway_collect_folders(${ROOM_NAME} "${ROOM_BATCH}" ROOM_SOURCES)
  endif()
  list(TRANSFORM ROOM_SOURCES PREPEND "${PROJECT_SOURCE_DIR}/src/${ROOM_NAME}/")
  list(TRANSFORM ROOM_USES PREPEND "Archway::" OUTPUT_VARIABLE links)
  set(uses_of_room "${ROOM_USES}")
  add_library(${target} STATIC ${ROOM_SOURCES})
  add_library(Archway::${ROOM_NAME} ALIAS ${target})
  set_target_properties(${target} PROPERTIES EXPORT_NAME ${ROOM_NAME} POSITION_INDEPENDENT_CODE ON)
  target_compile_features(${target} PUBLIC cxx_std_17)
  target_compile_definitions(${target} PRIVATE ARCHWAY_VERSION="${PROJECT_VERSION}")
  target_include_directories(${target} PUBLIC $<BUILD_INTERFACE:${PROJECT_SOURCE_DIR}/include>
                                              $<INSTALL_INTERFACE:${CMAKE_INSTALL_INCLUDEDIR}>
                                       PRIVATE ${PROJECT_SOURCE_DIR}/src/${ROOM_NAME})
  target_link_libraries(${target} PUBLIC ${links} ${ROOM_NEEDS}
                                  PRIVATE ${ROOM_HIDDEN} $<BUILD_INTERFACE:archway_build_flags>)
  if(ROOM_CALM)
    target_compile_options(${target} PRIVATE ${archway_calm_options})
  endif()
  if(ROOM_CALM)
    archway_precompile(${target} calm)
  else()
    archway_precompile(${target} swift)
  endif()
  if(folders AND ARCHWAY_UNITY)
    set_target_properties(${target} PROPERTIES UNITY_BUILD ON UNITY_BUILD_MODE GROUP)
  elseif(ROOM_BATCH)
    archway_unity(${target} ${ROOM_BATCH})
  endif()
  # a component of its own: whoever needs theory alone needs neither solver nor drawing library
  install(TARGETS ${target} EXPORT Archway_${ROOM_NAME} ARCHIVE DESTINATION ${CMAKE_INSTALL_LIBDIR}
          COMPONENT ${ROOM_NAME})
  install(EXPORT Archway_${ROOM_NAME} NAMESPACE Archway:: DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/Archway
          COMPONENT ${ROOM_NAME})
  set(headers ${PROJECT_SOURCE_DIR}/include/archway/${ROOM_NAME})
  install(DIRECTORY ${headers} DESTINATION ${CMAKE_INSTALL_INCLUDEDIR}/archway COMPONENT ${ROOM_NAME})
  install(FILES ${headers}.hpp DESTINATION ${CMAKE_INSTALL_INCLUDEDIR}/archway COMPONENT ${ROOM_NAME})
  set(packages ${ROOM_NEEDS} ${ROOM_HIDDEN})
  list(TRANSFORM packages REPLACE "::.*" "")
  list(REMOVE_DUPLICATES packages)
  foreach(line "list(APPEND Archway_rooms ${ROOM_NAME})" "set(Archway_${ROOM_NAME}_uses ${uses_of_room})"
               "set(Archway_${ROOM_NAME}_packages ${packages})")
    string(REPLACE ";" " " line "${line}")
    set_property(GLOBAL APPEND PROPERTY ARCHWAY_ROOM_TABLE "${line}")
  endforeach()
  set_property(GLOBAL APPEND PROPERTY ARCHWAY_ROOMS ${ROOM_NAME})
  if(ARCHWAY_DEVELOPER)
    list(JOIN ROOM_USES "," uses)
    add_test(NAME layering/${ROOM_NAME} COMMAND ${CMAKE_COMMAND} -DROOT=${PROJECT_SOURCE_DIR}
             -DROOM=${ROOM_NAME} "-DUSES=${uses}" -DFOLDERS=${PROJECT_BINARY_DIR}/folders/${ROOM_NAME}.cmake -P ${PROJECT_SOURCE_DIR}/cmake/CheckLayering.cmake)
    # The core prints nothing, opens no file and ends no process; io and report are the ways out.
    if(NOT ROOM_NAME MATCHES "^(io|report)$" AND NOT ARCHWAY_SANITIZE)
      add_test(NAME silent/${ROOM_NAME} COMMAND sh -c
        "! nm -uC $<TARGET_FILE:${target}> | grep -E ' U (std::(cout|cerr|clog)|std::basic_(o|i|)f(ile|)stream.*|printf|puts|fopen|abort|exit)$'")
    endif()
  endif()
endfunction()
