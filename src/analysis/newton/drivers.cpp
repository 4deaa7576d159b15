#include <algorithm>
#include <cmath>
#include <optional>
#include <utility>

#include "archway/analysis/system.hpp"
#include "archway/elements/obstacle.hpp"
#include "archway/elements/surface_contact.hpp"
#include "newton/equilibrium_detail.hpp"
#include "newton/newton_thresholds_detail.hpp"

/// What is prescribed while a state is corrected: the load factor (at_load), loads at rest while supports that are gone
/// let go, a mix of null vectors, or the plane normal to a predictor (along; [Riks1979], [Ramm1981]).
namespace archway::analysis::detail {

namespace {
using Eigen::VectorXd;
}  // namespace

double Equilibrium::out_of_balance(const Point& point) const {
  VectorXd gap;
  AssemblyRequest request;
  request.internal_force = &gap;
  request.committed = point.memory.get();
  if (system_.assemble(point.state, request) != base::Verdict::good) return HUGE_VAL;
  gap -= system_.loading().loads(combined(point.factor, point.preload), point.state, Warmth::in_state);
  if (left_.size() > 0) gap -= (1 - point.let_go) * left_;
  const double size = system_.free_part(gap).cwiseProduct(weights_).norm();
  return std::isfinite(size) ? size : HUGE_VAL;
}

/// A step along the path as it came here: what flows goes on flowing, which the tangent of a state at rest does not
/// know.
bool Equilibrium::goes_on(const Point& point, double preload) const {
  return !searches_ && preload == point.preload && point.tangent.displacement.size() > 0 &&
         std::abs(point.tangent.factor) > kSteep;
}

/// The prescribed displacements of a step enter through the tangent, so that the structure follows them.
bool Equilibrium::follow_pull(const Point& point, const VectorXd& displacements, Begin begin, VectorXd& step) {
  follow_pairs(point);
  const VectorXd pulled = system_.to_full(step, point.state, &displacements);
  VectorXd pull;
  AssemblyRequest request;
  request.tangent = &tangent_->matrix();
  request.direction = &pulled;
  request.tangent_times = &pull;
  request.committed = point.memory.get();
  if (coupled().assemble(point.state, request) != base::Verdict::good) return false;
  tangent_->changed({});
  if (begin == Begin::factorise && !tangent_->factorise()) return false;
  step = -system_.free_part(pull);
  return tangent_->solve(step, point.state, 1e-6);
}

AttemptReport Equilibrium::at_load(Point& point, double factor, double preload, double step, int number, Begin begin) {
  VectorXd first_step = VectorXd::Zero(system_.free_count());
  const VectorXd pulled =
      (factor - point.factor) * variable_displacement_ + (preload - point.preload) * constant_displacement_;
  const bool ahead = !pulled.isZero(0.0) && goes_on(point, preload);
  if (!pulled.isZero(0.0)) {
    if (ahead)
      first_step =
          system_.free_values((factor - point.factor) / point.tangent.factor * point.tangent.displacement, point.state);
    else if (!follow_pull(point, pulled, begin, first_step))
      return {};
  }
  point.factor = factor;
  point.preload = preload;
  Foresight before = move(point, system_.to_full(first_step, point.state));
  return correct_loads_at_rest(point, std::move(before), {step, number, begin, !ahead});
}

AttemptReport Equilibrium::correct_loads_at_rest(Point& point, Foresight before, const Effort& effort) {
  return iterate(point, std::move(before), effort, [&](const Residual& residual, Correction& correction) {
    correction.free = -residual.free;
    return tangent_->solve(correction.free, point.state, linear_tolerance_);
  });
}

AttemptReport Equilibrium::let_go(Point& point, double share, int number) {
  const double more = share - point.let_go;
  point.let_go = share;
  Foresight before = move(point, VectorXd::Zero(system_.full_size()));
  return correct_loads_at_rest(point, std::move(before), {more, number, Begin::factorise, true});
}

AttemptReport Equilibrium::at_reading(Point& point, const WatchPoint& watch, double value, const Direction& direction,
                                      int number, Begin begin) {
  const VectorXd plane = gradient(watch, point);
  const double way = value - reading(watch, point), slope = plane.dot(direction.displacement);
  double step = 0;
  if (slope != 0.0 && std::isfinite(way / slope)) step = way / slope;
  point.factor += step * direction.factor;
  const VectorXd straight =
      system_.to_full(system_.free_values(step * direction.displacement, point.state), point.state);
  Foresight before = move(point, straight);
  return iterate(point, std::move(before), {step, number, begin, step == 0.0},
                 [&](const Residual& residual, Correction& correction) {
                   correction = {-residual.free, value - reading(watch, point)};
                   return tangent_->solve(correction.free, correction.factor,
                                          border_on(point, gradient(watch, point), 0), point.state, linear_tolerance_);
                 });
}

AttemptReport Equilibrium::at_amplitude(Point& point, const VectorXd& plane, const State& origin, double value,
                                        const VectorXd& shape) {
  const auto amplitude = [&] {
    double sum = 0;
    for (std::size_t n = 0; n < origin.position.size(); ++n)
      sum += plane.segment<3>(model::row(n)).dot(point.state.position[n] - origin.position[n]);
    return sum;
  };
  const VectorXd step = (value - amplitude()) * shape;
  Foresight before = move(point, system_.to_full(system_.free_values(step, point.state), point.state));
  return iterate(point, std::move(before), {value, 0, Begin::factorise, false},
                 [&](const Residual& residual, Correction& correction) {
                   correction = {-residual.free, value - amplitude()};
                   return tangent_->solve(correction.free, correction.factor, border_on(point, plane, 0), point.state,
                                          linear_tolerance_);
                 });
}

AttemptReport Equilibrium::at_mix(Point& point, const State& origin, Pinned& pinned) {
  const auto missing = [&] {
    Eigen::Vector2d sum = pinned.wanted;
    for (std::size_t n = 0; n < origin.position.size(); ++n)
      sum -= pinned.planes.middleRows<3>(model::row(n)).transpose() * (point.state.position[n] - origin.position[n]);
    return sum;
  };
  const VectorXd kept = std::exchange(left_, pinned.push * pinned.pushed), step = pinned.shapes * missing();
  point.let_go = 0;  // so that the push acts
  Foresight before = move(point, system_.to_full(system_.free_values(step, point.state), point.state));
  const auto report = iterate(
      point, std::move(before), {0, 0, Begin::factorise, false}, [&](const Residual& residual, Correction& correction) {
        Eigen::MatrixXd answers(system_.full_size(), 3);
        const VectorXd* moved[3] = {nullptr, &variable_displacement_, nullptr};
        VectorXd free[3] = {-residual.free, load_direction(point), system_.free_part(pinned.pushed)};
        for (int k = 0; k < 3; ++k) {
          if (!tangent_->solve(free[k], point.state, linear_tolerance_)) return false;
          answers.col(k) = system_.to_full(free[k], point.state, moved[k]);
        }
        const Eigen::Matrix<double, 2, 3> gone = pinned.planes.transpose() * answers;
        const Eigen::Vector2d shares = gone.rightCols<2>().inverse() * (missing() - gone.col(0));
        if (!shares.allFinite()) return false;
        correction = {free[0] + shares[0] * free[1] + shares[1] * free[2], shares[0]};
        pinned.push += shares[1];
        left_ = pinned.push * pinned.pushed;
        return true;
      });
  left_ = kept;
  point.let_go = 1;
  return report;
}

AttemptReport Equilibrium::along(Point& point, const Predictor& path, double arc, int number, Begin begin) {
  const Direction& direction = path.direction;
  const bool bends = path.bend.displacement.size() > 0;
  point.factor += arc * direction.factor + (bends ? 0.5 * arc * arc * path.bend.factor : 0);
  // prescribed displacements come in with the load factor
  const auto moved = [&](const VectorXd& way) {
    return system_.to_full(system_.free_values(way, point.state), point.state);
  };
  const VectorXd straight = moved(arc * direction.displacement);
  Foresight before = move(point, bends ? straight + moved(0.5 * arc * arc * path.bend.displacement) : straight);
  // the bend takes back what going straight on stretches: stresses are foreseen without it
  if (bends) before.step = straight;
  return iterate(point, std::move(before), {arc, number, begin, false},
                 [&](const Residual& residual, Correction& correction) {
                   correction = {-residual.free, 0};
                   return tangent_->solve(correction.free, correction.factor, border(point, direction), point.state,
                                          linear_tolerance_);
                 });
}

}  // namespace archway::analysis::detail
