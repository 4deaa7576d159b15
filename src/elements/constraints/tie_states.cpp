#include "constraints/tie_detail.hpp"

/// Where followers lie in a state, and the values of free directions.
namespace archway::elements {

namespace {
using namespace tie_detail;
using Eigen::VectorXd;
}  // namespace

void Ties::advance(State& state, const VectorXd& step) const {
  if (empty()) return state.advance(step);
  const State before = state;
  VectorXd own = step;
  for (const Data& data : ties_) {
    const auto first = model::row(data.tie.follower);
    for (int k = 0; k < model::kNodeDofs; ++k)
      if (data.tie.gives(k)) own[first + k] = 0;
  }
  state.advance(own);
  for (const Data& data : ties_) place(data, before, step, state);
}

void Ties::place(const Data& data, const State& before, const VectorXd& step, State& state) const {
  const auto& tie = data.tie;
  const auto s = at(tie.follower);
  if (tie.leaders.empty()) return place_swing(data, before, step, state);
  const auto l = at(tie.leaders[0]);
  if (tie.kind == model::Tie::Kind::alike) {
    for (int k = 0; k < 3; ++k)
      if (tie.gives(k)) {
        const auto other = at(tie.alike[at(k)]);
        const double times = tie.times[at(k)];
        state.put_sum(s, k, times * state.position[other][k], data.distance[k], times * state.remainder[other][k]);
      }
    if (tie.rotations_like >= 0) state.rotation[s] = state.rotation[at(tie.rotations_like)] * data.rotated;
    return;
  }
  if (tie.kind == model::Tie::Kind::mean) {
    const Fit fit(state, data);
    if (tie.moves) state.put_from(l, s, fit.mean + fit.arm);
    if (tie.rotations) state.rotation[s] = Eigen::Quaterniond(fit.rotation).normalized() * data.rotated;
    return;
  }
  if (tie.warps) state.warp[s] = state.warp[l] + data.warped;
  if (tie.leaders.size() > 1) {
    const MeanRotation mean(state, tie);
    if (tie.rotations)
      state.rotation[s] =
          Eigen::Quaterniond(mean.sum[0], mean.sum[1], mean.sum[2], mean.sum[3]).normalized() * data.rotated;
    if (!tie.moves) return;
    Vec3 arm = mean_in(state, tie);
    for (std::size_t i = 0; i < tie.leaders.size(); ++i)
      arm += tie.weights[i] *
             (tie.arms_rotation ? Vec3(state.rotation[at(tie.leaders[i])] * data.distance) : data.distance);
    state.put_from(l, s, arm);
    return;
  }
  VectorXd slides, rotations;
  free_values(data, before, step, slides, rotations);
  if (tie.rotations && tie.free_rotations.empty()) state.rotation[s] = state.rotation[l] * data.rotated;
  if (tie.rotations && tie.free_rotations.size() == 1)
    state.rotation[s] = (state.rotation[l] * before.rotation[l].conjugate() *
                         (base::exponential(rotations[0] * rotations_now(tie, before)[0]) * before.rotation[s]))
                            .normalized();
  if (tie.rotations && tie.free_rotations.size() == 2) place_swing(data, before, step, state);
  if (!tie.moves) return;
  Vec3 arm = before.between(tie.leaders[0], tie.follower);
  Eigen::Index k = 0;
  for (const Vec3& axis : moves_now(tie, before)) arm += slides[k++] * axis;
  if (!tie.arms_rotation && tie.free_moves.empty()) arm = data.distance;
  if (!tie.warp_move.isZero(0.0)) arm += (state.warp[l] - before.warp[l]) * (before.rotation[l] * tie.warp_move);
  state.put_from(l, s, tie.arms_rotation ? Vec3(state.rotation[l] * (before.rotation[l].conjugate() * arm)) : arm);
}

/// The swing goes on by the free rotations and back to the axes it may have; the twist stays.
void Ties::place_swing(const Data& data, const State& before, const VectorXd& step, State& state) const {
  const auto& tie = data.tie;
  VectorXd slides, rotations;
  free_values(data, before, step, slides, rotations);
  const Swing was(tie, before);
  const Vec3 spin = was.half * Vec3(rotations[0] * tie.free_rotations[0] + rotations[1] * tie.free_rotations[1]);
  Eigen::Quaterniond swing = base::exponential(spin) * was.swing;
  swing.vec() -= swing.vec().dot(was.axis) * was.axis;
  state.rotation[at(tie.follower)] = (lead_of(tie, state) * swing.normalized() * was.twist).normalized();
}

void Ties::free_values(const Data& data, const State& state, const VectorXd& step, VectorXd& slides,
                       VectorXd& rotations) const {
  const auto& tie = data.tie;
  const auto own = model::row(tie.follower);
  Vec3 slide = step.segment<3>(own), rotation = step.segment<3>(own + 3);
  if (!tie.leaders.empty()) {
    const auto lead = model::row(tie.leaders[0]);
    const Vec3 spin = step.segment<3>(lead + 3);
    slide -= step.segment<3>(lead);
    if (tie.arms_rotation) slide -= spin.cross(state.between(tie.leaders[0], tie.follower));
    rotation -= spin;
  }
  const auto values = [](const std::vector<Vec3>& axes, const Vec3& along) -> VectorXd {
    if (axes.empty()) return VectorXd();
    // two axes of a joint need not be at right angles any more
    Eigen::Matrix<double, 3, Eigen::Dynamic> a(3, static_cast<Eigen::Index>(axes.size()));
    for (std::size_t k = 0; k < axes.size(); ++k) a.col(static_cast<Eigen::Index>(k)) = axes[k];
    return base::least_squares(a, along);
  };
  slides = values(moves_now(tie, state), slide);
  rotations = values(rotations_now(tie, state), rotation);
}

void Ties::extract(const State& state, VectorXd& full) const {
  const VectorXd moved = full;
  for (const Data& data : ties_) {
    if (data.tie.free_moves.empty() && data.tie.free_rotations.empty()) continue;
    VectorXd slides, rotations;
    free_values(data, state, moved, slides, rotations);
    const auto own = model::row(data.tie.follower);
    full.segment(own, slides.size()) = slides;
    if (data.held_rotation < 0) {
      full.segment(own + 3, rotations.size()) = rotations;
      continue;
    }
    full[own + 3 + data.held_rotation] = 0;
    for (Eigen::Index k = 0; k < 2; ++k) full[data.columns[static_cast<std::size_t>(k)]] = rotations[k];
  }
}

}  // namespace archway::elements
