#include "archway/elements/state.hpp"

#include <cmath>

namespace archway::elements {

State State::reference(const model::Model& model) {
  return {model.nodes,
          std::vector<Eigen::Quaterniond>(model.nodes.size(), Eigen::Quaterniond::Identity()),
          std::vector<double>(model.nodes.size(), 0.0),
          {},
          std::vector<Vec3>(model.nodes.size(), Vec3::Zero()),
          {},
          {}};
}

namespace {
/// What the rounded sum of two numbers omits ([Neumaier1974]).
double left_out(double a, double b, double sum) {
  return std::abs(a) >= std::abs(b) ? (a - sum) + b : (b - sum) + a;
}
/// Adds to a position; what the sum omits goes to the remainder.
void add(const Vec3& own, Vec3& position, Vec3& remainder) {
  const Vec3 before = position;
  position += own;
  for (int k = 0; k < 3; ++k) remainder[k] += left_out(before[k], own[k], position[k]);
}
}  // namespace

void State::put_from(std::size_t leader, std::size_t node, const Vec3& arm) {
  position[node] = position[leader], remainder[node] = remainder[leader];
  add(arm, position[node], remainder[node]);
}

void State::put_sum(std::size_t node, int axis, double a, double b, double rest) {
  position[node][axis] = a + b;
  remainder[node][axis] = left_out(a, b, a + b) + rest;
}

void State::advance(const Eigen::VectorXd& step) {
  correction.resize(0);
  correction_force.resize(0);
  for (std::size_t n = 0; n < position.size(); ++n) {
    const auto at = model::row(n);
    add(step.segment<3>(at), position[n], remainder[n]);
    const Vec3 spin = step.segment<3>(at + 3);
    if (!spin.isZero(0.0)) rotation[n] = (base::exponential(spin) * rotation[n]).normalized();
    warp[n] += step[at + model::warp];
  }
}

Eigen::VectorXd State::displacement(const model::Model& model) const {
  Eigen::VectorXd u(model::row(position.size()));
  for (std::size_t n = 0; n < position.size(); ++n) {
    const auto at = model::row(n);
    u.segment<3>(at) = (position[n] - model.nodes[n]) + remainder[n];
    u.segment<3>(at + 3) = base::rotation_vector(rotation[n]);
    u[at + model::warp] = warp[n];
  }
  return u;
}

}  // namespace archway::elements
