#pragma once
#include "archway/base/dense.hpp"
#include "archway/base/index.hpp"
#include "archway/elements/tie.hpp"

/// Means of leaders and free directions, as forces, stiffness and states of ties need them.
namespace archway::elements {

namespace tie_detail {
using base::at;
using Vec4 = Eigen::Vector4d;

inline Vec4 as_vector(const Eigen::Quaterniond& q) {
  return {q.w(), q.x(), q.y(), q.z()};
}

/// Quaternions of the leaders, all on one side, and their weighted sum.
struct MeanRotation {
  std::vector<Vec4> q;
  Vec4 sum = Vec4::Zero();
  MeanRotation(const State& state, const model::Tie& tie) {
    for (std::size_t i = 0; i < tie.leaders.size(); ++i) {
      q.push_back(as_vector(state.rotation[at(tie.leaders[i])]));
      if (q[i].dot(q[0]) < 0) q[i] = -q[i];
      sum += tie.weights[i] * q[i];
    }
  }
};

/// Weighted mean of the leaders, from the first of them: far from the origin positions have fewer digits than their
/// differences. \param between  from one node to another
template <class Between>
Vec3 mean_of(const Between& between, const model::Tie& tie) {
  Vec3 mean = Vec3::Zero();
  for (std::size_t i = 1; i < tie.leaders.size(); ++i) mean += tie.weights[i] * between(tie.leaders[0], tie.leaders[i]);
  return mean;
}
inline Vec3 mean_in(const State& state, const model::Tie& tie) {
  return mean_of([&](int from, int to) { return state.between(from, to); }, tie);
}

/// Free directions of a tie with one leader as they point now.
inline std::vector<Vec3> moves_now(const model::Tie& tie, const State& state) {
  std::vector<Vec3> axes;
  for (const Vec3& e : tie.free_moves)
    axes.push_back(tie.arms_rotation ? Vec3(state.rotation[at(tie.leaders[0])] * e) : e);
  return axes;
}
inline Eigen::Quaterniond lead_of(const model::Tie& tie, const State& state) {
  return tie.leaders.empty() ? Eigen::Quaterniond::Identity() : state.rotation[at(tie.leaders[0])];
}
/// Rotation of the follower over its leader = swing x twist about the axis across both free rotations.
struct Swing {
  Vec3 axis;
  Eigen::Quaterniond swing, twist, half;  // half: the swing twice
  Swing(const model::Tie& tie, const State& state)
      : axis(tie.free_rotations[0].cross(tie.free_rotations[1]).normalized()) {
    const Eigen::Quaterniond all = (lead_of(tie, state).conjugate() * state.rotation[at(tie.follower)]).normalized();
    const double along = all.vec().dot(axis), size = std::hypot(all.w(), along);
    twist.setIdentity();
    if (size > 0) twist = Eigen::Quaterniond(Eigen::AngleAxisd(2 * std::atan2(along, all.w()), axis));
    swing = all * twist.conjugate();
    half.w() = std::sqrt(0.5 * (1 + swing.w()));
    half.vec() = swing.vec() / (2 * half.w());
    half.normalize();
  }
};
inline std::vector<Vec3> rotations_now(const model::Tie& tie, const State& state) {
  std::vector<Vec3> axes;
  if (tie.free_rotations.empty()) return axes;
  Eigen::Quaterniond lead = lead_of(tie, state);
  if (tie.free_rotations.size() == 2) lead = lead * Swing(tie, state).half;
  for (const Vec3& e : tie.free_rotations) axes.push_back(lead * e);
  return axes;
}
}  // namespace tie_detail

struct Ties::Fit {
  Mat3 rotation;
  std::vector<Vec3> spread;  // leaders from their mean, reference, rotated
  Mat3 inverse;              // of sum w (a.y I - a y^T)
  Mat3 product;              // sum w y a^T
  Vec3 arm, mean;            // mean: from the first leader

  Fit(const State& state, const Data& data) {
    const auto& tie = data.tie;
    mean = tie_detail::mean_in(state, tie);
    Mat3 sum = Mat3::Zero();
    for (std::size_t i = 0; i < tie.leaders.size(); ++i)
      sum += tie.weights[i] * (state.between(tie.leaders[0], tie.leaders[i]) - mean) * data.spread[i].transpose();
    rotation = base::nearest_rotation(sum);
    product = sum * rotation.transpose();
    inverse = (product.trace() * Mat3::Identity() - product.transpose()).inverse();
    for (const Vec3& y : data.spread) spread.push_back(rotation * y);
    arm = rotation * data.distance;
  }
};

}  // namespace archway::elements
