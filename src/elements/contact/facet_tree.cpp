#include <cmath>
#include <map>

#include "archway/base/index.hpp"
#include "contact/facet_tree_detail.hpp"

namespace archway::elements {

using base::at;

namespace {
using Box = Eigen::AlignedBox<double, 3>;
using Key = std::array<double, 3>;
Key key_of(const Vec3& x) {
  return {x.x(), x.y(), x.z()};
}
constexpr std::size_t next(std::size_t k) {
  return (k + 1) % 3;
}
}  // namespace

FacetTree::FacetTree(const std::vector<std::array<Vec3, 3>>& facets) : facets_(facets) {
  std::map<Key, Vec3> corners;
  std::map<std::pair<Key, Key>, Vec3> edges;
  std::vector<Vec3> faces;
  std::vector<Box> boxes;
  std::vector<int> numbers;
  Box all;
  const auto edge_of = [](const std::array<Vec3, 3>& f, std::size_t k) {
    return std::pair<Key, Key>(std::minmax(key_of(f[k]), key_of(f[next(k)])));
  };
  for (const auto& f : facets_) {
    const Vec3 face = (f[1] - f[0]).cross(f[2] - f[0]).normalized();
    Box box;
    for (std::size_t k = 0; k < 3; ++k) {
      const Vec3 a = f[next(k)] - f[k], b = f[next(next(k))] - f[k];
      const double angle = std::atan2(a.cross(b).norm(), a.dot(b));
      corners.try_emplace(key_of(f[k]), Vec3::Zero()).first->second += angle * face;
      edges.try_emplace(edge_of(f, k), Vec3::Zero()).first->second += face;
      box.extend(f[k]);
    }
    faces.push_back(face);
    boxes.push_back(box);
    all.extend(box);
    numbers.push_back(static_cast<int>(numbers.size()));
  }
  for (std::size_t n = 0; n < facets_.size(); ++n) {
    std::array<Vec3, 7> own;
    for (std::size_t k = 0; k < 3; ++k) {
      own[k] = corners.at(key_of(facets_[n][k]));
      own[3 + k] = edges.at(edge_of(facets_[n], k));
    }
    own[6] = faces[n];
    normals_.push_back(own);
  }
  size_ = all.isEmpty() ? 0 : all.sizes().maxCoeff();
  tree_.init(numbers.begin(), numbers.end(), boxes.begin(), boxes.end());
}

/// By the regions of [Ericson2005] 5.1.5.
FacetTree::Nearest FacetTree::nearest(const std::array<Vec3, 3>& c, const Vec3& p) {
  const Vec3 ab = c[1] - c[0], ac = c[2] - c[0], ap = p - c[0], bp = p - c[1], cp = p - c[2];
  const double d1 = ab.dot(ap), d2 = ac.dot(ap), d3 = ab.dot(bp), d4 = ac.dot(bp), d5 = ab.dot(cp), d6 = ac.dot(cp);
  if (d1 <= 0 && d2 <= 0) return {c[0], 0};
  if (d3 >= 0 && d4 <= d3) return {c[1], 1};
  const double vc = d1 * d4 - d3 * d2;
  if (vc <= 0 && d1 >= 0 && d3 <= 0) return {c[0] + d1 / (d1 - d3) * ab, 3};
  if (d6 >= 0 && d5 <= d6) return {c[2], 2};
  const double vb = d5 * d2 - d1 * d6;
  if (vb <= 0 && d2 >= 0 && d6 <= 0) return {c[0] + d2 / (d2 - d6) * ac, 5};
  const double va = d3 * d6 - d5 * d4;
  if (va <= 0 && d4 - d3 >= 0 && d5 - d6 >= 0) return {c[1] + (d4 - d3) / ((d4 - d3) + (d5 - d6)) * (c[2] - c[1]), 4};
  const double all = va + vb + vc;
  return {c[0] + vb / all * ab + vc / all * ac, 6};
}

/// For the tree's search of the least squared distance.
struct FacetTree::Search {
  using Scalar = double;
  const FacetTree& tree;
  const Vec3& place;
  int facet = -1;
  double least = HUGE_VAL;
  double minimumOnVolume(const Box& box) const { return box.squaredExteriorDistance(place); }
  double minimumOnObject(int number) {
    const double d = (nearest(tree.facets_[at(number)], place).place - place).squaredNorm();
    if (d < least) least = d, facet = number;
    return d;
  }
};

Distance FacetTree::distance(const Vec3& place) const {
  Search search{*this, place};
  (void)Eigen::BVMinimize(tree_, search);
  const auto n = at(search.facet);
  const Nearest near = nearest(facets_[n], place);
  const auto feature = at(near.feature);
  const Vec3 way = place - near.place;
  const double r = way.norm();
  Distance d;
  // on the surface itself, or so near to it that rounding would rotate the way, the face reports the normal
  if (r <= 1e-9 * size_) {
    d.normal = normals_[n][6];
    d.value = d.normal.dot(way);
    return d;
  }
  const double sense = way.dot(normals_[n][feature]) >= 0 ? 1 : -1;
  d.value = sense * r;
  d.normal = sense / r * way;
  if (feature == 6) return d;
  Mat3 round = Mat3::Identity() - way * way.transpose() / (r * r);
  if (feature >= 3) {
    const std::size_t k = feature - 3;
    const Vec3 e = (facets_[n][next(k)] - facets_[n][k]).normalized();
    round -= e * e.transpose();
  }
  d.bend = sense / r * round;
  return d;
}

}  // namespace archway::elements
