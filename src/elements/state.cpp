#include "archway/elements/state.hpp"

namespace archway::elements {

State State::reference(const model::Model& model) {
  return {model.nodes,
          std::vector<Eigen::Quaterniond>(model.nodes.size(), Eigen::Quaterniond::Identity()),
          std::vector<double>(model.nodes.size(), 0.0),
          {}};
}

void State::advance(const Eigen::VectorXd& step) {
  for (std::size_t n = 0; n < position.size(); ++n) {
    const auto at = model::row(n);
    position[n] += step.segment<3>(at);
    const Vec3 spin = step.segment<3>(at + 3);
    if (!spin.isZero(0.0)) rotation[n] = (base::exponential(spin) * rotation[n]).normalized();
    warp[n] += step[at + model::warp];
  }
}

Eigen::VectorXd State::movement(const model::Model& model) const {
  Eigen::VectorXd u(model::row(position.size()));
  for (std::size_t n = 0; n < position.size(); ++n) {
    const auto at = model::row(n);
    u.segment<3>(at) = position[n] - model.nodes[n];
    u.segment<3>(at + 3) = base::rotation_vector(rotation[n]);
    u[at + model::warp] = warp[n];
  }
  return u;
}

}  // namespace archway::elements
