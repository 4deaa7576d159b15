#pragma once
#include "archway/elements/shell_measured.hpp"
#include "core/material_detail.hpp"
#include "core/memory_detail.hpp"
#include "shells/plane_strain_detail.hpp"
#include "shells/shell_measures_detail.hpp"

/// Shells whose strains are linear in a few measures; see shell_measured.hpp.
namespace archway::elements::measured {

using Rows3 = Eigen::Matrix<double, 3, Eigen::Dynamic>;

/// Stiffness of points on their measures, from the mean over the element and what varies about it: what the two share
/// is nothing, and is omitted rather than left to rounding.
inline MatrixXd condensed(const Rows3& mean, const std::vector<Point>& varying, Rows3 Point::*rows,
                          const Matrix3d& stiffness) {
  double area = 0;
  MatrixXd sum = MatrixXd::Zero(mean.cols(), mean.cols());
  for (const auto& p : varying) {
    area += p.weight;
    sum += p.weight * (p.*rows).transpose() * stiffness * (p.*rows);
  }
  return sum + area * mean.transpose() * stiffness * mean;
}

/// What add_points() makes an element of: means over the element (or nothing), and at every point what varies about
/// them.
struct Points {
  Rows3 membrane, bending;
  std::vector<Point> varying;
};

/// Adds the integration points of a wall: what they make of the measures while elastic as blocks, or themselves where
/// they remember. Membrane measures come first, as many bending measures after them.
template <int N>
void add_points(Element<N>& e, const Points& points, const Matrix3d& membrane, const Matrix3d& bending,
                std::shared_ptr<const material::Wall> wall) {
  for (const auto& p : points.varying)
    e.points.push_back({p.weight, points.membrane + p.membrane, points.bending + p.bending});
  e.membrane = membrane, e.bending = bending;
  e.wall = std::move(wall);
  if (e.wall) return;
  e.blocks.push_back({0, condensed(points.membrane, points.varying, &Point::membrane, membrane)});
  e.blocks.push_back(
      {static_cast<int>(points.bending.cols()), condensed(points.bending, points.varying, &Point::bending, bending)});
}

/// Wall of a part whose material flows; nullptr: elastic.
inline std::shared_ptr<const material::Wall> flowing_wall(const model::Part& part, const model::Material& material,
                                                          double thickness) {
  return material.flows()
             ? std::make_shared<const material::Wall>(detail::flow_law_of<3>(material), thickness, part.layers / 2)
             : nullptr;
}

template <int N>
std::size_t memory_of(const Element<N>& e) {
  return e.wall ? e.points.size() * static_cast<std::size_t>(e.wall->memory_size()) : 0;
}

template <class Vector>
material::Wall::Vec6 strain_at(const Point& p, const Vector& measures) {
  const auto count = p.membrane.cols();
  material::Wall::Vec6 strain;
  strain << p.membrane * measures.head(count), p.bending * measures.segment(count, count);
  return strain;
}

/// Stresses conjugate to the measures. \param before, after  memory; nullptr: by the elastic wall (linear theory)
/// \param tangent  of the points, against the measures of membrane and bending; nullptr: not wanted
template <int N>
Measures<N> stresses(const Element<N>& e, const Measures<N>& strain, const double* before, double* after,
                     MatrixXd* tangent = nullptr) {
  Measures<N> s = Measures<N>::Zero(e.measures);
  for (const auto& block : e.blocks)
    s.segment(block.first, block.stiffness.rows()) = block.times(strain.segment(block.first, block.stiffness.rows()));
  for (std::size_t k = 0; e.wall && k < e.points.size(); ++k) {
    const Point& p = e.points[k];
    const auto count = p.membrane.cols();
    const auto at = k * static_cast<std::size_t>(e.wall->memory_size());
    const auto answer = before == nullptr ? e.wall->elastic_answer(strain_at(p, strain))
                                          : e.wall->respond(strain_at(p, strain), 0, before + at, after + at);
    s.head(count) += p.weight * p.membrane.transpose() * answer.stress.template head<3>();
    s.segment(count, count) += p.weight * p.bending.transpose() * answer.stress.template tail<3>();
    if (tangent == nullptr) continue;
    if (tangent->size() == 0) tangent->setZero(2 * count, 2 * count);
    Eigen::Matrix<double, 6, Eigen::Dynamic> both = Eigen::Matrix<double, 6, Eigen::Dynamic>::Zero(6, 2 * count);
    both.topLeftCorner(3, count) = p.membrane;
    both.bottomRightCorner(3, count) = p.bending;
    tangent->noalias() += p.weight * both.transpose() * (answer.tangent * both).eval();
  }
  return s;
}

/// Adds B^T C B to the lower triangle, block by block: sums over all measures would lose digits that the weak ones
/// have. \param flowing  of the points that remember, in place of the first block; empty: none
template <int N>
void add_stiffness(const Element<N>& e, const MeasureRows<N>& b, const MatrixXd& flowing, NodeSquare<N>& k) {
  MeasureRows<N> pulled;
  const auto add = [&](int first, const MatrixXd& stiffness) {
    const auto own = b.middleRows(first, stiffness.rows());
    pulled.resize(stiffness.rows(), 6 * N);
    if (stiffness.cols() == 1)
      pulled = stiffness.col(0).asDiagonal() * own;
    else
      pulled.noalias() = stiffness * own;
    k.template triangularView<Eigen::Lower>() += own.transpose() * pulled;
  };
  for (const auto& block : e.blocks) add(block.first, block.stiffness);
  if (flowing.size() > 0) add(0, flowing);
}

/// \param n  of the state
template <int N>
void evaluate_one(const Element<N>& e, const Nodes<N>& n, const State& state, const double* before, double* after,
                  const StressSource& source, double* force, double* tangent, double* geometric) {
  if (source.linear != nullptr) before = nullptr;
  const MeasureRows<N> b = rows(e, n);
  Measures<N> strain = -state.free_strain(e.part) * e.growth;
  if (source.linear == nullptr)
    strain += measures(e, n) - e.reference;
  else
    strain += b * step_of(e, n, *source.linear);
  MatrixXd flowing;
  const Measures<N> stress = stresses(e, strain, before, after, tangent == nullptr ? nullptr : &flowing);
  if (force != nullptr) Eigen::Map<Step<N>>{force}.noalias() = b.transpose() * stress;
  if (tangent == nullptr && geometric == nullptr) {
    if (e.offset != 0.0) detail::bring_to_nodes(n.arms.data(), nullptr, N, 6, force, {});
    return;
  }
  Measures<N> stiffening = stress;
  if (source.linear == nullptr && source.previous != nullptr) {
    const Nodes<N> last = gather(e, *source.previous);
    std::vector<double> thrown_away(memory_of(e));
    const Measures<N> ahead = measures(e, last) - e.reference + rows(e, last) * step_of(e, last, *source.step) -
                              source.previous->free_strain(e.part) * e.growth;
    stiffening = stresses(e, ahead, before, thrown_away.data());
  }
  NodeSquare<N> g = NodeSquare<N>::Zero();
  add_geometric(e, n, stiffening, g);
  if (geometric != nullptr) Eigen::Map<NodeSquare<N>>{geometric} = g;
  if (tangent != nullptr) {
    add_stiffness(e, b, flowing, g);
    Eigen::Map<NodeSquare<N>>{tangent} = g.template selfadjointView<Eigen::Lower>();
  }
  if (e.offset == 0.0) return;
  const Step<N> pull = b.transpose() * stiffening;
  std::array<Vec3, N> forces;
  for (int i = 0; i < N; ++i) forces[static_cast<std::size_t>(i)] = pull.template segment<3>(6 * i);
  detail::bring_to_nodes(n.arms.data(), forces.data(), N, 6, force, {tangent, geometric});
}

/// A batch of such elements.
template <int N>
class MeasuredShells final : public ShellKind {
 public:
  explicit MeasuredShells(std::vector<Element<N>> elements) : data_(std::move(elements)) {
    for (auto& e : data_) {
      e.memory = memory_size_;
      memory_size_ += memory_of(e);
    }
  }
  std::size_t memory_size() const override { return memory_size_; }
  void start_memory(double* block) const override {
    for (const auto& e : data_) start(e, block + e.memory);
  }
  FlowRecords flow_records(int element) const override {
    const auto& e = data_[static_cast<std::size_t>(element)];
    if (!e.wall) return {};
    return detail::flow_records_of(e.wall->law(), e.memory, e.points.size(),
                                   static_cast<std::size_t>(e.wall->layers()));
  }
  int size() const override { return static_cast<int>(data_.size()); }
  int nodes_per_element() const override { return N; }
  int part(int element) const override { return data_[static_cast<std::size_t>(element)].part; }
  const int* nodes(int element) const override { return data_[static_cast<std::size_t>(element)].nodes.data(); }
  Mat3 axes(int element) const override { return data_[static_cast<std::size_t>(element)].axes; }

