#include "archway/model/surface.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>
#include <nanoflann.hpp>
#include <set>

#include <fmt/format.h>

#include "archway/base/errors.hpp"
#include "archway/base/index.hpp"
#include "archway/base/shape_functions.hpp"
#include "archway/model/selection.hpp"

namespace archway::model {

namespace {
using base::at;

/// Faces of solids that belong to one element only.
std::vector<Facet> outer_faces(const Model& model, int part) {
  std::map<std::vector<int>, std::pair<int, Facet>> sides;
  for (const auto& e : model.solid_elements) {
    if (part >= 0 && e.part != part) continue;
    for (const auto& side : kSolidFaces) {
      Facet facet;
      for (std::size_t k = 0; k < (e.count == 8 ? 4u : 8u); ++k) facet.nodes.push_back(e.nodes[at(side[k])]);
      std::vector<int> key(facet.nodes.begin(), facet.nodes.begin() + 4);
      std::sort(key.begin(), key.end());
      ++sides.try_emplace(key, 0, std::move(facet)).first->second.first;
    }
  }
  std::vector<Facet> faces;
  for (auto& [key, side] : sides)
    if (side.first == 1) faces.push_back(std::move(side.second));
  return faces;
}

Vec3 position(const Model& model, const Facet& facet, const base::SurfaceShape& f) {
  Vec3 x = Vec3::Zero();
  for (std::size_t i = 0; i < facet.nodes.size(); ++i) x += f.n[i] * model.nodes[at(facet.nodes[i])];
  return x;
}

void keep_inside(int corners, double& r, double& s) {
  if (corners == 4) {
    r = std::clamp(r, -1.0, 1.0);
    s = std::clamp(s, -1.0, 1.0);
    return;
  }
  r = std::max(r, 0.0);
  s = std::max(s, 0.0);
  if (const double over = r + s - 1; over > 0) {
    r -= over / 2;
    s -= over / 2;
    if (r < 0) r = 0, s = 1;
    if (s < 0) s = 0, r = 1;
  }
}
}  // namespace

std::vector<Facet> outer_facets(const Model& model) {
  std::vector<Facet> facets;
  for (const auto& e : model.shell_elements) facets.push_back({{e.begin(), e.end()}, true});
  for (auto& face : outer_faces(model, -1)) facets.push_back(std::move(face));
  return facets;
}

std::vector<Facet> facets_of(const Model& model, const std::string& part) {
  const auto shells = shell_elements_of(model, part);
  std::vector<Facet> facets;
  for (const int e : shells) {
    const auto& shell = model.shell_elements[at(e)];
    facets.push_back({{shell.begin(), shell.end()}, true});
  }
  for (std::size_t p = 0; p < model.parts.size(); ++p)
    if (model.parts[p].name == part && model.parts[p].kind == PartKind::solid)
      facets = outer_faces(model, static_cast<int>(p));
  if (facets.empty())
    throw base::InputError("", fmt::format("part '{}' has no surface", part), "name a panel or a solid");
  return facets;
}

std::vector<Facet> facets_among(const Model& model, const std::vector<int>& nodes) {
  const std::set<int> chosen(nodes.begin(), nodes.end());
  const auto inside = [&](const Facet& f) {
    return std::all_of(f.nodes.begin(), f.nodes.end(), [&](int n) { return chosen.count(n) > 0; });
  };
  std::vector<Facet> facets;
  for (auto& f : outer_facets(model))
    if (inside(f)) facets.push_back(std::move(f));
  return facets;
}

namespace {
/// Newton for the closest place on a facet, held to a straight line of natural coordinates when `along` has a length.
void approach(const Model& model, const Facet& facet, const Vec3& point, const Eigen::Vector2d& along, double& r,
              double& s) {
  const int count = static_cast<int>(facet.nodes.size());
  for (int i = 0; i < 40; ++i) {
    const auto f = base::surface_shape(count, r, s);
    Eigen::Matrix<double, 3, 2> j = Eigen::Matrix<double, 3, 2>::Zero();
    for (std::size_t k = 0; k < facet.nodes.size(); ++k) {
      j.col(0) += f.dr[k] * model.nodes[at(facet.nodes[k])];
      j.col(1) += f.ds[k] * model.nodes[at(facet.nodes[k])];
    }
    const Vec3 gap = point - position(model, facet, f);
    Eigen::Vector2d step;
    if (along.isZero(0.0)) {
      step = (j.transpose() * j).inverse() * (j.transpose() * gap);
    } else {
      const Vec3 line = j * along;
      step = line.dot(gap) / line.squaredNorm() * along;
    }
    r += step[0];
    s += step[1];
    if (step.norm() < 1e-14) return;
    if (!(std::hypot(r, s) < 1e3)) return;  // far outside a warped facet: its edges decide
  }
}
}  // namespace

FacetPlace project(const Model& model, const Facet& facet, const Vec3& point) {
  const int count = static_cast<int>(facet.nodes.size());
  FacetPlace place;
  place.gap = HUGE_VAL;
  const auto take = [&](double r, double s) {
    const auto f = base::surface_shape(count, r, s);
    const Vec3 here = position(model, facet, f);
    if (!((point - here).norm() < place.gap)) return;
    place.r = r;
    place.s = s;
    place.point = here;
    place.gap = (point - here).norm();
    place.weights.clear();
    for (std::size_t k = 0; k < facet.nodes.size(); ++k) place.weights.emplace_back(facet.nodes[k], f.n[k]);
  };
  double r = facet.corners() == 3 ? 1.0 / 3 : 0.0, s = r;
  approach(model, facet, point, Eigen::Vector2d::Zero(), r, s);
  double inner_r = r, inner_s = s;
  keep_inside(facet.corners(), inner_r, inner_s);
  if (std::hypot(inner_r - r, inner_s - s) < 1e-9) {
    take(inner_r, inner_s);
    return place;
  }
  // outside: the closest place lies on an edge, and there between its ends
  static const std::array<Eigen::Vector2d, 4> square = {Eigen::Vector2d(-1, -1), Eigen::Vector2d(1, -1),
                                                        Eigen::Vector2d(1, 1), Eigen::Vector2d(-1, 1)};
  static const std::array<Eigen::Vector2d, 3> triangle = {Eigen::Vector2d(0, 0), Eigen::Vector2d(1, 0),
                                                          Eigen::Vector2d(0, 1)};
  const auto corner = [&](int k) { return facet.corners() == 3 ? triangle[at(k % 3)] : square[at(k % 4)]; };
  for (int k = 0; k < facet.corners(); ++k) {
    const Eigen::Vector2d from = corner(k), edge = corner(k + 1) - from;
    Eigen::Vector2d on = from + 0.5 * edge;
    approach(model, facet, point, edge, on[0], on[1]);
    const double share = std::clamp((on - from).dot(edge) / edge.squaredNorm(), 0.0, 1.0);
    take((from + share * edge)[0], (from + share * edge)[1]);
  }
  return place;
}

/// The middles of boxes: a search among them finds every box that can matter, which is then judged by itself.
struct FacetSearch::Tree {
  using Index = nanoflann::KDTreeSingleIndexAdaptor<nanoflann::L2_Simple_Adaptor<double, Tree>, Tree, 3, std::size_t>;

