#include <cmath>
#include <numeric>

#include "archway/base/index.hpp"
#include "archway/elements/line_geometry.hpp"
#include "archway/elements/outline.hpp"
#include "contact/surface_contact_detail.hpp"

/// What lies along pieces of lines: faces, and other lines beside them or across.
namespace archway::elements {

using base::at;
using Eigen::Vector2d;

namespace {
/// Sine of the angle between lines: up to the first they run side by side, beyond the second they cross.
constexpr double kSideBySide = 0.03, kCrossing = 0.1;
constexpr double kBeyond = 0.05;    ///< of a line's length that still counts at its ends, where a chain of them bends
constexpr double kShortest = 1e-9;  ///< of a line's length: shares below it are none
}  // namespace

/// A piece of a line in a state.
struct SurfaceContact::Line {
  int face = -1;
  Vec3 from, way;
  double length = 0, margin = 0;
  /// A place on it and what lies opposite.
  struct Place {
    Point point;
    double gap = 0;
    bool covers = false;  ///< hides what lies farther along its stretch
    double first = 0, last = 0;
  };
  std::vector<Place> places;
  Vec3 at(double share) const { return from + share * way; }
};

/// Parts that share nodes are one body; lines end where no other piece goes on. Numbers are those of parts and one, so
/// that there is one for none.
void SurfaceContact::find_bodies() {
  int parts = 0;
  for (const auto& f : faces_) parts = std::max(parts, f.own.part + 1);
  bodies_.resize(at(parts + 1));
  std::iota(bodies_.begin(), bodies_.end(), 0);
  std::vector<int> first(start_.size(), -1);  // part of each node
  std::set<int> passed;
  for (const auto& f : faces_)
    for (std::size_t k = 0; k < at(f.own.count); ++k) {
      int& known = first[at(f.own.nodes[k])];
      if (known < 0) known = f.own.part + 1;
      const int one = bodies_[at(known)], other = bodies_[at(f.own.part + 1)];
      if (f.own.is_line() && !tips_.insert(f.own.nodes[k]).second) passed.insert(f.own.nodes[k]);
      if (one != other) std::replace(bodies_.begin(), bodies_.end(), std::max(one, other), std::min(one, other));
    }
  for (const int node : passed) tips_.erase(node);
}

/// The outline at both ends of a piece of a member; sections of one profile share theirs.
void SurfaceContact::add_girth(const model::Model& model, Face& face) {
  const auto& e = model.line_elements[at(face.own.member)];
  const auto& part = model.parts[at(e.part)];
  const auto axes = nodal_axes(model, e);
  Girth girth;
  for (std::size_t end = 0; end < 2; ++end) girth.axes[end] = axes[at(face.own.third) + end].toRotationMatrix();
  auto outline = corners_of(model.section_at(e, model::kGaussStations[at(face.own.third)]));
  for (auto& [y, z] : outline) {
    y += part.offset_y, z += part.offset_z;
    face.own.reach = std::max(face.own.reach, std::hypot(y, z));
  }
  constexpr std::ptrdiff_t kRound = 12;
  if (std::count_if(outline.begin(), outline.end(), [&](const auto& p) {
        return std::hypot(p.first, p.second) > face.own.reach * (1 - 1e-6);
      }) >= kRound)
    return;  // a drawing of a circle: it reaches as far in between its corners
  const auto known = std::find(outlines_.begin(), outlines_.end(), outline);
  girth.outline = static_cast<std::size_t>(known - outlines_.begin());
  if (known == outlines_.end()) outlines_.push_back(std::move(outline));
  face.girth = static_cast<int>(girths_.size());
  girths_.push_back(girth);
}

/// How far a line reaches from its nodes towards something, at a share of its length.
double SurfaceContact::reach(const State& state, int number, double share, const Vec3& way) const {
  const auto& face = faces_[at(number)];
  if (face.girth < 0) return face.own.reach;
  const auto& girth = girths_[at(face.girth)];
  double sum = 0;
  for (std::size_t end = 0; end < 2; ++end) {
    const Vec3 unturned = state.rotation[at(face.own.nodes[end])].conjugate() * way;
    const Vec3 local = girth.axes[end].transpose() * unturned;
    double most = -HUGE_VAL;
    for (const auto& [y, z] : outlines_[girth.outline]) most = std::max(most, y * local.y() + z * local.z());
    sum += (end == 0 ? 1 - share : share) * most;
  }
  return sum;
}

void SurfaceContact::pair_line(const State& state, const Search& search, int number, std::vector<double>& list) const {
  const auto& face = faces_[at(number)];
  Line line;
  line.face = number;
  line.from = state.position[at(face.own.nodes[0])];
  line.way = state.position[at(face.own.nodes[1])] - line.from;
  line.length = line.way.norm();
  if (!(line.length > 0)) return;
  line.margin = std::max(search.margin, line.length);
  const auto &leads = leaders_[at(face.contact)], &follows = followers_[at(face.contact)];
  const bool leader = leads.first != follows.first && number >= leads.first && number < leads.last;
  const auto& others = leader ? follows : leads;
  double most = 0;
  for (int l = others.first; l < others.last; ++l)
    most = std::max(most, std::abs(faces_[at(l)].own.reach) + faces_[at(l)].own.depth);
  const Vec3 grown = Vec3::Constant(face.own.reach + most + line.margin);
  const auto& box = search.boxes[at(number)];
  const auto& tree = (leader ? search.following : search.leading)[at(face.contact)];
  for (const int l : search.near(tree, {box.min() - grown, box.max() + grown})) {
    if (!may_touch(number, l)) continue;
    if (!faces_[at(l)].own.is_line())
      lay_on_face(state, search, l, line);
    else if (!leader)
      lay_on_line(state, l, line);
  }
  for (const auto& place : line.places) {
    const bool hidden = std::any_of(line.places.begin(), line.places.end(), [&](const Line::Place& other) {
      return other.covers && place.covers &&
             faces_[at(other.point.leader)].place == faces_[at(place.point.leader)].place &&
             other.point.leader != place.point.leader && other.first <= place.point.r && place.point.r <= other.last &&
             other.gap < place.gap;
    });
    if (!hidden) place.point.write(list);
  }
}

/// Where a line lies over a face: the face's outline cuts it.
void SurfaceContact::lay_on_face(const State& state, const Search& search, int leader, Line& line) const {
  const auto& own = faces_[at(leader)].own;
  const auto nodes = detail::positions(state, own);
  const Vec3& normal = search.normals[at(leader)];
  const Vec3 along = (nodes[1] - nodes[0]) - normal * normal.dot(nodes[1] - nodes[0]);
  Eigen::Matrix<double, 3, 2> axes;
  axes.col(0) = along.normalized();
  axes.col(1) = normal.cross(axes.col(0));
  const auto flat = [&](const Vec3& x) { return Vector2d(axes.transpose() * (x - nodes[0])); };
  double first = 0, last = 1;
  const Vector2d from = flat(line.from), way = flat(line.at(1)) - from;
  for (int k = 0; k < own.corners(); ++k) {
    const Vector2d corner = flat(nodes[at(k)]), edge = flat(nodes[at((k + 1) % own.corners())]) - corner;
    const double begin = edge.x() * (from - corner).y() - edge.y() * (from - corner).x(),
                 grows = edge.x() * way.y() - edge.y() * way.x();
    if (grows > 0) first = std::max(first, -begin / grows);
    if (grows < 0) last = std::min(last, -begin / grows);
    if (grows == 0.0 && begin < 0) return;
  }
  if (!(last - first > kShortest)) return;
  for (const double gauss : {0.5 - std::sqrt(1. / 12), 0.5 + std::sqrt(1. / 12)}) {
    Line::Place place;
    auto& p = place.point;
    p.face = line.face, p.leader = leader;
    p.r = first + gauss * (last - first);
    detail::ClosestPoint c;
    if (own.count == 3) c.r = c.s = 1. / 3;
    if (!detail::closest_point(nodes, own.count, line.at(p.r), c)) continue;
    p.at_r = c.r, p.at_s = c.s;
    p.reach = own.reach + reach(state, line.face, p.r, -c.normal);
    place.gap = c.distance - p.reach;
    if (place.gap > line.margin || c.distance < -own.depth) continue;
    p.weight = 0.5 * (last - first) * line.length *
               std::max(detail::kNextToNothing,
                        detail::fading(place.gap, detail::kNear * line.length, detail::kFar * line.length));
    place.covers = true, place.first = first, place.last = last;
    line.places.push_back(place);
  }
}

/// A place on a line and what of another line lies opposite to it.
void SurfaceContact::lay_at(const State& state, int leader, Point p, double weight, Line& line) const {
  p.face = line.face, p.leader = leader;
  Distance d;
  if (!distance_of_lines(state, p, false, d)) return;
  const double r = d.share[1], s = -d.share[3];
  if (r < -kBeyond || r > 1 + kBeyond || s < -kBeyond || s > 1 + kBeyond) return;
  p.r = std::clamp(r, 0.0, 1.0);
  p.at_r = s;
  p.reach = reach(state, line.face, p.r, -d.normal) + reach(state, leader, std::clamp(s, 0.0, 1.0), d.normal);
  Line::Place place;
  place.point = p;
  place.gap = d.value - p.reach;
  if (place.gap > line.margin) return;
  place.point.weight = weight * std::max(detail::kNextToNothing, detail::fading(place.gap, detail::kNear * line.length,
                                                                                detail::kFar * line.length));
  line.places.push_back(place);
}

/// Where a line runs beside another one, or across, or ends near it.
void SurfaceContact::lay_on_line(const State& state, int leader, Line& line) const {
  const auto &own = faces_[at(line.face)].own, &other = faces_[at(leader)].own;
  const Vec3& from = state.position[at(other.nodes[0])];
  const Vec3 way = state.position[at(other.nodes[1])] - from;
  const double length = way.norm();
  if (!(length > 0)) return;
  const double sine = line.way.cross(way).norm() / (line.length * length),
               beside = detail::fading(sine, kSideBySide, kCrossing);
  if (beside < 1) {
    const double weight = (1 - beside) * line.length;
    const std::size_t before = line.places.size();
    Point p;
    p.s = line.way.cross(way).dot(line.from - from) < 0 ? -1 : 1;
    lay_at(state, leader, p, weight, line);
    const auto lay_tips = [&](double moves, double r, double at_r, bool is_tip) {
      Point tip;
      tip.s = moves, tip.r = r, tip.at_r = at_r;
      if (is_tip && line.places.size() == before) lay_at(state, leader, tip, weight, line);
    };
    const auto is_tip = [&](int node) { return tips_.count(node) > 0; };
    for (std::size_t end = 0; end < 2; ++end) lay_tips(0, static_cast<double>(end), 0, is_tip(own.nodes[end]));
    for (std::size_t end = 0; end < 2; ++end) lay_tips(2, 0, static_cast<double>(end), is_tip(other.nodes[end]));
    for (std::size_t end = 0; end < 4; ++end)
      lay_tips(3, static_cast<double>(end % 2), static_cast<double>(end / 2),
               is_tip(own.nodes[end % 2]) && is_tip(other.nodes[end / 2]));
  }
  if (beside > 0) {
    // the stretch of the line that has the other one beside it
    const double begin = way.dot(line.from - from) / (length * length), grows = way.dot(line.way) / (length * length);
    double first = (-kBeyond - begin) / grows, last = (1 + kBeyond - begin) / grows;
    if (first > last) std::swap(first, last);
    first = std::max(first, 0.0), last = std::min(last, 1.0);
    if (!(last - first > kShortest)) return;
    for (const double gauss : {0.5 - std::sqrt(1. / 12), 0.5 + std::sqrt(1. / 12)}) {
      const std::size_t before = line.places.size();
      Point p;
      p.r = first + gauss * (last - first);
      lay_at(state, leader, p, 0.5 * (last - first) * line.length * beside, line);
      if (line.places.size() == before) continue;
      auto& place = line.places.back();
      place.covers = true, place.first = first, place.last = last;
    }
  }
}

}  // namespace archway::elements
