# Shells and solids compiled a second time for a newer instruction set, chosen when the program runs. All objects of the second
# copy are joined into one whose symbols, shared inline functions among them, are made local: the linker can neither
# give code for the newer machine to the rest of the program nor the other way round. Eigen's alignment is kept at that of
# the baseline, since both copies see the same data. (GCC 12 takes Eigen's guarded loads of four for out of bounds; the
# baseline's copy of the same sources is compiled with these warnings.)
option(ARCHWAY_MACHINE_KERNELS "Elements also for the newer instruction sets of x86-64" ON)
function(archway_machine_kernels room)
  if(NOT ARCHWAY_MACHINE_KERNELS OR ARCHWAY_SANITIZE OR NOT CMAKE_BUILD_TYPE STREQUAL "Release" OR NOT CMAKE_OBJCOPY
     OR NOT CMAKE_LINKER OR NOT CMAKE_CXX_COMPILER_ID STREQUAL "GNU" OR NOT CMAKE_SYSTEM_PROCESSOR STREQUAL "x86_64")
    return()
  endif()
  list(TRANSFORM ARGN PREPEND "${PROJECT_SOURCE_DIR}/src/${room}/" OUTPUT_VARIABLE sources)
  get_target_property(libraries archway_${room} LINK_LIBRARIES)
  add_library(archway_${room}_v3 OBJECT ${sources})
  target_link_libraries(archway_${room}_v3 PRIVATE ${libraries})
  target_include_directories(archway_${room}_v3 PRIVATE ${PROJECT_SOURCE_DIR}/include ${PROJECT_SOURCE_DIR}/src/${room})
  target_compile_features(archway_${room}_v3 PRIVATE cxx_std_17)
  target_compile_options(archway_${room}_v3 PRIVATE -march=x86-64-v3 -fno-gnu-unique -Wno-array-bounds -Wno-maybe-uninitialized)
  target_compile_definitions(archway_${room}_v3 PRIVATE EIGEN_MAX_ALIGN_BYTES=16 EIGEN_MAX_STATIC_ALIGN_BYTES=16
                             ARCHWAY_KERNELS_HERE=archway_kernels_v3)
  if(ARCHWAY_PRECOMPILED)
    archway_precompile(archway_${room}_v3)
  endif()
  set_target_properties(archway_${room}_v3 PROPERTIES POSITION_INDEPENDENT_CODE ON)
  set(joined ${PROJECT_BINARY_DIR}/archway_${room}_v3.o)
  add_custom_command(OUTPUT ${joined}
    COMMAND ${CMAKE_LINKER} -r --force-group-allocation -o ${joined}.all "$<FILTER:$<TARGET_OBJECTS:archway_${room}_v3>,EXCLUDE,[.]gch$>"
    COMMAND ${CMAKE_OBJCOPY} --keep-global-symbol=archway_kernels_v3 ${joined}.all ${joined}
    DEPENDS archway_${room}_v3 $<TARGET_OBJECTS:archway_${room}_v3>
    COMMENT "Elements for x86-64-v3" COMMAND_EXPAND_LISTS VERBATIM)
  set_source_files_properties(${joined} PROPERTIES EXTERNAL_OBJECT TRUE GENERATED TRUE)
  target_sources(archway_${room} PRIVATE ${joined})
  target_compile_definitions(archway_${room} PRIVATE ARCHWAY_KERNELS_V3)
endfunction()