  [[nodiscard]] base::Verdict evaluate(const Trial& trial, const int* elements, int count, const Outputs& out,
                                       const StressSource& source) const override {
    base::Verdict verdict = base::Verdict::good;
    constexpr std::ptrdiff_t n = 6 * N;
    for (int k = 0; k < count; ++k) {
      const auto& e = data_[static_cast<std::size_t>(elements[k])];
      const Nodes<N> nodes = gather(e, trial.state);
      if (source.linear == nullptr && folded(nodes)) verdict = base::Verdict::recoverable;
      const auto at = [&](double* base, std::ptrdiff_t stride) {
        return base == nullptr ? nullptr : base + stride * k;
      };
      const auto memory = memory_in(trial, e);
      evaluate_one(e, nodes, trial.state, memory.before, memory.after, source, at(out.force, n), at(out.tangent, n * n),
                   at(out.geometric, n * n));
    }
    return verdict;
  }

  material::Energy energy(const Trial& trial, int element) const override {
    const auto& e = data_[static_cast<std::size_t>(element)];
    const Measures<N> strain =
        measures(e, gather(e, trial.state)) - e.reference - trial.state.free_strain(e.part) * e.growth;
    const auto memory = memory_in(trial, e);
    material::Energy sum;
    for (const auto& block : e.blocks) {
      const VectorXd own = strain.segment(block.first, block.stiffness.rows());
      sum.stored += 0.5 * own.dot(block.times(own));
    }
    for (std::size_t k = 0; e.wall && k < e.points.size(); ++k)
      sum += e.points[k].weight * e.wall->energy(strain_at(e.points[k], strain), 0,
                                                 memory.before + k * static_cast<std::size_t>(e.wall->memory_size()));
    return sum;
  }

