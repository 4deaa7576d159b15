#include "archway/elements/state.hpp"

namespace archway::elements {

State State::reference(const model::Model& model) {
  return {model.nodes, std::vector<Eigen::Quaterniond>(model.nodes.size(), Eigen::Quaterniond::Identity())};
}

void State::advance(const Eigen::VectorXd& step) {
  for (std::size_t n = 0; n < position.size(); ++n) {
    const auto at = static_cast<Eigen::Index>(6 * n);
    position[n] += step.segment<3>(at);
    const Vec3 spin = step.segment<3>(at + 3);
    if (!spin.isZero(0.0)) rotation[n] = (base::exponential(spin) * rotation[n]).normalized();
  }
}

Eigen::VectorXd State::movement(const model::Model& model) const {
  Eigen::VectorXd u(6 * static_cast<Eigen::Index>(position.size()));
  for (std::size_t n = 0; n < position.size(); ++n) {
    const auto at = static_cast<Eigen::Index>(6 * n);
    u.segment<3>(at) = position[n] - model.nodes[n];
    u.segment<3>(at + 3) = base::rotation_vector(rotation[n]);
  }
  return u;
}

}  // namespace archway::elements
