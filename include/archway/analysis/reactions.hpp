#pragma once
#include <array>
#include <string>
#include <vector>

#include <Eigen/Core>

#include "archway/analysis/vocabulary.hpp"

namespace archway::analysis {

/// What a support, or a spring to the ground, gives to the structure: sums over its nodes. A node restrained by several
/// supports gives to each what it holds.
struct SupportReaction {
  std::string name;
  Vec3 force = Vec3::Zero(), moment = Vec3::Zero();  ///< moment: sum of the moments at the nodes, not about a point
  int nodes = 0;
};
/// \param reactions  full, at held degrees of freedom \param spring_forces  one a spring of the model
std::vector<SupportReaction> reactions_by_support(const model::Model& model, const Eigen::VectorXd& reactions,
                                                  const std::vector<std::array<double, 6>>& spring_forces);

}  // namespace archway::analysis
