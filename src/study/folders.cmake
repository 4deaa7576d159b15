# Folders of the room study: what each may include (FOLDERS below it), its public headers and its sources.
archway_folder(study spec
  USES
  HEADERS
    analysis_kind.hpp
    analysis_spec.hpp
    contact_spec.hpp
    everyday.hpp
    imperfection_kind.hpp
    imperfection_spec.hpp
    keys.hpp
    limits.hpp
    load_kind.hpp
    obstacle_spec.hpp
    pictures.hpp
    quantity.hpp
    residual_stress.hpp
    spec.hpp
    units.hpp
    yielding.hpp
  SOURCES
    copies.cpp
    copy_companions.cpp
    everyday.cpp
    keys.cpp
    limits.cpp
    quantity.cpp
    residual_stress.cpp
    units.cpp
    variants.cpp
    yielding.cpp)
archway_folder(study format
  USES
  HEADERS
    format.hpp
  SOURCES
    actions_format.cpp
    analyses_format.cpp
    format.cpp
    imperfections_format.cpp
    joints_format.cpp
    parts_format.cpp
    structure_format.cpp)
archway_folder(study build
  USES spec
  HEADERS
    build_model.hpp
    section_curve.hpp
  SOURCES
    build_contacts.cpp
    build_joints.cpp
    build_model.cpp
    build_obstacles.cpp
    build_residual.cpp
    build_structure.cpp
    build_supports.cpp
    section_curve.cpp)
archway_folder(study actions
  USES spec build
  SOURCES
    acceleration.cpp
    edge.cpp
    force.cpp
    line.cpp
    load_kinds.cpp
    member_pressure.cpp
    movement.cpp
    pressure.cpp
    pretension.cpp
    surface_load.cpp
    temperature.cpp)
archway_folder(study check
  USES spec build
  HEADERS
    advice.hpp
    check.hpp
    fineness.hpp
  SOURCES
    advice.cpp
    check.cpp
    fineness.cpp)
archway_folder(study outcome
  USES spec build check
  HEADERS
    outcome.hpp
    outcome_fields.hpp
  SOURCES
    outcome_fields.cpp)
archway_folder(study judge
  USES spec build check outcome
  HEADERS
    comparison.hpp
    hand_checks.hpp
    likeness.hpp
    load_as_given.hpp
    ply_failure.hpp
    second_order.hpp
    section_of.hpp
    summary.hpp
    verdicts.hpp
  SOURCES
    comparison.cpp
    hand_checks.cpp
    likeness.cpp
    load_as_given.cpp
    member_ends.cpp
    ply_failure.cpp
    second_order.cpp
    section_of.cpp
    strain_limit.cpp
    summary.cpp
    verdicts.cpp)
archway_folder(study run
  USES spec build check outcome judge
  HEADERS
    watcher.hpp
  SOURCES
    prepared_model.cpp)
archway_folder(study imperfections
  USES spec build check outcome judge run
  SOURCES
    amplitude.cpp
    imperfection_kinds.cpp
    measured_shapes.cpp
    member_shapes.cpp
    mode_mixes.cpp
    surface_shapes.cpp)
archway_folder(study analyses
  USES spec build check outcome judge run imperfections
  SOURCES
    analysis_kinds.cpp
    buckling_advice.cpp
    buckling_analysis.cpp
    mean_stiffness.cpp
    mesh_judge.cpp
    path_advice.cpp
    path_analysis.cpp
    path_events.cpp
    path_keys.cpp
    path_stages.cpp
    slopes.cpp
    static_analysis.cpp)
archway_folder(study chain
  USES spec build check outcome judge run imperfections analyses
  HEADERS
    chain.hpp
    sweep.hpp
  SOURCES
    chain.cpp
    check_references.cpp
    sweep.cpp
    worst_mix.cpp)
