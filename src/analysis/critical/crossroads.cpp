#include <algorithm>
#include <cmath>

#include "archway/analysis/system.hpp"
#include "critical/crossroads_detail.hpp"

namespace archway::analysis::detail {

namespace {
using Eigen::MatrixXd;
using Eigen::Vector2d;
using Eigen::VectorXd;

constexpr double kAmplitude = 3e-3;  ///< of the structure's size
constexpr int kAround = 16;          ///< mixes that are looked at first
constexpr double kFirst = 0.1;       ///< radians: structures have symmetries, and on them no push has a sign
constexpr double kNear = 0.02;       ///< radians around a likely branch
constexpr double kEnough = 1e-4;     ///< radians to which a branch is found
constexpr double kSure = 10;         ///< times its uncertainty: a push that is one

VectorXd displacements(const VectorXd& full) {
  VectorXd moved = VectorXd::Zero(full.size());
  for (Eigen::Index n = 0; n < full.size(); n += model::kNodeDofs) moved.segment<3>(n) = full.segment<3>(n);
  return moved;
}
Vector2d mix_at(double angle) {
  return {std::cos(angle), std::sin(angle)};
}
}  // namespace

Crossroads::Crossroads(const System& system, const PathOptions& options, const Point& at, const MatrixXd& shapes)
    : system_(system), options_(tight(options)), equilibrium_(system, options_, quiet_), at_(at), axes_(shapes) {
  for (Eigen::Index k = 0; k < 2; ++k) {
    if (k == 1) axes_.col(1) -= displacements(axes_.col(0)).dot(axes_.col(1)) * axes_.col(0);
    const double size = displacements(axes_.col(k)).norm();
    if (k == 0) amplitude_ = kAmplitude * system.model().size() * size / largest_displacement(axes_.col(0));
    axes_.col(k) /= size;
  }
  planes_.resize(axes_.rows(), 2);
  for (Eigen::Index k = 0; k < 2; ++k) planes_.col(k) = displacements(axes_.col(k));
}

Crossroads::Around Crossroads::push_at(double angle) {
  Point point = at_;
  const Vector2d mix = mix_at(angle), across(-mix[1], mix[0]);
  Equilibrium::Pinned pinned{planes_, axes_, amplitude_ * mix, planes_ * across, 0};
  const auto report = equilibrium_.at_mix(point, at_.state, pinned);
  if (report.outcome != Attempt::converged) return {};
  // what is still out of balance may be part of the push; as one force that is its sum of squares over all nodes
  return {pinned.push, point.balance.residual * point.balance.force_scale / pinned.pushed.norm(), true};
}

/// Between two mixes whose pushes differ in sign (Illinois).
double Crossroads::root(double low, double high, double push_low, double push_high) {
  for (int step = 0; step < 12 && high - low > kEnough; ++step) {
    double middle = low + (high - low) * push_low / (push_low - push_high);
    middle = std::clamp(middle, low + 0.02 * (high - low), high - 0.02 * (high - low));
    const Around here = push_at(middle);
    if (!here.found || std::abs(here.push) <= here.uncertainty) return middle;
    if (here.push * push_low > 0) {
      low = middle, push_low = here.push, push_high *= 0.5;
    } else {
      high = middle, push_high = here.push, push_low *= 0.5;
    }
  }
  return 0.5 * (low + high);
}

/// Where the trigonometric polynomial through pushes at equal distances changes its sign: by samples close to each
/// other, since two branches may be nearer than two pushes.
std::vector<double> Crossroads::likely(const std::vector<double>& pushes) {
  constexpr int kFine = 720;
  const int count = static_cast<int>(pushes.size());
  const auto value = [&](double rotation) {
    double sum = 0;
    for (int i = 0; i < count; ++i) {  // Dirichlet kernel without its last, one-sided term
      double kernel = 1;
      for (int k = 1; k < count / 2; ++k) kernel += 2 * std::cos(k * (rotation - 2 * M_PI * i / count));
      sum += kernel / count * pushes[static_cast<std::size_t>(i)];
    }
    return sum;
  };
  std::vector<double> list;
  double last = value(0);
  for (int i = 1; i <= kFine; ++i) {
    const double next = value(2 * M_PI * i / kFine);
    if ((last > 0) != (next > 0)) list.push_back(kFirst + 2 * M_PI * (i - 0.5) / kFine);
    last = next;
  }
  return list;
}

std::vector<Vector2d> Crossroads::branches() {
  std::vector<double> pushes;
  double most = 0, least = 0;
  for (int i = 0; i < kAround; ++i) {
    const auto one = push_at(kFirst + 2 * M_PI * i / kAround);
    if (!one.found) return {};
    pushes.push_back(one.push);
    most = std::max(most, std::abs(one.push)), least = std::max(least, one.uncertainty);
  }
  if (!(most > kSure * least)) return {};
  std::vector<Vector2d> list;
  for (const double angle : likely(pushes)) {
    const auto low = push_at(angle - kNear), high = push_at(angle + kNear);
    const bool between = low.found && high.found && low.push * high.push < 0;
    list.push_back(mix_at(between ? root(angle - kNear, angle + kNear, low.push, high.push) : angle));
  }
  return list;
}

}  // namespace archway::analysis::detail
