#include <algorithm>
#include <cmath>
#include <limits>

#include "archway/base/index.hpp"
#include "contact/surface_contact_detail.hpp"

/// What lies opposite to what.
namespace archway::elements {

using base::at;
using Eigen::Vector2d;
using Box = Eigen::AlignedBox3d;

namespace {
/// Cosine between normals of faces that look at each other: none above the first, wholly below the second.
constexpr double kLeastFacing = -0.3, kFacing = -0.6;
/// Feet on the continuation of a face: what is so far beside it (halves of its size) counts wholly, and not at all. Of
/// faces that are far from parallel they lie anywhere, and the distance from there is none.
constexpr double kBeside = 0.25, kFarBeside = 1;
constexpr double kSliver = 1e-12;  ///< of a face's area: pieces below it are none
constexpr double kOwnReaches = 3;  ///< parts of one surface that were nearer than so many of their reaches belong
                                   ///< together and do not touch

double cross(const Vector2d& a, const Vector2d& b) {
  return a.x() * b.y() - a.y() * b.x();
}

double area_of(const std::vector<Vector2d>& polygon) {
  double twice = 0;
  for (std::size_t k = 2; k < polygon.size(); ++k) twice += cross(polygon[k - 1] - polygon[0], polygon[k] - polygon[0]);
  return 0.5 * twice;
}

bool contains(const std::vector<Vector2d>& polygon, const Vector2d& x) {
  for (std::size_t k = 0; k < polygon.size(); ++k)
    if (!(cross(polygon[(k + 1) % polygon.size()] - polygon[k], x - polygon[k]) > 0)) return false;
  return true;
}

/// Points of integration on a triangle, exact to the second degree, or the fourth ([Dunavant1985]).
struct TrianglePoint {
  std::array<double, 3> corner;
  double weight;
};
const std::vector<TrianglePoint>& triangle_rule(bool fine) {
  const auto three = [](double a, double weight) {
    const double b = 1 - 2 * a;
    return std::vector<TrianglePoint>{{{b, a, a}, weight}, {{a, b, a}, weight}, {{a, a, b}, weight}};
  };
  static const std::vector<TrianglePoint> few = three(1. / 6, 1. / 3);
  static const std::vector<TrianglePoint> many = [&] {
    auto list = three(0.445948490915965, 0.223381589678011);
    const auto more = three(0.091576213509771, 0.109951743655322);
    list.insert(list.end(), more.begin(), more.end());
    return list;
  }();
  return fine ? many : few;
}
}  // namespace

namespace detail {
std::vector<Vector2d> clipped(std::vector<Vector2d> polygon, const std::vector<Vector2d>& by) {
  for (std::size_t k = 0; k < by.size() && !polygon.empty(); ++k) {
    const Vector2d from = by[k], along = by[(k + 1) % by.size()] - from;
    std::vector<Vector2d> kept;
    for (std::size_t i = 0; i < polygon.size(); ++i) {
      const Vector2d &a = polygon[i], &b = polygon[(i + 1) % polygon.size()];
      const double one = cross(along, a - from), other = cross(along, b - from);
      if (one >= 0) kept.push_back(a);
      if ((one > 0 && other < 0) || (one < 0 && other > 0)) kept.push_back(a + one / (one - other) * (b - a));
    }
    polygon = std::move(kept);
  }
  return polygon;
}
}  // namespace detail

namespace {
/// How far outside of a face a place on its continuation is, in halves of its size.
double outside(int corners, double r, double s) {
  return corners == 3 ? -2 * std::min({r, s, 1 - r - s}) : std::max(std::abs(r), std::abs(s)) - 1;
}
}  // namespace

struct SurfaceContact::Sheet {
  int face = -1;
  std::array<Vec3, 9> nodes;
  Vec3 middle, normal;
  Eigen::Matrix<double, 3, 2> axes;
  std::vector<Vector2d> corners;
  double area = 0, size = 0;
  /// A part of it, and what lies opposite.
  struct Piece {
    int leader = -1;
    double facing = -1;  ///< cosine between the normals
    std::vector<Vector2d> outline;
  };
  std::vector<Piece> pieces;
  Vector2d flat(const Vec3& x) const { return axes.transpose() * (x - middle); }
};

namespace {
/// Where a place in the plane lies on a face, by its shape functions.
Vector2d place_on(const model::ContactFace& face, const std::array<Vec3, 9>& nodes, const Vec3& middle,
                  const Eigen::Matrix<double, 3, 2>& axes, const Vector2d& wanted) {
  Vector2d rs = face.corners() == 3 ? Vector2d(1. / 3, 1. / 3) : Vector2d(0, 0);
  for (int step = 0; step < 30; ++step) {
    const auto f = base::surface_shape(face.count, rs[0], rs[1]);
    Vector2d x = Vector2d::Zero();
    Eigen::Matrix2d slope = Eigen::Matrix2d::Zero();
    for (std::size_t k = 0; k < at(face.count); ++k) {
      const Vector2d n = axes.transpose() * (nodes[k] - middle);
      x += f.n[k] * n;
      slope.col(0) += f.dr[k] * n;
      slope.col(1) += f.ds[k] * n;
    }
    const Vector2d d = slope.inverse() * (wanted - x);
    if (!d.allFinite()) break;
    rs += d;
    if (d.norm() < 1e-13) break;
  }
  return rs;
}
}  // namespace

std::vector<double> SurfaceContact::pair(const State& state, double margin, const base::Executor* executor) const {
  Search search{margin, {}, {}, {}, {}, {}};
  const auto count = static_cast<int>(faces_.size());
  search.boxes.resize(faces_.size());
  search.normals.resize(faces_.size());
  const auto for_all = [&](const std::function<void(int, int)>& work) {
    if (executor != nullptr)
      executor->for_range(count, work, 64);
    else
      work(0, count);
  };
  for_all([&](int begin, int end) {
    for (std::size_t f = at(begin); f < at(end); ++f) {
      const auto& face = faces_[f].own;
      const auto x = [&](std::size_t k) -> const Vec3& { return state.position[at(face.nodes[k])]; };
      for (std::size_t k = 0; k < at(face.count); ++k) search.boxes[f].extend(x(k));
      search.normals[f] =
          (face.corners() == 3 ? (x(1) - x(0)).cross(x(2) - x(0)) : (x(2) - x(0)).cross(x(3) - x(1))).normalized();
    }
  });
  const auto tree = [&](const Range& range) {
    std::vector<int> numbers;
    for (int f = range.first; f < range.last; ++f) numbers.push_back(f);
    return Search::Tree(numbers.begin(), numbers.end(), search.boxes.begin() + range.first,
                        search.boxes.begin() + range.last);
  };
  for (const auto& range : leaders_) {
    search.leading.push_back(tree(range));
    double most = 0;
    for (int l = range.first; l < range.last; ++l)
      most = std::max(most, std::abs(faces_[at(l)].own.reach) + faces_[at(l)].own.depth);
    search.deepest.push_back(most);
  }
  for (const auto& range : followers_) search.following.push_back(tree(range));
  std::vector<std::vector<double>> lists(faces_.size());
  for_all([&](int begin, int end) {
    for (int f = begin; f < end; ++f)
      if (faces_[at(f)].knots[0] >= 0)
        faces_[at(f)].own.is_line() ? pair_line(state, search, f, lists[at(f)])
                                    : pair_face(state, search, f, lists[at(f)]);
  });
  std::vector<double> all;
  for (const auto& list : lists) all.insert(all.end(), list.begin(), list.end());
  return all;
}

/// Not what shares a node, nor what belongs together in one body; of two alike of one list the first follows.
bool SurfaceContact::may_touch(int face, int leader) const {
  const auto &a = faces_[at(face)], &b = faces_[at(leader)];
  for (std::size_t i = 0; i < at(a.own.count); ++i)
    for (std::size_t k = 0; k < at(b.own.count); ++k)
      if (a.own.nodes[i] == b.own.nodes[k]) return false;
  const auto& range = leaders_[at(a.contact)];
  const bool within = range.first == followers_[at(a.contact)].first;
  if (within && a.own.is_line() == b.own.is_line() && leader < face) return false;
  if (!within || bodies_[at(a.own.part + 1)] != bodies_[at(b.own.part + 1)]) return true;
  Box one, other;
  for (std::size_t i = 0; i < at(a.own.count); ++i) one.extend(start_[at(a.own.nodes[i])]);
  for (std::size_t k = 0; k < at(b.own.count); ++k) other.extend(start_[at(b.own.nodes[k])]);
  const double together = kOwnReaches * (std::abs(a.own.reach) + std::abs(b.own.reach));
  return one.squaredExteriorDistance(other) > together * together;
}

void SurfaceContact::pair_face(const State& state, const Search& search, int number, std::vector<double>& list) const {
  const auto& face = faces_[at(number)];
  Sheet sheet;
  sheet.face = number;
  sheet.normal = search.normals[at(number)];
  sheet.middle.setZero();
  const auto corners = at(face.own.corners());
  for (std::size_t k = 0; k < at(face.own.count); ++k) sheet.nodes[k] = state.position[at(face.own.nodes[k])];
  for (std::size_t k = 0; k < corners; ++k) sheet.middle += sheet.nodes[k] / static_cast<double>(corners);
  const Vec3 along =
      (sheet.nodes[1] - sheet.nodes[0]) - sheet.normal * sheet.normal.dot(sheet.nodes[1] - sheet.nodes[0]);
  sheet.axes.col(0) = along.normalized();
  sheet.axes.col(1) = sheet.normal.cross(sheet.axes.col(0));
  for (std::size_t k = 0; k < corners; ++k) sheet.corners.push_back(sheet.flat(sheet.nodes[k]));
  sheet.area = area_of(sheet.corners);
  sheet.size = std::sqrt(2 * std::max(0.0, sheet.area));  // of a square its diagonal, however it lies
  if (!(sheet.area > 0)) return;
  const double margin = std::max(search.margin, sheet.size);
  const double reach = std::abs(face.own.reach) + face.own.depth;
  const Vec3 grown = Vec3::Constant(reach + search.deepest[at(face.contact)] + margin);
  const Box box(search.boxes[at(number)].min() - grown, search.boxes[at(number)].max() + grown);
  for (const int l : search.near(search.leading[at(face.contact)], box)) {
    if (faces_[at(l)].own.is_line()) continue;
    const double facing = search.normals[at(l)].dot(sheet.normal);
    if (facing > kLeastFacing || !may_touch(number, l)) continue;
    std::vector<Vector2d> other;
    for (int k = faces_[at(l)].own.corners() - 1; k >= 0; --k)  // seen from the other side
      other.push_back(sheet.flat(state.position[at(faces_[at(l)].own.nodes[at(k)])]));
    if (!(area_of(other) > 0)) continue;
    auto piece = detail::clipped(sheet.corners, other);
    if (piece.size() >= 3 && area_of(piece) > kSliver * sheet.area)
      sheet.pieces.push_back({l, facing, std::move(piece)});
  }
  for (std::size_t p = 0; p < sheet.pieces.size(); ++p) add_piece(state, sheet, p, margin, list);
}

/// The closest point of a leader, where it lies near enough and not behind.
bool SurfaceContact::opposite(const State& state, const Sheet& sheet, int leader, const Vec3& place, double margin,
                              double& gap, Point& point) const {
  const auto &own = faces_[at(sheet.face)].own, &other = faces_[at(leader)].own;
  const auto nodes = detail::positions(state, other);
  detail::ClosestPoint c;
  if (other.count == 3) c.r = c.s = 1. / 3;
  if (!detail::closest_point(nodes, other.count, place, c)) return false;
  gap = c.distance - own.reach - other.reach;
  point.leader = leader;
  point.reach = own.reach + other.reach;
  point.at_r = c.r, point.at_s = c.s;
  return gap <= margin && c.distance >= -(own.depth + other.depth);
}

void SurfaceContact::add_piece(const State& state, const Sheet& sheet, std::size_t number, double margin,
                               std::vector<double>& list) const {
  const auto& piece = sheet.pieces[number].outline;
  const auto& own = faces_[at(sheet.face)].own;
  const double facing = detail::fading(sheet.pieces[number].facing, kFacing, kLeastFacing);
  // shares of corners of two by two are of the second degree, and distances are none of the first alone
  const bool fine = own.count > 3 || faces_[at(sheet.pieces[number].leader)].own.count > 3;
  for (std::size_t k = 2; k < piece.size(); ++k) {
    const std::array<Vector2d, 3> t = {piece[0], piece[k - 1], piece[k]};
    const double area = 0.5 * cross(t[1] - t[0], t[2] - t[0]);
    if (!(area > kSliver * sheet.area)) continue;
    for (const auto& rule : triangle_rule(fine)) {
      const Vector2d x = rule.corner[0] * t[0] + rule.corner[1] * t[1] + rule.corner[2] * t[2];
      const Vector2d rs = place_on(own, sheet.nodes, sheet.middle, sheet.axes, x);
      const auto f = base::surface_shape(own.count, rs[0], rs[1]);
      Vec3 place = Vec3::Zero();
      for (std::size_t i = 0; i < at(own.count); ++i) place += f.n[i] * sheet.nodes[i];
      Point point{sheet.face, -1, rs[0], rs[1], rule.weight * area, 0, 0, 0}, other = point;
      double gap = 0, nearer = 0;
      if (!opposite(state, sheet, sheet.pieces[number].leader, place, margin, gap, point)) continue;
      bool hidden = false;  // behind what is nearer
      for (std::size_t p = 0; p < sheet.pieces.size() && !hidden; ++p)
        hidden = p != number && contains(sheet.pieces[p].outline, x) &&
                 opposite(state, sheet, sheet.pieces[p].leader, place, margin, nearer, other) && nearer < gap;
      // what comes into view or goes out of it does so bit by bit: the mean gap of a knot does not jump
      const double beyond = outside(faces_[at(point.leader)].own.corners(), point.at_r, point.at_s);
      point.weight *= std::max(detail::kNextToNothing,
                               facing * detail::fading(gap, detail::kNear * sheet.size, detail::kFar * sheet.size) *
                                   detail::fading(beyond, kBeside, kFarBeside));
      if (!hidden) point.write(list);
    }
  }
}

}  // namespace archway::elements
