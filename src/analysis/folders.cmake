# Folders of the room analysis: what each may include (FOLDERS below it), its public headers and its sources.
archway_folder(analysis system
  USES
  HEADERS
    assembly.hpp
    contact_assembly.hpp
    geometry.hpp
    loading.hpp
    system.hpp
    topology.hpp
    vocabulary.hpp
  SOURCES
    assembly.cpp
    contact_assembly.cpp
    element_forms.cpp
    geometry.cpp
    loading.cpp
    mode_signs.cpp
    system.cpp
    topology.cpp)
archway_folder(analysis recovery
  USES system
  HEADERS
    contact_forces.hpp
    coupling_forces.hpp
    cut_forces.hpp
    element_forces.hpp
    plastic_flow.hpp
    reactions.hpp
    section_stress.hpp
  SOURCES
    contact_forces.cpp
    coupling_forces.cpp
    cut_forces.cpp
    element_forces.cpp
    element_strains.cpp
    plastic_flow.cpp
    reactions.cpp
    section_stress.cpp)
archway_folder(analysis linear
  USES system recovery
  HEADERS
    linear_static.hpp
    mechanism.hpp
    stress_recovery.hpp
  SOURCES
    linear_static.cpp
    mechanism.cpp
    stress_recovery.cpp)
archway_folder(analysis records
  USES system recovery
  HEADERS
    path_records.hpp
    path_rules.hpp
  SOURCES
    path_records.cpp
    path_rules.cpp)
archway_folder(analysis buckling
  USES system recovery linear
  HEADERS
    buckling.hpp
    mode_reading.hpp
    one_sided.hpp
  SOURCES
    buckling.cpp
    buckling_about.cpp
    mesh_error.cpp
    mode_reading.cpp
    mode_strains.cpp
    mode_waves.cpp
    one_sided.cpp
    sensitivity.cpp)
archway_folder(analysis newton
  USES system recovery linear records
  SOURCES
    contact_iteration.cpp
    contact_of_state.cpp
    corrections.cpp
    drivers.cpp
    equilibrium.cpp
    jump.cpp
    swing.cpp
    tangent.cpp)
archway_folder(analysis critical
  USES newton records system recovery linear
  SOURCES
    critical_points.cpp
    crossings.cpp
    crossroads.cpp
    first_yield.cpp)
archway_folder(analysis path
  USES critical newton records system recovery linear
  HEADERS
    other_states.hpp
    path.hpp
    small_movements.hpp
    stages.hpp
  SOURCES
    measures.cpp
    other_states.cpp
    path.cpp
    path_lead.cpp
    small_movements.cpp
    stages.cpp
    visited.cpp
    walk.cpp
    walk_branches.cpp
    walk_corners.cpp
    walk_monitors.cpp
    walk_outputs.cpp
    walk_record.cpp
    walk_start.cpp
    watch_reading.cpp)
archway_folder(analysis postbuckling
  USES path critical newton records system recovery linear buckling
  HEADERS
    peak_slope.hpp
    post_buckling.hpp
    record_fields.hpp
    reduced_model.hpp
  SOURCES
    peak_slope.cpp
    post_buckling.cpp
    record_fields.cpp
    reduced_model.cpp
    reduced_path.cpp)
