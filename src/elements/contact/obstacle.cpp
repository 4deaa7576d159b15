#include "archway/elements/obstacle.hpp"

#include <cmath>
#include <limits>

#include "archway/base/index.hpp"
#include "contact/facet_tree_detail.hpp"

namespace archway::elements {

using base::at;

namespace {
/// From a point or an axis: `way` leads from there to the place, across the axis.
Distance from_round(const Vec3& way, const Mat3& across, double radius, bool inside) {
  const double r = way.norm(), sense = inside ? -1 : 1;
  Distance d;
  d.value = sense * (r - radius);
  if (!(r > 0)) {  // on the axis every direction is as good: no push where there is no side
    d.normal = Vec3::Zero();
    return d;
  }
  d.normal = sense / r * way;
  d.bend = sense / r * (across - way * way.transpose() / (r * r));
  return d;
}
}  // namespace

std::unique_ptr<FacetTree, void (*)(FacetTree*)> facet_tree(const model::Obstacle& obstacle) {
  return {obstacle.kind == model::Obstacle::Kind::surface ? new FacetTree(obstacle.facets) : nullptr,
          [](FacetTree* tree) { delete tree; }};
}

Distance distance_from(const model::Obstacle& o, const FacetTree* facets, const Vec3& place) {
  const Vec3 way = place - o.place;
  switch (o.kind) {
    case model::Obstacle::Kind::plane:
      return {o.axis.dot(way), o.axis, Mat3::Zero()};
    case model::Obstacle::Kind::sphere:
      return from_round(way, Mat3::Identity(), o.radius, o.inside);
    case model::Obstacle::Kind::cylinder: {
      const Mat3 across = Mat3::Identity() - o.axis * o.axis.transpose();
      return from_round(across * way, across, o.radius, o.inside);
    }
    case model::Obstacle::Kind::surface:
      return facets->distance(place);
  }
  return {};
}

/// What is remembered of a touch: where it was and what it gave in the last state that was accepted.
struct ObstacleMemory {
  double force, gap;  // open: force 0, gap as it was; touching: both as they were
  Vec3 along, place;  // force along the surface; place of the node
  double lost;
  static ObstacleMemory read(const double* m) {
    return {m[0], m[1], Vec3(m[2], m[3], m[4]), Vec3(m[5], m[6], m[7]), m[8]};
  }
  void write(double* m) const {
    m[0] = force, m[1] = gap, m[8] = lost;
    for (int k = 0; k < 3; ++k) m[2 + k] = along[k], m[5 + k] = place[k];
  }
};

struct ObstacleBatch::Answer {
  Distance distance;
  double gap = 0, normal = 0;
  Vec3 along = Vec3::Zero();  // force along the surface, on the node
  Vec3 moved = Vec3::Zero();  // along the surface since it stuck
  Mat3 along_stiffness = Mat3::Zero();
  double slip = 0;
  bool touches = false, sticks = false;
  ObstacleMemory before, after;
};

ObstacleBatch::ObstacleBatch(const model::Model& model) : touches_(model.touches), obstacles_(model.obstacles) {
  for (const auto& o : obstacles_) facets_.push_back(facet_tree(o));
  for (const auto& t : touches_) start_.push_back(model.nodes[at(t.node)]);
}

ObstacleBatch::~ObstacleBatch() = default;

void ObstacleBatch::start_memory(double* block) const {
  for (std::size_t t = 0; t < touches_.size(); ++t) {
    const auto o = at(touches_[t].obstacle);
    const double gap = distance_from(obstacles_[o], facets_[o].get(), start_[t]).value - touches_[t].reach;
    ObstacleMemory{0, std::max(0.0, gap - touches_[t].closed), Vec3::Zero(), start_[t], 0}.write(block + kMemory * t);
  }
}

ObstacleBatch::Answer ObstacleBatch::answer(const Trial& trial, int element) const {
  const auto& touch = touches_[at(element)];
  const auto o = at(touch.obstacle);
  const double k = touch.stiffness, friction = obstacles_[o].friction;
  const Vec3& x = trial.state.position[at(touch.node)];
  std::array<double, kMemory> none{};
  const double* m = trial.committed;
  if (m == nullptr)
    ObstacleMemory{0, 0, Vec3::Zero(), x, 0}.write(none.data()), m = none.data();
  else
    m += kMemory * at(element);
  Answer a;
  a.before = ObstacleMemory::read(m);
  a.distance = distance_from(obstacles_[o], facets_[o].get(), x);
  a.gap = a.distance.value - touch.reach - touch.closed;
  const bool touched = a.before.force > 0;
  const double pressing = a.before.force + k * ((touched ? a.before.gap : 0.0) - a.gap);
  a.touches =
      touched || pressing >= 0;  // what just lies against it is restrained as well: a structure may stand on no more
  a.normal = a.touches ? pressing : 0.0;
  a.after = {std::max(0.0, a.normal), a.normal > 0 ? a.gap : std::max(0.0, a.gap), Vec3::Zero(), x, a.before.lost};
  if (friction > 0 && a.normal > 0) {
    const Vec3& n = a.distance.normal;
    const Mat3 across = Mat3::Identity() - n * n.transpose();
    // before it touched it moved freely: what counts is the way since
    const double share = touched ? 1 : std::max(0.0, -a.gap) / std::max(a.before.gap - a.gap, 1e-300);
    a.moved = share * (across * (x - a.before.place));
    const Vec3 tried = across * a.before.along - k * a.moved;
    const double most = friction * a.normal, size = tried.norm();
    a.sticks = size <= most;
    a.along = a.sticks ? tried : Vec3(most / size * tried);
    a.along_stiffness = share * k * across;
    if (!a.sticks) {
      const Vec3 way = tried / size;
      a.along_stiffness = share * k * most / size * (across - way * way.transpose());
      a.slip = (size - most) / k;
    }
    a.after.along = a.along;
    a.after.lost += most * a.slip;
  }
  return a;
}

ObstacleBatch::Contact ObstacleBatch::contact(const Trial& trial, int element) const {
  const Answer a = answer(trial, element);
  Contact contact{a.gap, a.normal, a.normal * a.distance.normal + a.along, a.sticks};
  if (trial.state.correction.size() == 0 || !a.touches) return contact;
  const auto& touch = touches_[at(element)];
  const Vec3 moved = trial.state.correction.segment<3>(model::row(touch.node)), &n = a.distance.normal;
  contact.normal_force -= touch.stiffness * n.dot(moved);
  contact.force -=
      touch.stiffness * n.dot(moved) * n - a.normal * (a.distance.bend * moved) + a.along_stiffness * moved;
  return contact;
}

material::Energy ObstacleBatch::energy(const Trial& trial, int element) const {
  // the gap that is left does no work worth the name
  material::Energy energy;
  if (trial.committed != nullptr)
    energy.dissipated = ObstacleMemory::read(trial.committed + kMemory * at(element)).lost;
  return energy;
}

bool ObstacleBatch::improve(const Trial& trial, double least) const {
  bool changed = false;
  for (int e = 0; e < size(); ++e) {
    const Answer a = answer(trial, e);
    const double k = touches_[at(e)].stiffness;
    ObstacleMemory better = a.before;
    if (a.normal > 0) {
      // a gap of which no digit is left closes no further
      const double rounding = 16 * std::numeric_limits<double>::epsilon() *
                              trial.state.position[at(touches_[at(e)].node)].cwiseAbs().maxCoeff();
      const auto counts = [&](double way) { return way > rounding && k * way > least; };
      changed = changed || counts(std::abs(a.gap)) || (a.sticks && counts(a.moved.norm()));
      better.force = a.normal;
      better.gap = 0;
      better.along = a.along;
      better.place = trial.state.position[at(touches_[at(e)].node)] - a.moved;
    } else if (a.before.force > 0) {  // it lets go
      changed = changed || a.normal < -least;
      better.force = 0;
      better.gap = std::max(0.0, a.gap);
      better.along.setZero();
      better.place = trial.state.position[at(touches_[at(e)].node)];
    }
    better.write(trial.next + kMemory * at(e));
  }
  return changed;
}

int ObstacleBatch::keep_closed(const Trial& trial, std::vector<double>& held) const {
  int fresh = 0;
  for (int e = 0; e < size(); ++e) {
    const Answer a = answer(trial, e);
    if (!(a.normal > 0) || a.before.force > 0) continue;
    ObstacleMemory kept = a.before;
    kept.force = std::numeric_limits<double>::min();  // no force, but one that touched
    kept.gap = 0;
    kept.place = trial.state.position[at(touches_[at(e)].node)] - a.moved;
    kept.write(held.data() + kMemory * at(e));
    ++fresh;
  }
  return fresh;
}

void ObstacleBatch::release(int element, double little, std::vector<double>& block) const {
  auto kept = ObstacleMemory::read(block.data() + kMemory * at(element));
  kept.force = -touches_[at(element)].stiffness * little;
  kept.gap = 0;
  kept.along.setZero();
  kept.write(block.data() + kMemory * at(element));
}

bool ObstacleBatch::pulls(const Trial& trial, double least) const {
  for (int e = 0; e < size(); ++e)
    if (answer(trial, e).normal < -least) return true;
  return false;
}

base::Verdict ObstacleBatch::evaluate(const Trial& trial, const int* elements, int count, const Outputs& out,
                                      const StressSource& source) const {
  for (int i = 0; i < count; ++i) {
    Vec3 force = Vec3::Zero();
    Mat3 tangent = Mat3::Zero(), geometric = Mat3::Zero();
    if (source.linear == nullptr && trial.committed != nullptr) {  // linear theory remembers nothing, nor sees this
      const Answer a = answer(trial, elements[i]);
      if (trial.next != nullptr) a.after.write(trial.next + kMemory * at(elements[i]));
      if (a.touches) {
        const Vec3& n = a.distance.normal;
        force = -a.normal * n - a.along;
        geometric = -a.normal * a.distance.bend;
        tangent = touches_[at(elements[i])].stiffness * n * n.transpose() + geometric + a.along_stiffness;
      }
    }
    if (out.force != nullptr) Eigen::Map<Vec3>(out.force + 3 * i) = force;
    if (out.tangent != nullptr) Eigen::Map<Mat3>(out.tangent + 9 * i) = tangent;
    if (out.geometric != nullptr) Eigen::Map<Mat3>(out.geometric + 9 * i) = geometric;
  }
  return base::Verdict::good;
}

}  // namespace archway::elements
