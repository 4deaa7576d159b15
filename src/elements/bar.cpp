#include "archway/elements/bar.hpp"

namespace archway::elements {

namespace {
using Vec6 = Eigen::Matrix<double, 6, 1>;
using Mat6 = Eigen::Matrix<double, 6, 6>;

struct Line {
  Vec3 direction;
  double length;
};
Line line_of(const State& state, const std::array<int, 2>& nodes) {
  const Vec3 d =
      state.position[static_cast<std::size_t>(nodes[1])] - state.position[static_cast<std::size_t>(nodes[0])];
  return {d.normalized(), d.norm()};
}

double stretch(const Line& line, const std::array<int, 2>& nodes, const Eigen::VectorXd& u) {
  return line.direction.dot(u.segment<3>(model::row(nodes[1])) - u.segment<3>(model::row(nodes[0])));
}

/// Block on the second node; the first has the same, across they have the opposite.
Mat6 spread(const Mat3& block) {
  Mat6 k;
  k << block, -block, -block, block;
  return k;
}
}  // namespace

BarBatch::BarBatch(const model::Model& model) {
  for (const auto& e : model.bar_elements) {
    const auto& part = model.parts[static_cast<std::size_t>(e.part)];
    Data data;
    data.nodes = e.nodes;
    data.length =
        (model.nodes[static_cast<std::size_t>(e.nodes[1])] - model.nodes[static_cast<std::size_t>(e.nodes[0])]).norm();
    data.stiffness = model.materials[static_cast<std::size_t>(part.material)].youngs_modulus *
                     model.profiles[static_cast<std::size_t>(part.profile)].area;
    data.part = e.part;
    data.tension_only = part.tension_only;
    data_.push_back(data);
  }
}

double BarBatch::force_of(const Data& data, double strain) const {
  return data.tension_only && strain < 0 ? 0.0 : data.stiffness * strain;
}

base::Verdict BarBatch::evaluate(const State& state, const int* elements, int count, const Outputs& out,
                                 const StressSource& source) const {
  base::Verdict verdict = base::Verdict::good;
  for (int k = 0; k < count; ++k) {
    const auto& data = data_[static_cast<std::size_t>(elements[k])];
    const Line line = line_of(state, data.nodes);
    if (!(line.length > 0)) verdict = base::Verdict::recoverable;
    const bool left_out = source.slack != nullptr && (*source.slack)[static_cast<std::size_t>(elements[k])] != 0;
    const double free = state.free_strain(data.part);
    double strain = line.length / data.length - 1 - free;
    double force = source.linear != nullptr
                       ? data.stiffness * (stretch(line, data.nodes, *source.linear) / data.length - free)
                       : force_of(data, strain);
    double axial = force;
    if (source.linear == nullptr && source.previous != nullptr) {
      const Line before = line_of(*source.previous, data.nodes);
      strain = (before.length + stretch(before, data.nodes, *source.step)) / data.length - 1 - free;
      axial = force_of(data, strain);
    }
    double modulus = data.tension_only && source.linear == nullptr && strain < 0 ? 0 : data.stiffness / data.length;
    if (left_out) force = axial = modulus = 0;
    const Mat3 along = line.direction * line.direction.transpose();
    const Mat3 bend = axial / line.length * (Mat3::Identity() - along);
    if (out.force != nullptr) {
      Eigen::Map<Vec6> f(out.force + 6 * k);
      f << -force * line.direction, force * line.direction;
    }
    if (out.tangent != nullptr) Eigen::Map<Mat6>(out.tangent + 36 * k) = spread(modulus * along + bend);
    if (out.geometric != nullptr) Eigen::Map<Mat6>(out.geometric + 36 * k) = spread(bend);
  }
  return verdict;
}

double BarBatch::axial_force(const State& state, int element, const Eigen::VectorXd* linear) const {
  const auto& data = data_[static_cast<std::size_t>(element)];
  const Line line = line_of(state, data.nodes);
  const double free = state.free_strain(data.part);
  return linear == nullptr ? force_of(data, line.length / data.length - 1 - free)
                           : data.stiffness * (stretch(line, data.nodes, *linear) / data.length - free);
}

}  // namespace archway::elements
