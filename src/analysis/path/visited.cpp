#include <array>
#include <cmath>
#include <random>

#include "archway/analysis/system.hpp"
#include "archway/base/index.hpp"
#include "path/visited_detail.hpp"

/// Whether a path comes back to where it has been.
namespace archway::analysis::detail {

using base::at;

namespace {
constexpr double kNearStretch = 0.1;  ///< of a step: as near a stretch, a state is looked at more closely
constexpr double kAlike = 0.9;        ///< cosine from which two directions are one
constexpr std::size_t kOlder = 4;     ///< a path goes on beside its own last states; a loop needs older ones

/// Signs of the projections: one random number a node, one bit for each of its three displacements and each projection.
/// The generator and its seed are fixed by the standard, so that the same path is judged alike on every machine.
class Signs {
 public:
  Eigen::Vector3d next(int projection) const {
    Eigen::Vector3d signs;
    for (int k = 0; k < 3; ++k) signs[k] = (bits_ >> (3 * projection + k)) & 1u ? 1 : -1;
    return signs;
  }
  void draw() { bits_ = generator_(); }

 private:
  std::mt19937_64 generator_{20231};
  std::uint64_t bits_ = 0;
};
}  // namespace

VisitedStates::Signature VisitedStates::signature_of(const Point& point) const {
  // the load factor is one more displacement, with a sign of its own in each projection
  Signature sum;
  for (int k = 0; k < kProjections; ++k) sum[k] = (k % 2 == 0 ? 1 : -1) * point.factor;
  const double weight = equilibrium_.displacement_weight();
  const auto& nodes = system_.model().nodes;
  Signs signs;
  for (std::size_t n = 0; n < nodes.size(); ++n) {
    const Eigen::Vector3d moved = weight * (point.state.position[n] - nodes[n]);
    signs.draw();
    for (int k = 0; k < kProjections; ++k) sum[k] += signs.next(k).dot(moved);
  }
  return sum / std::sqrt(static_cast<double>(kProjections));
}

void VisitedStates::add(int increment, const Point& point, bool leap) {
  entries_.push_back({increment, signature_of(point), leap});
}

std::optional<VisitedStates::Return> VisitedStates::passed_again(const Point& from, const Point& to,
                                                                 double step) const {
  if (entries_.size() < 2) return std::nullopt;
  const Signature end = signature_of(to), way = end - signature_of(from);
  std::optional<Return> nearest;
  double least = kNearStretch * step;
  for (std::size_t e = 0; e + 1 < entries_.size(); ++e) {
    const Signature stretch = entries_[e + 1].place - entries_[e].place;
    const double length = stretch.norm();
    if (length == 0.0 || entries_[e + 1].leap) continue;
    const double share = (end - entries_[e].place).dot(stretch) / (length * length);
    if (share < 0 || share > 1) continue;
    const double off = (end - entries_[e].place - share * stretch).norm(),
                 alike = way.dot(stretch) / (length * way.norm());
    const bool backward = alike<-kAlike, forward = alike> kAlike && entries_.size() - e > kOlder + 1;
    if (off >= least || !(backward || forward)) continue;
    least = off;
    const std::size_t entry = share < 0.5 ? e : e + 1;
    nearest = Return{entry, entries_[entry].increment, backward};
  }
  return nearest;
}

std::optional<VisitedStates::Plane> VisitedStates::plane_at(const Return& found, const Point& to,
                                                            const std::vector<Increment>& increments) const {
  const std::size_t before = found.entry > 0 ? found.entry - 1 : 0, after = std::min(before + 1, entries_.size() - 1);
  const auto kept = [&](std::size_t entry) { return increments[at(entries_[entry].increment)].kept; };
  if (!kept(before) || !kept(after)) return std::nullopt;
  const auto between = [](const KeptState& a, const State& b, double factor) {
    Direction way{Eigen::VectorXd::Zero(model::row(b.position.size())), factor - a.load_factor};
    for (std::size_t n = 0; n < b.position.size(); ++n)
      way.displacement.segment<3>(model::row(n)) = b.position[n] - a.state.position[n];
    return way;
  };
  Plane plane;
  plane.direction = between(*kept(before), kept(after)->state, kept(after)->load_factor);
  const double length = equilibrium_.length(plane.direction.displacement, plane.direction.factor);
  if (!(length > 0)) return std::nullopt;
  plane.direction.displacement /= length;
  plane.direction.factor /= length;
  plane.beyond = equilibrium_.dot(between(*kept(found.entry), to.state, to.factor), plane.direction);
  return plane;
}

}  // namespace archway::analysis::detail
