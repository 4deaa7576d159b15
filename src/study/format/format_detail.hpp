#pragma once
#include <vector>

#include "archway/study/format.hpp"

namespace archway::study::detail {

using T = KeyType;
constexpr const char* kRequired = "required";
constexpr const char* kStress = "force/length^2";

std::vector<TableDeclaration> structure_format();
std::vector<TableDeclaration> parts_format();
std::vector<TableDeclaration> joints_format();
std::vector<TableDeclaration> actions_format();
std::vector<TableDeclaration> imperfections_format();
std::vector<TableDeclaration> analyses_format();

}  // namespace archway::study::detail