  explicit Tree(const std::vector<std::pair<Vec3, Vec3>>& boxes) {
    for (const auto& [low, high] : boxes) {
      middles.emplace_back(0.5 * (low + high));
      widest = std::max(widest, 0.5 * (high - low).norm());
    }
    index = std::make_unique<Index>(3, *this);
    index->buildIndex();
  }
  std::size_t kdtree_get_point_count() const { return middles.size(); }
  double kdtree_get_pt(std::size_t i, std::size_t axis) const { return middles[i][static_cast<Eigen::Index>(axis)]; }
  template <class Box>
  bool kdtree_get_bbox(Box&) const {
    return false;
  }

  std::size_t nearest_middle(const Vec3& point) const {
    std::size_t found = 0;
    double squared = 0;
    index->knnSearch(point.data(), 1, &found, &squared);
    return found;
  }
  /// Boxes some place of which may lie within `reach` of the point, in order of their numbers.
  std::vector<std::size_t> may_reach(const Vec3& point, double reach) const {
    const double radius = (reach + widest) * (1 + 1e-9) + std::numeric_limits<double>::min();
    std::vector<std::pair<std::size_t, double>> found;
    index->radiusSearch(point.data(), radius * radius, found, nanoflann::SearchParams());
    std::vector<std::size_t> numbers;
    for (const auto& f : found) numbers.push_back(f.first);
    std::sort(numbers.begin(), numbers.end());
    return numbers;
  }

