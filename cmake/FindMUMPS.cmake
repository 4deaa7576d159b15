# The sequential library of Debian's libmumps-seq-dev, double precision.
find_path(MUMPS_INCLUDE_DIR dmumps_c.h PATH_SUFFIXES mumps-seq mumps_seq mumps)
find_library(MUMPS_LIBRARY dmumps_seq)
include(FindPackageHandleStandardArgs)
find_package_handle_standard_args(MUMPS REQUIRED_VARS MUMPS_LIBRARY MUMPS_INCLUDE_DIR)
if(MUMPS_FOUND AND NOT TARGET MUMPS::MUMPS)
  add_library(MUMPS::MUMPS UNKNOWN IMPORTED)
  set_target_properties(MUMPS::MUMPS PROPERTIES IMPORTED_LOCATION ${MUMPS_LIBRARY} INTERFACE_INCLUDE_DIRECTORIES ${MUMPS_INCLUDE_DIR})
endif()
