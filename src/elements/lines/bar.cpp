#include "archway/elements/bar.hpp"

#include <algorithm>
#include <array>

#include "core/material_detail.hpp"
#include "core/memory_detail.hpp"

namespace archway::elements {

namespace {
using Vec6 = Eigen::Matrix<double, 6, 1>;
using Mat6 = Eigen::Matrix<double, 6, 6>;

struct Line {
  Vec3 direction;
  double length;
};
Line line_of(const State& state, const std::array<int, 2>& nodes) {
  const Vec3 d = state.between(nodes[0], nodes[1]);
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
    data.rigid = part.rigid.axial;
    if (data.rigid) data.stiffness *= 1 + kRigid;
    const auto& material = model.materials[static_cast<std::size_t>(part.material)];
    data.area = model.profiles[static_cast<std::size_t>(part.profile)].area;
    if (material.flows()) {
      data.law = detail::flow_law_of<1>(material);
      data.memory = memory_size_;
      memory_size_ += data.law->memory().size();
    }
    data_.push_back(data);
  }
}

FlowRecords BarBatch::flow_records(int element) const {
  const auto& data = data_[static_cast<std::size_t>(element)];
  return data.law ? detail::flow_records_of(*data.law, data.memory, 1, 1) : FlowRecords();
}

void BarBatch::start_memory(double* block) const {
  for (const auto& data : data_)
    for (std::size_t k = 0; data.law && k < data.law->memory().size(); ++k)
      block[data.memory + k] = data.law->memory()[k].start;
}

/// \param keep  write what is remembered afterwards
BarBatch::Pull BarBatch::pull(const Data& data, double strain, double free_strain, const Trial& trial,
                              bool keep) const {
  if (!data.law) {
    const double own = strain - free_strain;
    return data.tension_only && own < 0 ? Pull{} : Pull{data.stiffness * own, data.stiffness};
  }
  std::array<double, 3> virgin{}, scratch{};
  const double* before = trial.committed != nullptr ? trial.committed + data.memory : virgin.data();
  double* after = keep && trial.next != nullptr ? trial.next + data.memory : scratch.data();
  // what has flowed made it longer: it is slack from there on
  if (data.tension_only && strain - free_strain - before[0] < 0) {
    std::copy(before, before + virgin.size(), after);
    return {};
  }
  const auto answer = data.law->respond(Eigen::Matrix<double, 1, 1>(strain), free_strain, before, after);
  return {data.area * answer.stress[0], data.area * answer.tangent(0, 0)};
}

base::Verdict BarBatch::evaluate(const Trial& trial, const int* elements, int count, const Outputs& out,
                                 const StressSource& source) const {
  base::Verdict verdict = base::Verdict::good;
  for (int k = 0; k < count; ++k) {
    const auto& data = data_[static_cast<std::size_t>(elements[k])];
    const State& state = trial.state;
    const Line line = line_of(state, data.nodes);
    if (!(line.length > 0)) verdict = base::Verdict::recoverable;
    const bool left_out = source.slack != nullptr && (*source.slack)[static_cast<std::size_t>(elements[k])] != 0;
    const double free = state.free_strain(data.part);
    Pull own{0, data.stiffness};
    if (source.linear != nullptr)
      own.force = data.stiffness * (stretch(line, data.nodes, *source.linear) / data.length - free);
    else
      own = pull(data, line.length / data.length - 1, free, trial, true);
    double force = own.force, axial = own.force, modulus = own.modulus / data.length;
    if (source.linear == nullptr && source.previous != nullptr) {
      const Line before = line_of(*source.previous, data.nodes);
      const double foreseen = (before.length + stretch(before, data.nodes, *source.step)) / data.length - 1;
      const Pull ahead = pull(data, foreseen, free, trial, false);
      axial = ahead.force;
      const bool rotations = data.tension_only && (ahead.force == 0.0) != (own.force == 0.0);
      if (!data.law || rotations) modulus = ahead.modulus / data.length;  // slack or taut as foreseen
    }
    if (left_out) force = axial = modulus = 0;
    if (out.rigid != nullptr && data.rigid) {
      const double soft = data.stiffness / data.length / (1 + kRigid);
      const Vec3 pulled = modulus != 0.0 ? Vec3(soft * line.direction) : Vec3::Zero();  // slack or omitted: none
      Eigen::Map<Eigen::Matrix<double, 7, 1>>(out.rigid + 7 * k) << -pulled, pulled, soft;
      modulus /= 1 + kRigid;
    }
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

material::Energy BarBatch::energy(const Trial& trial, int element) const {
  const auto& data = data_[static_cast<std::size_t>(element)];
  const double strain = line_of(trial.state, data.nodes).length / data.length - 1,
               free = trial.state.free_strain(data.part);
  const auto stretch = [&](double plastic) {
    const double own = strain - free - plastic;
    return data.tension_only && own < 0 ? 0 : own;
  };
  if (!data.law) return {0.5 * data.length * data.stiffness * stretch(0) * stretch(0), 0};
  const std::array<double, 3> virgin{};
  const double* memory = trial.committed != nullptr ? trial.committed + data.memory : virgin.data();
  // slack: what its points hold is what they hold at the strain where it went slack
  return data.area * data.length *
         data.law->energy(Eigen::Matrix<double, 1, 1>(stretch(memory[0]) + free + memory[0]), free, memory);
}

double BarBatch::axial_force(const Trial& trial, int element, const Eigen::VectorXd* linear) const {
  const auto& data = data_[static_cast<std::size_t>(element)];
  const Line line = line_of(trial.state, data.nodes);
  const double free = trial.state.free_strain(data.part);
  const Eigen::VectorXd& correction = trial.state.correction;
  const double more = linear == nullptr && correction.size() > 0 ? stretch(line, data.nodes, correction) : 0;
  return linear == nullptr ? pull(data, line.length / data.length - 1 + more / data.length, free, trial, false).force
                           : data.stiffness * (stretch(line, data.nodes, *linear) / data.length - free);
}

}  // namespace archway::elements
