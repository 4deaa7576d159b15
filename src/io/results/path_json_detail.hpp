#pragma once
#include <nlohmann/json.hpp>

#include "archway/study/chain.hpp"

namespace archway::io::detail {

/// What obstacles and contacts give at an increment, by name.
nlohmann::ordered_json contacts_json(const std::vector<analysis::ContactForce>& contacts, const model::Model& model);
/// States of equilibrium beside the path.
nlohmann::ordered_json other_states_json(const analysis::OtherStates& found, const study::StudySpec& spec);
/// Where parts pass through each other.
nlohmann::ordered_json crossings_json(const analysis::PathResult& path, const model::Model& model);
/// The tree of branches: of each where it leaves, along which mode and which way, its increments, and its own branches.
nlohmann::ordered_json branches_json(const analysis::PathResult& path, const study::StudySpec& spec,
                                     const model::Model& model);

}  // namespace archway::io::detail
