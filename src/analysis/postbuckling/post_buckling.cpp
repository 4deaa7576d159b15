#include "archway/analysis/post_buckling.hpp"

#include <cmath>

#include <fmt/format.h>

#include "archway/analysis/system.hpp"
#include "archway/base/dense.hpp"
#include "archway/base/index.hpp"
#include "newton/equilibrium_detail.hpp"

namespace archway::analysis {

namespace {
using base::at;
using detail::Equilibrium;
using detail::Point;
using Eigen::VectorXd;

constexpr double kLeast = 5e-4, kMost = 1e-2;  ///< change of the load factor that amplitudes are chosen for

/// States of the branch at given amplitudes of the mode.
class Branch {
 public:
  Branch(const System& system, const PathOptions& options, const PathResult& path, const CriticalPoint& null)
      : system_(system),
        options_(detail::tight(options)),
        equilibrium_(system_, options_, watcher_),
        start_(equilibrium_.resume(*path.increments[at(null.increment)].kept, false)),
        shape_(null.shapes.col(0)) {
    plane_ = VectorXd::Zero(shape_.size());
    double square = 0;
    for (Eigen::Index n = 0; n < shape_.size(); n += model::kNodeDofs) {
      plane_.segment<3>(n) = shape_.segment<3>(n);
      square += shape_.segment<3>(n).squaredNorm();
    }
    plane_ /= square;
    // how the amplitude changes along the primary path: it is none of the branch
    const auto& here = path.increments[at(null.increment)];
    const auto& before = path.increments[at(here.parent)];
    double way = 0;
    for (std::size_t n = 0; n < start_.state.position.size(); ++n)
      way += plane_.segment<3>(model::row(n)).dot(start_.state.position[n] - before.kept->state.position[n]);
    const double change = here.load_factor - before.load_factor;
    drift_ = change != 0.0 ? way / change : 0;
  }

  /// Load factor and the amplitude beside the primary path; none: no state was found.
  std::optional<std::pair<double, double>> at_amplitude(double amplitude) {
    Point point = start_;
    const auto report = equilibrium_.at_amplitude(point, plane_, start_.state, amplitude, shape_);
    if (report.outcome != detail::Attempt::converged) return {};
    return std::pair{amplitude - drift_ * (point.factor - start_.factor), point.factor};
  }
  double critical() const { return start_.factor; }
  const VectorXd& shape() const { return shape_; }
  int factorisations() const { return equilibrium_.factorisations(); }

 private:
  const System& system_;
  PathOptions options_;
  PathWatcher watcher_;
  Equilibrium equilibrium_;
  Point start_;
  VectorXd shape_, plane_;
  double drift_ = 0;
};

/// Amplitude at which the load factor has changed enough to be reported from rounding, and not more.
double fitting_amplitude(Branch& branch, double size) {
  double h = 1e-3 * size;
  for (int i = 0; i < 24; ++i) {
    const auto state = branch.at_amplitude(h);
    if (!state) {
      h *= 0.5;
      continue;
    }
    const double change = std::abs(state->second / branch.critical() - 1);
    if (change > kMost)
      h *= 0.5;
    else if (change < kLeast && h < 0.05 * size)
      h *= 2;
    else
      return h;
  }
  return 0;
}

/// f = f_c (1 + a w + b w^2) + c w^3 + d w^4 through all states, f_c as it comes out.
bool fit(PostBuckling& result) {
  const auto rows = static_cast<Eigen::Index>(result.points.size());
  Eigen::MatrixXd m(rows, 5);
  VectorXd f(rows);
  for (Eigen::Index r = 0; r < rows; ++r) {
    const double w = result.points[at(static_cast<int>(r))].first / result.span;
    m.row(r) << 1, w, w * w, w * w * w, w * w * w * w;
    f[r] = result.points[at(static_cast<int>(r))].second;
  }
  const VectorXd c = base::least_squares(m, f);
  if (!c.allFinite() || c[0] == 0.0) return false;
  result.load_factor = c[0];
  result.a = c[1] / c[0] / result.span;
  result.b = c[2] / c[0] / (result.span * result.span);
  return true;
}
}  // namespace

PostBuckling post_buckling(const System& system, const PathOptions& options, const PathResult& path) {
  PostBuckling result;
  if (path.stages.size() > 1) {
    result.message = "the path has several stages";
    return result;
  }
  const CriticalPoint* null = nullptr;
  for (const auto& c : path.critical_points)
    if (c.increment == path.first_loss && c.shapes.cols() > 0) null = &c;
  if (null == nullptr || path.increments[at(path.first_loss)].event != PathEvent::bifurcation) {
    result.message = "the path has no bifurcation before its peak";
    return result;
  }
  result.increment = null->increment;
  if (null->multiplicity > 1) {
    result.message =
        fmt::format("{} modes lose their stability together: one coefficient does not describe it", null->multiplicity);
    return result;
  }
  Branch branch(system, options, path, *null);
  const double h = fitting_amplitude(branch, system.model().size());
  result.shape = branch.shape();
  result.span = h;
  for (const double share : {-1.0, -0.75, -0.5, 0.5, 0.75, 1.0})
    if (const auto state = h > 0 ? branch.at_amplitude(share * h) : std::nullopt) result.points.push_back(*state);
  result.factorisations = branch.factorisations();
  result.found = result.points.size() == 6 && fit(result);
  result.message = result.found ? "" : "the branch was not found at small amplitudes";
  // no digit of a symmetric branch is asymmetry
  if (result.found && std::abs(result.a * h) < 1e-3 * std::abs(result.b) * h * h) result.a = 0;
  return result;
}

double predicted_share(double a, double b, double w) {
  if (!(w > 0) || (a == 0.0 && !(b < 0))) return 1;
  const auto left = [&](double l) {
    return a != 0.0 ? (1 - l) * (1 - l) - 4 * std::abs(a) * w * l
                    : std::pow(1 - l, 1.5) - 1.5 * std::sqrt(3.0) * std::sqrt(-b) * w * l;
  };
  double low = 0, high = 1;
  for (int i = 0; i < 200; ++i) {
    const double l = 0.5 * (low + high);
    (left(l) > 0 ? low : high) = l;
  }
  return low;
}

}  // namespace archway::analysis
