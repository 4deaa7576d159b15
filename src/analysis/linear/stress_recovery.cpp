#include "archway/analysis/stress_recovery.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include "archway/analysis/system.hpp"
#include "archway/base/dense.hpp"
#include "archway/model/panel_area.hpp"

namespace archway::analysis {

namespace {
using elements::Mat3;

/// Plane stress (11 22 12) in axes (columns 1, 2, 3) to global axes.
Stress to_global(const Eigen::Vector3d& s, const Mat3& axes) {
  Mat3 local = Mat3::Zero();
  local(0, 0) = s[0];
  local(1, 1) = s[1];
  local(0, 1) = local(1, 0) = s[2];
  const Mat3 g = axes * local * axes.transpose();
  Stress stress;
  stress << g(0, 0), g(1, 1), g(2, 2), g(0, 1), g(1, 2), g(0, 2);
  return stress;
}

/// What one element brings to one of its nodes.
struct Share {
  int part;
  double weight;
  Vec3 normal;  // zero for solids
  LayerStress stress;
};

double largest_equivalent(const LayerStress& s) {
  return std::max(elements::equivalent_stress(s.top), elements::equivalent_stress(s.bottom));
}

/// Groups the shares of a node by part and direction, and averages each.
void average(int node, std::vector<Share> shares, std::vector<NodalStress>& out) {
  const double smooth = std::cos(20 * M_PI / 180);
  while (!shares.empty()) {
    const Share lead = shares.front();
    NodalStress mean{node, lead.part, 0, {}, 0};
    double weight = 0, low = HUGE_VAL, high = 0;
    std::vector<Share> rest;
    for (const auto& s : shares) {
      const double along = s.normal.dot(lead.normal);
      if (s.part != lead.part || (!lead.normal.isZero(0.0) && std::abs(along) < smooth)) {
        rest.push_back(s);
        continue;
      }
      const bool rotated = along < 0;  // the other side is its top
      mean.stress.top += s.weight * (rotated ? s.stress.bottom : s.stress.top);
      mean.stress.middle += s.weight * s.stress.middle;
      mean.stress.bottom += s.weight * (rotated ? s.stress.top : s.stress.bottom);
      weight += s.weight;
      ++mean.elements;
      low = std::min(low, largest_equivalent(s.stress));
      high = std::max(high, largest_equivalent(s.stress));
    }
    for (Stress* s : {&mean.stress.top, &mean.stress.middle, &mean.stress.bottom}) *s /= weight;
    mean.spread = high - low;
    out.push_back(mean);
    shares = std::move(rest);
  }
}
}  // namespace

RecoveredStress recover_stresses(const System& system, const LinearStaticResult& result) {
  const auto& m = system.model();
  RecoveredStress r;
  std::vector<std::vector<Share>> at_node(m.nodes.size());
  for (std::size_t e = 0; e < result.shell_stresses.size(); ++e) {
    const auto& s = result.shell_stresses[e];
    const Mat3 axes = system.shell_axes(static_cast<int>(e));
    r.shells.push_back({to_global(s.top, axes), to_global(0.5 * (s.top + s.bottom), axes), to_global(s.bottom, axes)});
    const auto& element = m.shell_elements[e];
    for (const int n : element)
      at_node[static_cast<std::size_t>(n)].push_back(
          {element.part, model::area(m, element), axes.col(2), r.shells.back()});
  }
  r.solids = result.solid_stresses;
  for (std::size_t e = 0; e < r.solids.size(); ++e)
    for (std::size_t c = 0; c < 8; ++c)
      at_node[static_cast<std::size_t>(m.solid_elements[e].nodes[c])].push_back(
          {m.solid_elements[e].part, 1, Vec3::Zero(), {r.solids[e][c], r.solids[e][c], r.solids[e][c]}});
  for (std::size_t n = 0; n < at_node.size(); ++n) average(static_cast<int>(n), std::move(at_node[n]), r.nodes);
  return r;
}

}  // namespace archway::analysis
