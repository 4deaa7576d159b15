# The C interface of LAPACK (Debian's liblapacke-dev); LAPACK itself comes with it.
find_path(LAPACKE_INCLUDE_DIR lapacke.h PATH_SUFFIXES lapacke)
find_library(LAPACKE_LIBRARY lapacke)
include(FindPackageHandleStandardArgs)
find_package_handle_standard_args(LAPACKE REQUIRED_VARS LAPACKE_LIBRARY LAPACKE_INCLUDE_DIR)
if(LAPACKE_FOUND AND NOT TARGET LAPACKE::LAPACKE)
  add_library(LAPACKE::LAPACKE UNKNOWN IMPORTED)
  set_target_properties(LAPACKE::LAPACKE PROPERTIES IMPORTED_LOCATION ${LAPACKE_LIBRARY} INTERFACE_INCLUDE_DIRECTORIES ${LAPACKE_INCLUDE_DIR})
endif()
