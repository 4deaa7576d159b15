#pragma once
/// Everything of the room `io`: study files in, results out.
#include "archway/io/mesh_file.hpp"
#include "archway/io/migration.hpp"
#include "archway/io/number_table.hpp"
#include "archway/io/results_folder.hpp"
#include "archway/io/study_file.hpp"
#include "archway/io/study_schema.hpp"
#include "archway/io/sweep_files.hpp"
#include "archway/io/vtu.hpp"
