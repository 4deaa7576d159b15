#include "archway/elements/surface_contact.hpp"

#include <algorithm>
#include <atomic>
#include <cmath>
#include <limits>
#include <map>

#include "archway/base/index.hpp"
#include "archway/base/shape_functions.hpp"
#include "surface_contact_detail.hpp"

namespace archway::elements {

using base::at;
using Eigen::MatrixXd;
using Eigen::VectorXd;

namespace detail {
namespace {
constexpr int kMostSteps = 40;

/// Second derivatives of a surface along a direction, by the differences of its slopes (exact: they are no more than
/// quadratic in each coordinate).
Eigen::Matrix2d curvature_of(const std::array<Vec3, 9>& nodes, int count, double r, double s, const Vec3& normal) {
  Eigen::Matrix2d b = Eigen::Matrix2d::Zero();
  if (count == 3) return b;
  constexpr double h = 0.5;
  const auto right = base::surface_shape(count, r + h, s), left = base::surface_shape(count, r - h, s),
             up = base::surface_shape(count, r, s + h), down = base::surface_shape(count, r, s - h);
  for (std::size_t k = 0; k < at(count); ++k) {
    const double x = normal.dot(nodes[k]);
    b(0, 0) += x * (right.dr[k] - left.dr[k]);
    b(1, 1) += x * (up.ds[k] - down.ds[k]);
    b(0, 1) += x * (up.dr[k] - down.dr[k]);
  }
  b(1, 0) = b(0, 1);
  return b / (2 * h);
}
}  // namespace

bool closest_point(const std::array<Vec3, 9>& nodes, int count, const Vec3& place, ClosestPoint& c) {
  for (int step = 0; step < kMostSteps; ++step) {
    const auto f = base::surface_shape(count, c.r, c.s);
    Vec3 x = Vec3::Zero();
    c.tangents.setZero();
    for (std::size_t k = 0; k < at(count); ++k) {
      x += f.n[k] * nodes[k];
      c.tangents.col(0) += f.dr[k] * nodes[k];
      c.tangents.col(1) += f.ds[k] * nodes[k];
    }
    const Vec3 across = c.tangents.col(0).cross(c.tangents.col(1));
    if (!(across.norm() > 0)) return false;
    c.normal = across.normalized();
    const Vec3 way = place - x;
    c.distance = c.normal.dot(way);
    c.n = f.n, c.dr = f.dr, c.ds = f.ds;
    c.curvature = curvature_of(nodes, count, c.r, c.s, c.normal);
    const Eigen::Matrix2d metric = c.tangents.transpose() * c.tangents;
    const Eigen::Matrix2d slope = metric - c.distance * c.curvature;
    const Eigen::Vector2d gap = c.tangents.transpose() * way;
    const Eigen::Vector2d d = slope.determinant() > 0.1 * metric.determinant()
                                  ? Eigen::Vector2d(slope.inverse() * gap)
                                  : Eigen::Vector2d(metric.inverse() * gap);
    if (!d.allFinite() || !(std::hypot(c.r, c.s) < 20)) return false;
    if (d.norm() < 1e-12) return true;
    c.r += d[0], c.s += d[1];
  }
  return false;
}
}  // namespace detail

namespace {
constexpr double kRounding = 1e-9;  ///< of the structure's size
constexpr double kClosed = 1e-9;    ///< of a face's size: gaps below it are closed
}  // namespace

/// With its derivatives by the positions of the nodes of both faces: the face's first, then the leader's.
struct SurfaceContact::Distance {
  double value = 0;
  Vec3 normal = Vec3::Zero();      ///< of the leader
  Vec3 place = Vec3::Zero();       ///< of the point on the follower
  std::array<double, 18> share{};  ///< d value / d node = share * normal
  std::array<double, 4> corner{};  ///< shape functions of the knots
  MatrixXd bend;                   ///< second derivatives
};

namespace {
std::array<Vec3, 9> positions(const State& state, const model::ContactFace& face) {
  std::array<Vec3, 9> x;
  for (std::size_t k = 0; k < at(face.count); ++k) x[k] = state.position[at(face.nodes[k])];
  return x;
}

/// Second variation of the distance from a surface as its closest point moves along ([Wriggers2006] 4.2).
MatrixXd bend_of(const detail::ClosestPoint& c, const std::array<double, 9>& follower, int own, int other) {
  const Eigen::Index size = 3 * (own + other);
  Eigen::Matrix<double, Eigen::Dynamic, 2> t(size, 2), q(size, 2);
  q.setZero();
  for (int a = 0; a < 2; ++a) {
    const auto& slope = a == 0 ? c.dr : c.ds;
    for (int i = 0; i < own; ++i) t.block<3, 1>(3 * i, a) = follower[at(i)] * c.tangents.col(a);
    for (int b = 0; b < other; ++b) {
      t.block<3, 1>(3 * (own + b), a) = -c.n[at(b)] * c.tangents.col(a);
      q.block<3, 1>(3 * (own + b), a) = slope[at(b)] * c.normal;
    }
  }
  const Eigen::Matrix2d metric = c.tangents.transpose() * c.tangents, inverse = metric.inverse();
  const Eigen::Matrix2d slope = (metric - c.distance * c.curvature).inverse();
  const Eigen::Matrix<double, Eigen::Dynamic, 2> moves = (t + c.distance * q) * slope;
  const MatrixXd h = -t * inverse * (q + moves * c.curvature).transpose() - q * moves.transpose();
  return 0.5 * (h + h.transpose());
}
}  // namespace

/// A state's distances and what they come to at the knots.
struct SurfaceContact::Gaps {
  std::vector<Point> points;
  std::vector<Distance> distances;
  std::vector<Touch> knots;
};

SurfaceContact::SurfaceContact(const model::Model& model) : start_(model.nodes) {
  for (std::size_t c = 0; c < model.contacts.size(); ++c) {
    const auto& contact = model.contacts[c];
    const auto number = static_cast<int>(c);
    Range followers{static_cast<int>(faces_.size()), 0};
    add_faces(contact.followers, number, true);
    followers.last = static_cast<int>(faces_.size());
    followers_.push_back(followers);
    Range leaders = followers;
    if (!contact.within()) {
      leaders.first = static_cast<int>(faces_.size());
      add_faces(contact.leaders, number, false);
      leaders.last = static_cast<int>(faces_.size());
    }
    leaders_.push_back(leaders);
  }
  if (knots_.empty()) return;
  const State reference = State::reference(model);
  first_pairs_ = pair(reference, 0);
  first_knots_.assign(kKnot * knots_.size(), 0);
  const auto touch = touches({reference, first_knots_, first_pairs_});
  for (std::size_t k = 0; k < knots_.size(); ++k) {
    const auto& contact = model.contacts[at(knots_[k].contact)];
    // what lies against it does so whatever rounding says
    const bool rounding = std::abs(touch[k].gap) <= kRounding * model.size();
    if (touch[k].weight > 0 && (rounding || (touch[k].gap < 0 ? contact.overlap_is_free : contact.close_gaps)))
      knots_[k].closed = touch[k].gap;
    first_knots_[kKnot * k + 1] = std::max(0.0, touch[k].gap - knots_[k].closed);
  }
}

void SurfaceContact::add_faces(const std::vector<model::ContactFace>& list, int contact, bool follow) {
  std::map<std::pair<int, int>, int> own;  // knots by node and side
  for (const auto& face : list) {
    Face f{face, contact};
    for (std::size_t k = 0; follow && k < at(face.corners()); ++k) {
      const auto [entry, fresh] = own.try_emplace({face.nodes[k], face.side}, static_cast<int>(knots_.size()));
      if (fresh) knots_.push_back({contact, face.nodes[k], face.side, face.stiffness, 0, 0});
      f.knots[k] = entry->second;
      auto& knot = knots_[at(entry->second)];
      knot.stiffness = std::max(knot.stiffness, face.stiffness);
      knot.size = std::max(knot.size, (start_[at(face.nodes[2])] - start_[at(face.nodes[0])]).norm());
    }
    faces_.push_back(f);
  }
}

void SurfaceContact::start_memory(std::vector<double>& knots, std::vector<double>& pairs) const {
  knots = first_knots_;
  pairs = first_pairs_;
}

SurfaceContact::Point SurfaceContact::point(const std::vector<double>& pairs, std::size_t number) const {
  return Point::read(pairs.data() + kPoint * number);
}

bool SurfaceContact::distance(const State& state, const Point& p, bool bends, Distance& d) const {
  const auto &face = faces_[at(p.face)].own, &leader = faces_[at(p.leader)].own;
  const auto f = base::surface_shape(face.count, p.r, p.s);
  d.place.setZero();
  for (std::size_t i = 0; i < at(face.count); ++i) d.place += f.n[i] * state.position[at(face.nodes[i])];
  detail::ClosestPoint c;
  c.r = p.at_r, c.s = p.at_s;
  if (!detail::closest_point(positions(state, leader), leader.count, d.place, c)) return false;
  d.value = c.distance - face.reach - leader.reach;
  d.normal = c.normal;
  for (std::size_t i = 0; i < at(face.count); ++i) d.share[i] = f.n[i];
  for (std::size_t b = 0; b < at(leader.count); ++b) d.share[at(face.count) + b] = -c.n[b];
  const auto corner = base::surface_shape(face.corners(), p.r, p.s);
  for (std::size_t k = 0; k < 4; ++k) d.corner[k] = k < at(face.corners()) ? corner.n[k] : 0;
  if (bends) d.bend = bend_of(c, f.n, face.count, leader.count);
  return true;
}

base::Verdict SurfaceContact::gaps(const Trial& trial, Gaps& g, const base::Executor* executor) const {
  const std::size_t count = trial.pairs.size() / kPoint;
  g.points.resize(count);
  g.distances.resize(count);
  std::atomic<bool> lost{false};
  const auto measure = [&](int begin, int end) {
    for (std::size_t i = at(begin); i < at(end); ++i) {
      g.points[i] = point(trial.pairs, i);
      if (!distance(trial.state, g.points[i], false, g.distances[i])) lost = true;
    }
  };
  if (executor != nullptr)
    executor->for_range(static_cast<int>(count), measure, 256);
  else
    measure(0, static_cast<int>(count));
  if (lost) return base::Verdict::recoverable;
  g.knots.assign(knots_.size(), {});
  for (std::size_t i = 0; i < count; ++i)
    for (std::size_t k = 0; k < 4; ++k)
      if (const int knot = faces_[at(g.points[i].face)].knots[k]; knot >= 0) {
        const double share = g.points[i].weight * g.distances[i].corner[k];
        g.knots[at(knot)].weight += share;
        g.knots[at(knot)].gap += share * g.distances[i].value;
      }
  for (std::size_t k = 0; k < knots_.size(); ++k) {
    auto& t = g.knots[k];
    if (!(t.weight > 0)) {
      t.gap = std::numeric_limits<double>::max();
      continue;
    }
    t.gap = t.gap / t.weight - knots_[k].closed;
    const double* m = trial.knots.data() + kKnot * k;
    const bool touched = m[0] > 0;
    const double pressing = m[0] + knots_[k].stiffness * ((touched ? m[1] : 0.0) - t.gap);
    // What touched lets go between two steps of the search, not within: else a state foreseen that lies a little off
    // loses all contact, and the next correction falls through. What just lies against it is held as well.
    t.touches = touched || pressing >= 0;
    t.force = t.touches ? pressing : 0.0;
  }
  return base::Verdict::good;
}

std::vector<SurfaceContact::Touch> SurfaceContact::touches(const Trial& trial) const {
  Gaps g;
  if (gaps(trial, g, nullptr) != base::Verdict::good) return std::vector<Touch>(knots_.size());
  return g.knots;
}

int SurfaceContact::keep_closed(const Trial& trial, std::vector<double>& knots) const {
  const auto list = touches(trial);
  knots = trial.knots;
  int fresh = 0;
  for (std::size_t k = 0; k < list.size(); ++k)
    if (double* m = knots.data() + kKnot * k; list[k].force > 0 && m[0] == 0.0) {
      m[0] = std::numeric_limits<double>::min();  // no force, but one that touched
      m[1] = 0;
      ++fresh;
    }
  return fresh;
}

bool SurfaceContact::pulls(const Trial& trial, double least) const {
  const auto list = touches(trial);
  return std::any_of(list.begin(), list.end(), [&](const Touch& t) { return t.force < -least; });
}

bool SurfaceContact::improve(const Trial& trial, double least, std::vector<double>& better) const {
  Gaps g;
  better = trial.knots;
  if (gaps(trial, g, nullptr) != base::Verdict::good) return false;
  bool changed = false;
  for (std::size_t k = 0; k < knots_.size(); ++k) {
    const auto& t = g.knots[k];
    double* m = better.data() + kKnot * k;
    if (t.force > 0) {
      // a gap of which no digit is left closes no further
      const double rounding =
          16 * std::numeric_limits<double>::epsilon() * trial.state.position[at(knots_[k].node)].cwiseAbs().maxCoeff();
      const double left = std::abs(t.gap);
      changed = changed || (left > std::max(rounding, kClosed * knots_[k].size) && knots_[k].stiffness * left > least);
      m[0] = t.force, m[1] = 0;
    } else if (m[0] > 0) {  // it lets go
      changed = changed || t.force < -least;
      m[0] = 0, m[1] = std::max(0.0, t.gap);
    }
  }
  return changed;
}

void SurfaceContact::remember(const Trial& trial, std::vector<double>& next) const {
  next = trial.knots;
  const auto touch = touches(trial);
  for (std::size_t k = 0; k < knots_.size(); ++k) {
    double* m = next.data() + kKnot * k;
    m[0] = std::max(0.0, touch[k].force);
    m[1] = touch[k].force > 0 ? touch[k].gap : std::max(0.0, touch[k].gap);
  }
}

namespace {
/// Places of nodes in a group.
class NodePlaces {
 public:
  explicit NodePlaces(std::vector<int>& nodes) : nodes_(nodes) {}
  int of(int node) {
    const auto [entry, fresh] = places_.try_emplace(node, static_cast<int>(nodes_.size()));
    if (fresh) nodes_.push_back(node);
    return entry->second;
  }

