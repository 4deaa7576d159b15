# Folders of the room elements: what each may include (FOLDERS below it), its public headers and its sources.
archway_folder(elements core
  USES
  HEADERS
    batch.hpp
    contact_trial.hpp
    internal_forces.hpp
    line_geometry.hpp
    local_freedoms.hpp
    outline.hpp
    state.hpp
  SOURCES
    outline.cpp
    state.cpp)
archway_folder(elements constraints
  USES core
  HEADERS
    tie.hpp
  SOURCES
    tie.cpp
    tie_states.cpp)
archway_folder(elements lines
  USES core constraints
  HEADERS
    bar.hpp
    beam.hpp
    spring.hpp
  SOURCES
    bar.cpp
    beam.cpp
    spring.cpp)
archway_folder(elements shells
  USES core
  HEADERS
    moved.hpp
    shell.hpp
    shell_measured.hpp
  SOURCES
    directors.cpp
    moved.cpp
    shell.cpp
    shell_layers.cpp
    shell_nine.cpp
    shell_resultants.cpp
    shell_three.cpp)
archway_folder(elements solids
  USES core shells
  HEADERS
    solid.hpp
  SOURCES
    solid.cpp)
archway_folder(elements loads
  USES core
  HEADERS
    loads.hpp
  SOURCES
    loads.cpp)
archway_folder(elements contact
  USES core
  HEADERS
    obstacle.hpp
    surface_contact.hpp
  SOURCES
    facet_tree.cpp
    line_pairs.cpp
    obstacle.cpp
    surface_contact.cpp
    surface_distance.cpp
    surface_friction.cpp
    surface_memory.cpp
    surface_pairs.cpp)
archway_folder(elements kernels
  USES core lines shells solids
  HEADERS
    kernels.hpp
  SOURCES
    kernels.cpp)