  std::vector<Vec3> middles;
  double widest = 0;  ///< half the longest diagonal
  std::unique_ptr<Index> index;
};

FacetSearch::FacetSearch(const Model& model, std::vector<Facet> facets) : model_(model), facets_(std::move(facets)) {
  for (const auto& f : facets_) {
    Vec3 low = Vec3::Constant(HUGE_VAL), high = -low;
    for (const int n : f.nodes) {
      low = low.cwiseMin(model.nodes[at(n)]);
      high = high.cwiseMax(model.nodes[at(n)]);
    }
    boxes_.emplace_back(low, high);
    same_ = std::max(same_, 1e-9 * (high - low).norm());
  }
  tree_ = std::make_unique<const Tree>(boxes_);
}
FacetSearch::~FacetSearch() = default;

FacetPlace FacetSearch::nearest(const Vec3& point) const {
  FacetPlace best;
  best.gap = HUGE_VAL;
  if (facets_.empty()) return best;
  // any facet's distance bounds the search; boxes give lower bounds: look in that order until none can be closer
  const double bound = project(model_, facets_[tree_->nearest_middle(point)], point).gap;
  std::vector<std::pair<double, std::size_t>> order;
  for (const std::size_t f : tree_->may_reach(point, bound + same_))
    order.emplace_back((point - point.cwiseMax(boxes_[f].first).cwiseMin(boxes_[f].second)).norm(), f);
  std::sort(order.begin(), order.end());
  for (const auto& [least, f] : order) {
    if (least > best.gap + same_) break;
    FacetPlace place = project(model_, facets_[f], point);
    place.facet = f;
    // of facets equally near the first of the part, whatever rounding says
    if (place.gap < best.gap - same_ || (place.gap <= best.gap + same_ && f < best.facet)) best = std::move(place);
  }
  return best;
}

std::vector<std::size_t> FacetSearch::near_box(const Vec3& low, const Vec3& high, double reach) const {
  if (facets_.empty()) return {};
  std::vector<std::size_t> found;
  const double half = 0.5 * (high - low).norm();
  for (const std::size_t f : tree_->may_reach(0.5 * (low + high), half + std::sqrt(3.0) * std::max(reach, 0.0)))
    if (((boxes_[f].first - high).array() <= reach).all() && ((low - boxes_[f].second).array() <= reach).all())
      found.push_back(f);
  return found;
}

std::vector<double> tributary_shares(const Model& model, const std::vector<int>& nodes) {
  std::map<int, double> area;
  double total = 0;
  for (const auto& facet : facets_among(model, nodes)) {
    const int count = static_cast<int>(facet.nodes.size());
    for (const auto& g : base::surface_rule(count)) {
      const auto f = base::surface_shape(count, g.r, g.s);
      Vec3 gr = Vec3::Zero(), gs = Vec3::Zero();
      for (std::size_t k = 0; k < facet.nodes.size(); ++k) {
        gr += f.dr[k] * model.nodes[at(facet.nodes[k])];
        gs += f.ds[k] * model.nodes[at(facet.nodes[k])];
      }
      // by corners, since middle nodes of serendipity faces would make corners negative
      const auto linear = base::surface_shape(facet.corners(), g.r, g.s);
      for (std::size_t k = 0; k < at(facet.corners()); ++k)
        area[facet.nodes[k]] += g.weight * gr.cross(gs).norm() * linear.n[k];
      total += g.weight * gr.cross(gs).norm();
    }
  }
  std::vector<double> shares;
  for (const int n : nodes) shares.push_back(total > 0 ? area[n] / total : 1.0 / static_cast<double>(nodes.size()));
  return shares;
}

}  // namespace archway::model
