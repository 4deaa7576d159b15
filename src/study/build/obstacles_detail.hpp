#pragma once
#include <string>
#include <vector>

#include "archway/model/model.hpp"

namespace archway::study::detail {

/// Obstacles that nodes lie inside of before anything acts, reported in words; the overlaps that the study lets be free
/// of force do not count.
std::vector<std::string> overlaps(const model::Model& model);

}  // namespace archway::study::detail