  ShellStress stress(const Trial& trial, int element, const VectorXd* linear,
                     std::vector<FaceStress>* faces) const override {
    const State& state = trial.state;
    const auto& e = data_[static_cast<std::size_t>(element)];
    const Nodes<N> n = gather(e, state);
    Measures<N> measured;
    if (linear == nullptr)
      measured = measures(e, n) - e.reference;
    else
      measured = rows(e, n) * step_of(e, n, *linear);
    if (linear == nullptr && state.correction.size() > 0) measured += rows(e, n) * step_of(e, n, state.correction);
    const Measures<N> strain = measured - state.free_strain(e.part) * e.growth;
    const Eigen::Matrix<double, 8, 1> r = e.middle * strain;
    if (!e.wall || linear != nullptr) {
      for (std::size_t k = 0; faces != nullptr && k < e.points.size(); ++k) {
        const auto own = strain_at(e.points[k], strain);
        faces->push_back(
            face_stress(e.membrane * own.template head<3>(), e.bending * own.template tail<3>(), e.thickness));
      }
      return shell_stress(r.head<3>(), r.segment<3>(3), r.tail<2>(), e.thickness);
    }
    ShellStress mean = flowing_stress(e, strain, memory_in(Trial(state, trial.committed, nullptr), e).before, faces);
    mean.shear = r.tail<2>();
    return mean;
  }

 private:
  /// Mean of the points, of forces and moments as of the stresses of the faces.
  static ShellStress flowing_stress(const Element<N>& e, const Measures<N>& strain, const double* before,
                                    std::vector<FaceStress>* faces) {
    double area = 0;
    for (const auto& p : e.points) area += p.weight;
    ShellStress mean;
    std::vector<double> after(static_cast<std::size_t>(e.wall->memory_size()));
    for (std::size_t k = 0; k < e.points.size(); ++k) {
      const auto own = strain_at(e.points[k], strain);
      const double share = e.points[k].weight / area;
      const double* memory = before + k * after.size();
      const auto answer = e.wall->respond(own, 0, memory, after.data());
      mean.membrane += share * answer.stress.template head<3>();
      mean.moment += share * answer.stress.template tail<3>();
      const FaceStress here{e.wall->stress(e.wall->layers() - 1, own, 0, memory), e.wall->stress(0, own, 0, memory)};
      mean.bottom += share * here.bottom;
      mean.top += share * here.top;
      if (faces != nullptr) faces->push_back(here);
    }
    return mean;
  }
  static void start(const Element<N>& e, double* memory) {
    for (std::size_t k = 0; e.wall && k < e.points.size(); ++k)
      e.wall->start(memory + k * static_cast<std::size_t>(e.wall->memory_size()));
  }
  static detail::OwnMemory memory_in(const Trial& trial, const Element<N>& e) {
    return {trial, e.memory, memory_of(e), [&](double* memory) { start(e, memory); }};
  }
  static bool folded(const Nodes<N>& n) {
    constexpr std::size_t corners = N == 3 ? 3 : 4;
    for (std::size_t i = 0; i < corners; ++i) {
      const Vec3& x = n.v[0][i];
      if ((n.v[0][(i + 1) % corners] - x).cross(n.v[0][(i + corners - 1) % corners] - x).dot(n.v[1][i]) <= 0)
        return true;
    }
    return false;
  }
  std::size_t memory_size_ = 0;
  std::vector<Element<N>> data_;
};

/// Fills in what follows for the reference state, of all elements.
template <int N>
void finish(std::vector<Element<N>>& list, const model::Model& model) {
  const State reference = State::reference(model);
  for (auto& e : list) {
    const Nodes<N> n = gather(e, reference);
    e.reference = measures(e, n);
    Step<N> outward = Step<N>::Zero();
    for (int i = 0; i < N; ++i) outward.template segment<3>(6 * i) = n.v[0][static_cast<std::size_t>(i)] - n.v[0][0];
    e.growth = rows(e, n) * outward;
  }
}

}  // namespace archway::elements::measured