 private:
  std::vector<int>& nodes_;
  std::map<int, int> places_;
};
}  // namespace

/// Force of one point, by the pressures of the knots around it.
double SurfaceContact::push(const Gaps& g, std::size_t i) const {
  double force = 0;
  for (std::size_t k = 0; k < 4; ++k)
    if (const int knot = faces_[at(g.points[i].face)].knots[k]; knot >= 0 && g.knots[at(knot)].touches)
      force += g.points[i].weight * g.distances[i].corner[k] * g.knots[at(knot)].force / g.knots[at(knot)].weight;
  return force;
}

/// k (grad gap)(grad gap)^T of one knot.
SurfaceContact::Group SurfaceContact::rank_one(const Gaps& g, int knot, const std::vector<std::size_t>& points) const {
  Group group;
  NodePlaces places(group.nodes);
  std::vector<Vec3> slope;
  for (const auto i : points) {
    const auto &face = faces_[at(g.points[i].face)], &leader = faces_[at(g.points[i].leader)];
    double share = 0;
    for (std::size_t k = 0; k < 4; ++k)
      if (face.knots[k] == knot) share = g.points[i].weight * g.distances[i].corner[k] / g.knots[at(knot)].weight;
    const auto add = [&](int node, double by) {
      const std::size_t place = at(places.of(node));
      if (slope.size() <= place) slope.resize(place + 1, Vec3::Zero());
      slope[place] += share * by * g.distances[i].normal;
    };
    for (std::size_t n = 0; n < at(face.own.count); ++n) add(face.own.nodes[n], g.distances[i].share[n]);
    for (std::size_t n = 0; n < at(leader.own.count); ++n)
      add(leader.own.nodes[n], g.distances[i].share[at(face.own.count) + n]);
  }
  const VectorXd s = Eigen::Map<const VectorXd>(slope.front().data(), 3 * static_cast<Eigen::Index>(slope.size()));
  group.force = VectorXd::Zero(s.size());
  group.tangent = knots_[at(knot)].stiffness * s * s.transpose();
  group.geometric = MatrixXd::Zero(s.size(), s.size());
  return group;
}

/// What the points [first, last) of one face give by the pressures of its knots.
SurfaceContact::Group SurfaceContact::pressed(const Gaps& g, const Trial& trial, std::size_t first, std::size_t last,
                                              bool stiffness) const {
  Group group;
  NodePlaces places(group.nodes);
  const auto& face = faces_[at(g.points[first].face)];
  for (std::size_t n = 0; n < at(face.own.count); ++n) (void)places.of(face.own.nodes[n]);
  for (std::size_t i = first; i < last; ++i) {
    const auto& leader = faces_[at(g.points[i].leader)].own;
    for (std::size_t n = 0; n < at(leader.count); ++n) (void)places.of(leader.nodes[n]);
  }
  const Eigen::Index size = 3 * static_cast<Eigen::Index>(group.nodes.size());
  group.force = VectorXd::Zero(size);
  if (stiffness) group.geometric = MatrixXd::Zero(size, size);
  for (std::size_t i = first; i < last; ++i) {
    const double force = push(g, i);
    if (force == 0.0) continue;
    const auto& leader = faces_[at(g.points[i].leader)].own;
    std::array<int, 18> place{};
    const std::size_t own = at(face.own.count), count = own + at(leader.count);
    for (std::size_t n = 0; n < count; ++n)
      place[n] = 3 * places.of(n < own ? face.own.nodes[n] : leader.nodes[n - own]);
    const auto& d = g.distances[i];
    for (std::size_t n = 0; n < count; ++n) group.force.segment<3>(place[n]) -= force * d.share[n] * d.normal;
    if (!stiffness) continue;
    Distance bent;
    if (!distance(trial.state, g.points[i], true, bent)) continue;  // it was found a moment ago
    for (std::size_t a = 0; a < count; ++a)
      for (std::size_t b = 0; b < count; ++b)
        group.geometric.block<3, 3>(place[a], place[b]) -=
            force * bent.bend.block<3, 3>(3 * static_cast<Eigen::Index>(a), 3 * static_cast<Eigen::Index>(b));
  }
  if (stiffness) group.tangent = group.geometric;
  return group;
}

base::Verdict SurfaceContact::evaluate(const Trial& trial, bool stiffness, const base::Executor* executor,
                                       const Sink& sink) const {
  Gaps g;
  if (gaps(trial, g, executor) != base::Verdict::good) return base::Verdict::recoverable;
  // runs of points of one face
  std::vector<std::size_t> runs;
  for (std::size_t i = 0; i < g.points.size(); ++i)
    if (i == 0 || g.points[i].face != g.points[i - 1].face) runs.push_back(i);
  runs.push_back(g.points.size());
  std::vector<std::vector<std::size_t>> of_knot(knots_.size());
  std::vector<std::size_t> pressing_runs;
  for (std::size_t r = 0; r + 1 < runs.size(); ++r) {
    bool presses = false;
    for (const int knot : faces_[at(g.points[runs[r]].face)].knots) {
      if (knot < 0) continue;
      presses = presses || g.knots[at(knot)].touches;
      if (stiffness && g.knots[at(knot)].touches)
        for (std::size_t i = runs[r]; i < runs[r + 1]; ++i) of_knot[at(knot)].push_back(i);
    }
    if (presses) pressing_runs.push_back(r);
  }
  std::vector<int> touching;
  for (std::size_t k = 0; k < knots_.size(); ++k)
    if (!of_knot[k].empty() && g.knots[k].weight > 0) touching.push_back(static_cast<int>(k));
  std::vector<Group> groups(pressing_runs.size() + touching.size());
  const auto work = [&](int begin, int end) {
    for (std::size_t i = at(begin); i < at(end); ++i)
      if (i < pressing_runs.size()) {
        const std::size_t r = pressing_runs[i];
        groups[i] = pressed(g, trial, runs[r], runs[r + 1], stiffness);
      } else {
        const int knot = touching[i - pressing_runs.size()];
        groups[i] = rank_one(g, knot, of_knot[at(knot)]);
      }
  };
  if (executor != nullptr)
    executor->for_range(static_cast<int>(groups.size()), work, 8);
  else
    work(0, static_cast<int>(groups.size()));
  for (const auto& group : groups) sink(group);  // in one order
  return base::Verdict::good;
}

std::vector<std::vector<int>> SurfaceContact::couplings(const std::vector<double>& pairs) const {
  std::vector<std::vector<int>> of_knot(knots_.size());
  std::size_t i = 0;
  const std::size_t count = pairs.size() / kPoint;
  while (i < count) {
    const int face = point(pairs, i).face;
    const auto& own = faces_[at(face)];
    std::vector<int> nodes(own.own.nodes.begin(), own.own.nodes.begin() + own.own.count);
    for (; i < count && point(pairs, i).face == face; ++i) {
      const auto& leader = faces_[at(point(pairs, i).leader)].own;
      nodes.insert(nodes.end(), leader.nodes.begin(), leader.nodes.begin() + leader.count);
    }
    std::sort(nodes.begin(), nodes.end());
    nodes.erase(std::unique(nodes.begin(), nodes.end()), nodes.end());
    for (const int knot : own.knots)
      if (knot >= 0) of_knot[at(knot)].insert(of_knot[at(knot)].end(), nodes.begin(), nodes.end());
  }
  std::vector<std::vector<int>> list;
  for (auto& nodes : of_knot) {
    if (nodes.empty()) continue;
    std::sort(nodes.begin(), nodes.end());
    nodes.erase(std::unique(nodes.begin(), nodes.end()), nodes.end());
    list.push_back(std::move(nodes));
  }
  return list;
}

std::vector<SurfaceContact::Pressed> SurfaceContact::resultants(const Trial& trial) const {
  std::vector<Pressed> list(followers_.size());
  Gaps g;
  if (gaps(trial, g, nullptr) != base::Verdict::good) return list;
  for (std::size_t i = 0; i < g.points.size(); ++i) {
    const auto& face = faces_[at(g.points[i].face)];
    const double force = push(g, i);
    const Vec3 push = force * g.distances[i].normal;
    list[at(face.contact)].force += push;
    list[at(face.contact)].moment += g.distances[i].place.cross(push);
  }
  return list;
}

std::vector<double> SurfaceContact::at_nodes(const Trial& trial) const {
  std::vector<double> values(3 * trial.state.position.size(), 0.0);
  (void)evaluate(trial, false, nullptr, [&](const Group& group) {
    for (std::size_t n = 0; n < group.nodes.size(); ++n)
      for (std::size_t k = 0; k < 3; ++k)
        values[3 * at(group.nodes[n]) + k] -= group.force[static_cast<Eigen::Index>(3 * n + k)];
  });
  return values;
}

}  // namespace archway::elements
