#include "archway/elements/surface_contact.hpp"

#include <algorithm>
#include <atomic>
#include <cmath>
#include <limits>
#include <map>

#include "archway/base/index.hpp"
#include "archway/base/shape_functions.hpp"
#include "contact/surface_contact_detail.hpp"

namespace archway::elements {

using base::at;
using Eigen::MatrixXd;
using Eigen::VectorXd;

namespace {
constexpr double kRounding = 1e-9;  ///< of the structure's size
}  // namespace

SurfaceContact::SurfaceContact(const model::Model& model) : start_(model.nodes) {
  for (std::size_t c = 0; c < model.contacts.size(); ++c) {
    const auto& contact = model.contacts[c];
    Parts parts;
    for (const auto* list : {&contact.followers, &contact.leaders})
      for (const auto& face : *list) parts.try_emplace(face.part, static_cast<int>(parts.size()));
    Knots own;
    followers_.push_back(add_faces(model, contact.followers, static_cast<int>(c), parts, own, true));
    friction_.push_back(contact.friction);
    rubs_ = rubs_ || contact.friction > 0;
    leaders_.push_back(contact.within() ? followers_.back()
                                        : add_faces(model, contact.leaders, static_cast<int>(c), parts, own, false));
    soften(own, leaders_.back());
  }
  if (knots_.empty()) return;
  find_bodies();
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
  if (!rubs_) return;
  Gaps g;
  if (gaps({reference, first_knots_, first_pairs_}, g, nullptr) != base::Verdict::good) return;
  for (std::size_t k = 0; k < knots_.size(); ++k) {
    auto kept = Remembered::read(first_knots_.data() + kKnot * k);
    kept.counted = g.slides[k].way;
    kept.write(first_knots_.data() + kKnot * k);
  }
}

SurfaceContact::Range SurfaceContact::add_faces(const model::Model& model, const std::vector<model::ContactFace>& list,
                                                int contact, const Parts& parts, Knots& own, bool follow) {
  Range range{static_cast<int>(faces_.size()), 0};
  for (const auto& face : list) {
    Face f;
    f.own = face;
    f.contact = contact;
    f.place = parts.at(face.part);
    // a line follows whatever it meets; a face only where it is on the side that follows
    if (follow || face.is_line()) add_knots(f, own, face.is_line() ? static_cast<int>(parts.size()) : 1);
    if (face.member >= 0) add_girth(model, f);
    faces_.push_back(f);
  }
  range.last = static_cast<int>(faces_.size());
  return range;
}

/// No stiffer than what the knots of a contact may touch: what is soft yields, and small differences between one
/// pairing and the next would be large forces.
void SurfaceContact::soften(const Knots& own, const Range& leaders) {
  double most = 0;
  for (int l = leaders.first; l < leaders.last; ++l) most = std::max(most, faces_[at(l)].own.stiffness);
  for (const auto& [key, first] : own) {
    const int contact = knots_[at(first)].contact;
    for (std::size_t k = at(first); k < knots_.size() && knots_[k].contact == contact && knots_[k].node == key.first;
         ++k)
      knots_[k].stiffness = std::min(knots_[k].stiffness, most);
  }
}

/// Of the unloaded face, by its corners.
double SurfaceContact::unloaded_area(const model::ContactFace& face) const {
  const auto x = [&](std::size_t k) -> const Vec3& { return start_[at(face.nodes[k])]; };
  const Vec3 other = face.corners() == 3 ? Vec3(x(1) - x(0)) : Vec3(x(3) - x(1));
  return 0.5 * (x(2) - x(0)).cross(other).norm();
}

/// Knots are those of a node and a side; a line has a side of its own, with one for every part that it may meet.
void SurfaceContact::add_knots(Face& face, Knots& own, int partners) {
  constexpr int kLine = 2;
  const bool line = face.own.is_line();
  for (std::size_t k = 0; k < at(face.own.corners()); ++k) {
    const int node = face.own.nodes[k], side = line ? kLine : face.own.side;
    const auto [entry, fresh] = own.try_emplace({node, side}, static_cast<int>(knots_.size()));
    for (int i = 0; fresh && i < partners; ++i) knots_.push_back({face.contact, node, side, 0, 0, 0, 0, line});
    face.knots[k] = entry->second;
    for (int i = 0; i < partners; ++i) {
      auto& knot = knots_[at(entry->second + i)];
      knot.stiffness = std::max(knot.stiffness, face.own.stiffness);
      knot.size =
          std::max(knot.size, (start_[at(face.own.nodes[line ? 1 : 2])] - start_[at(face.own.nodes[0])]).norm());
      if (!line) knot.area += unloaded_area(face.own) / face.own.corners();
    }
  }
}

int SurfaceContact::knot_of(const Point& point, std::size_t corner) const {
  const auto& face = faces_[at(point.face)];
  const int first = face.knots[corner];
  return face.own.is_line() && first >= 0 ? first + faces_[at(point.leader)].place : first;
}

void SurfaceContact::start_memory(std::vector<double>& knots, std::vector<double>& pairs) const {
  knots = first_knots_;
  pairs = first_pairs_;
}

SurfaceContact::Point SurfaceContact::point(const std::vector<double>& pairs, std::size_t number) const {
  return Point::read(pairs.data() + kPoint * number);
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
      if (const int knot = knot_of(g.points[i], k); knot >= 0) {
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
    const double* m = trial.knots.data() + kKnot * k;
    t.overlap = Remembered::read(m).overlap;
    t.gap = t.gap / t.weight - knots_[k].closed + t.overlap + out_of_view(k, t.weight);
    const bool touched = m[0] > 0;
    const double pressing = m[0] + knots_[k].stiffness * ((touched ? m[1] : 0.0) - t.gap);
    // What touched lets go between two steps of the search, not within: else a state foreseen that lies a little off
    // loses all contact, and the next correction falls through. What just lies against it is restrained as well.
    t.touches = touched || pressing >= 0;
    t.force = t.touches ? pressing : 0.0;
  }
  if (rubs_) rub(trial, g);
  return base::Verdict::good;
}

/// What hardly sees anything opposite has so much more of a gap: it comes into view and goes out of it bit by bit.
double SurfaceContact::out_of_view(std::size_t knot, double weight) const {
  constexpr double kSeen = 0.02;  ///< of the area around it: enough
  const double hidden = knots_[knot].on_line ? 0.0 : std::max(0.0, 1 - weight / (kSeen * knots_[knot].area));
  return hidden * hidden * knots_[knot].size;
}

std::vector<SurfaceContact::Touch> SurfaceContact::touches(const Trial& trial) const {
  Gaps g;
  if (gaps(trial, g, nullptr) != base::Verdict::good) return std::vector<Touch>(knots_.size());
  return g.knots;
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
    if (const int knot = knot_of(g.points[i], k); knot >= 0 && g.knots[at(knot)].touches)
      force += g.points[i].weight * g.distances[i].corner[k] * g.knots[at(knot)].force / g.knots[at(knot)].weight;
  return force;
}

/// k (grad gap)(grad gap)^T of one knot, and what its friction adds.
SurfaceContact::Group SurfaceContact::rank_one(const Gaps& g, int knot, const std::vector<std::size_t>& points) const {
  Group group;
  NodePlaces places(group.nodes);
  std::vector<Vec3> slope;
  for (const auto i : points) {
    const auto &face = faces_[at(g.points[i].face)], &leader = faces_[at(g.points[i].leader)];
    double share = 0;
    for (std::size_t k = 0; k < 4; ++k)
      if (knot_of(g.points[i], k) == knot)
        share = g.points[i].weight * g.distances[i].corner[k] / g.knots[at(knot)].weight;
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
  if (rubs_) add_sticking(g, knot, points, group);
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
    if (const Vec3 dragged = drag(g, i); !dragged.isZero(0.0)) {
      const auto& p = g.points[i];
      const auto on = detail::shape_on(face.own.count, p.r, p.s), by = detail::shape_on(leader.count, p.at_r, p.at_s);
      for (std::size_t n = 0; n < count; ++n)
        group.force.segment<3>(place[n]) -= (n < own ? on.n[n] : -by.n[n - own]) * dragged;
    }
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
    for (std::size_t i = runs[r]; i < runs[r + 1]; ++i)
      for (std::size_t k = 0; k < 4; ++k) {
        const int knot = knot_of(g.points[i], k);
        if (knot < 0 || !g.knots[at(knot)].touches) continue;
        presses = true;
        if (stiffness) of_knot[at(knot)].push_back(i);
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

std::vector<std::vector<int>> SurfaceContact::couplings(const Trial& trial, double ahead) const {
  std::vector<std::vector<int>> of_knot(knots_.size());
  Gaps g;
  if (gaps(trial, g, nullptr) != base::Verdict::good) return of_knot;
  const auto counts = [&](int knot) {
    const auto& t = g.knots[at(knot)];
    return t.touches || t.gap < ahead * knots_[at(knot)].size;
  };
  const auto tidy = [](std::vector<int>& nodes) {
    std::sort(nodes.begin(), nodes.end());
    nodes.erase(std::unique(nodes.begin(), nodes.end()), nodes.end());
  };
  const std::size_t count = g.points.size();
  for (std::size_t i = 0; i < count;) {  // by runs of one face
    const int face = g.points[i].face;
    const auto& own = faces_[at(face)].own;
    std::vector<int> nodes(own.nodes.begin(), own.nodes.begin() + own.count), knots;
    for (; i < count && g.points[i].face == face; ++i) {
      const Point& p = g.points[i];
      const auto& leader = faces_[at(p.leader)].own;
      nodes.insert(nodes.end(), leader.nodes.begin(), leader.nodes.begin() + leader.count);
      for (std::size_t k = 0; k < 4; ++k)
        if (const int knot = knot_of(p, k); knot >= 0 && counts(knot)) knots.push_back(knot);
    }
    if (knots.empty()) continue;
    tidy(nodes);
    tidy(knots);
    for (const int knot : knots) of_knot[at(knot)].insert(of_knot[at(knot)].end(), nodes.begin(), nodes.end());
  }
  std::vector<std::vector<int>> list;
  for (auto& nodes : of_knot) {
    if (nodes.empty()) continue;
    tidy(nodes);
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
    const Vec3 push = force * g.distances[i].normal + drag(g, i);
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
