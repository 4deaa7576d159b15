#include "archway/analysis/peak_slope.hpp"

#include <algorithm>
#include <cmath>
#include <set>

#include "archway/analysis/system.hpp"
#include "archway/base/index.hpp"
#include "archway/elements/loads.hpp"
#include "archway/elements/moved.hpp"
#include "system/changed_detail.hpp"

namespace archway::analysis {

namespace {
using base::at;
using Eigen::VectorXd;

constexpr double kStep = 1e-6;  ///< of the structure's size: two differences of this lose half the digits

const CriticalPoint& null_of_peak(const PathResult& path) {
  if (!path.peak_is_limit_point || path.peak < 0)
    throw base::InputError("peak", "the path has no limit point, so the slope of its peak is not known",
                           "follow it beyond its peak with arc length");
  for (const auto& c : path.critical_points)
    if (c.increment == path.peak && c.shapes.cols() > 0) return c;
  throw base::InputError("peak", "the null vector of the limit point was not found",
                         "let the path locate its critical points");
}
}  // namespace

PeakSlope::PeakSlope(const System& system, const PathOptions& options, const PathResult& path) : system_(system) {
  const auto& null = null_of_peak(path);
  const auto& increment = path.increments[at(path.peak)];
  if (!increment.kept) throw base::InputError("peak", "its state was not kept", "keep states");
  kept_ = *increment.kept;
  if (!system.model().touches.empty() || !system.model().contacts.empty())
    throw base::InputError("peak", "parts may touch obstacles or each other: the slope holds for free structures",
                           "compare runs");
  if (kept_.memory && increment.plastic_strain > 0)
    throw base::InputError("peak", "something has yielded: the slope holds for elastic structures",
                           "follow the elastic path, or compare runs");
  phi_ = null.shapes.col(0);
  load_factor_ = increment.load_factor;
  variable_ = system.factors(options.variable);
  factors_ = system.factors(options.constant);
  for (std::size_t p = 0; p < factors_.size(); ++p) factors_[p] += load_factor_ * variable_[p];
  below_ = phi_.dot(system.nodal_loads(variable_, kept_.state));
  size_ = system.model().size();
  if (!(std::abs(below_) > 0))
    throw base::InputError("peak", "the variable load does no work on the null vector: it is a bifurcation",
                           "seed an imperfection, which makes a limit point of it");
}

State PeakSlope::state_of(const model::Model& changed) const {
  State state = kept_.state;
  for (std::size_t n = 0; n < state.position.size(); ++n)
    state.position[n] += changed.nodes[n] - system_.model().nodes[n];
  return state;
}

std::vector<double> PeakSlope::element_work(const model::Model& changed) const {
  const Geometry geometry(changed);
  const State state = state_of(changed);
  std::vector<double> work;
  const auto virgin = geometry.virgin_memory();
  for (std::size_t s = 0; s < geometry.sets().size(); ++s) {
    const auto& batch = *geometry.sets()[s].batch;
    const auto size = static_cast<std::size_t>(batch.size()), first = work.size();
    work.resize(first + size);
    const auto trial = geometry.trial(state, &virgin, batch);
    system_.executor().for_range(
        batch.size(),
        [&](int begin, int end) {
          VectorXd force(batch.dof_count());
          elements::Outputs out;
          out.force = force.data();
          for (int e = begin; e < end; ++e) {
            (void)batch.evaluate(trial, &e, 1, out, {});
            const auto dofs = Topology::dofs_of(batch, e);
            double sum = 0;
            for (std::size_t i = 0; i < dofs.size(); ++i) sum += phi_[dofs[i]] * force[static_cast<Eigen::Index>(i)];
            work[first + at(e)] = sum;
          }
        },
        64);
  }
  return work;
}

double PeakSlope::work_of(const model::Model& changed) const {
  double sum = 0;
  for (const double w : element_work(changed)) sum += w;
  const State state = state_of(changed);
  VectorXd nodal = VectorXd::Zero(system_.full_size());
  for (std::size_t p = 0; p < factors_.size(); ++p)
    if (factors_[p] != 0.0) elements::add_loads(changed, changed.actions[p], factors_[p], state, nodal);
  return sum - phi_.dot(nodal);
}

double PeakSlope::along(const std::vector<Vec3>& shape, const std::vector<Vec3>& rotation) const {
  double largest = 0;
  for (const auto& m : shape) largest = std::max(largest, m.norm());
  for (const auto& t : rotation) largest = std::max(largest, t.norm() * size_);
  if (!(largest > 0)) return 0;
  const double h = kStep * size_ / largest;
  return (work_of(elements::moved(system_.model(), shape, rotation, h)) -
          work_of(elements::moved(system_.model(), shape, rotation, -h))) /
         (2 * h * below_);
}

double PeakSlope::along_walls(const std::vector<double>& thicker) const {
  double largest = 0;
  for (const double t : thicker) largest = std::max(largest, std::abs(t));
  if (!(largest > 0)) return 0;
  double wall = HUGE_VAL;
  for (const auto& e : system_.model().shell_elements) wall = std::min(wall, system_.model().thickness(e));
  const double h = 1e-5 * wall / largest;
  model::Model thick = system_.model(), thin = thick;
  for (std::size_t e = 0; e < thicker.size(); ++e)
    thick.shell_elements[e].thicker += h * thicker[e], thin.shell_elements[e].thicker -= h * thicker[e];
  return (work_of(thick) - work_of(thin)) / (2 * h * below_);
}

double PeakSlope::by_thickness(int part) const {
  const double t = system_.model().parts[at(part)].thickness;
  return t > 0 ? by_stiffness(part) / t : kUnset;
}

double PeakSlope::by_section(int part) const {
  return system_.model().parts[at(part)].profile >= 0 ? by_stiffness(part) : kUnset;
}

double PeakSlope::by_stiffness(int part) const {
  constexpr double h = 1e-5;
  return (work_of(detail::with_stiffer(system_.model(), part, 1 + h)) -
          work_of(detail::with_stiffer(system_.model(), part, 1 - h))) /
         (2 * h * below_);
}

std::vector<double> PeakSlope::by_node() const {
  const auto& model = system_.model();
  const auto count = model.nodes.size();
  const auto normal = elements::node_normals(model);
  // elements of all batches in one row, as element_work counts them; neighbours by shared nodes
  std::vector<std::vector<int>> of_node(count), nodes_of;
  for (const auto& set : system_.geometry().sets())
    for (int e = 0; e < set.batch->size(); ++e) {
      const int* first = set.batch->nodes(e);
      nodes_of.emplace_back(first, first + set.batch->nodes_per_element());
      for (const int n : nodes_of.back()) of_node[at(n)].push_back(static_cast<int>(nodes_of.size()) - 1);
    }
  // a node's displacement rotations the directors of its neighbours, which changes the elements around those
  const auto reach = [&](int node, int rings) {
    std::set<int> nodes = {node};
    for (int ring = 0; ring < rings; ++ring) {
      std::set<int> wider = nodes;
      for (const int n : nodes)
        for (const int e : of_node[at(n)]) wider.insert(nodes_of[at(e)].begin(), nodes_of[at(e)].end());
      nodes.swap(wider);
    }
    return nodes;
  };
  std::vector<int> colour(count, -1);
  int colours = 0;
  for (std::size_t n = 0; n < count; ++n) {
    if (normal[n].isZero(0.0)) continue;
    std::set<int> taken;
    for (const int other : reach(static_cast<int>(n), 4))
      if (colour[at(other)] >= 0) taken.insert(colour[at(other)]);
    int own = 0;
    while (taken.count(own) != 0) ++own;
    colour[n] = own;
    colours = std::max(colours, own + 1);
  }
  std::vector<double> slope(count, 0.0);
  const double h = kStep * size_;
  for (int c = 0; c < colours; ++c) {
    std::vector<Vec3> shape(count, Vec3::Zero());
    for (std::size_t n = 0; n < count; ++n)
      if (colour[n] == c) shape[n] = normal[n];
    const auto plus = element_work(elements::moved(model, shape, {}, h)),
               minus = element_work(elements::moved(model, shape, {}, -h));
    for (std::size_t n = 0; n < count; ++n) {
      if (colour[n] != c) continue;
      std::set<int> elements;
      for (const int near : reach(static_cast<int>(n), 1))
        for (const int e : of_node[at(near)]) elements.insert(e);
      for (const int e : elements) slope[n] += (plus[at(e)] - minus[at(e)]) / (2 * h * below_);
    }
  }
  return slope;
}

}  // namespace archway::analysis
