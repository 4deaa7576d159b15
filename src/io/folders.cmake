# Folders of the room io: what each may include (FOLDERS below it), its public headers and its sources.
archway_folder(io files
  USES
  SOURCES
    read_file.cpp)
archway_folder(io mesh
  USES files
  HEADERS
    mesh_file.hpp
    vtu.hpp
  SOURCES
    mesh_file.cpp
    mesh_readers.cpp
    vtu.cpp
    vtu_reader.cpp)
archway_folder(io study_file
  USES files mesh
  HEADERS
    migration.hpp
    number_table.hpp
    study_file.hpp
    study_schema.hpp
  SOURCES
    migration.cpp
    migration_words.cpp
    number_table.cpp
    starter.cpp
    study_analyses.cpp
    study_contacts.cpp
    study_file.cpp
    study_joints.cpp
    study_obstacles.cpp
    study_schema.cpp
    study_spots.cpp
    study_structure.cpp
    study_text.cpp
    table_paths.cpp
    table_reader.cpp
    toml_reader.cpp)
archway_folder(io results
  USES files mesh
  HEADERS
    results_folder.hpp
    sweep_files.hpp
  SOURCES
    check_json.cpp
    imperfection_json.cpp
    path_json.cpp
    path_tables.cpp
    provenance.cpp
    results_folder.cpp
    results_json.cpp
    sweep_files.cpp
    tables_csv.cpp)
