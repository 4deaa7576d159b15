#pragma once
#include <memory>

#include "archway/model/model.hpp"

namespace archway::model {

/// A piece of the surface of a part: a shell element, or an outer face of a solid.
struct Facet {
  std::vector<int> nodes;  ///< 3, 4, 8 or 9; corners first
  bool rotations = false;  ///< its nodes have rotations (a shell)
  int corners() const { return nodes.size() == 3 ? 3 : 4; }
};

/// All shell elements and the faces that belong to one solid only.
std::vector<Facet> outer_facets(const Model& model);
/// All facets of a part. \throws base::InputError when the part does not exist or has no surface
std::vector<Facet> facets_of(const Model& model, const std::string& part);
/// Facets of any part whose nodes are all among some nodes.
std::vector<Facet> facets_among(const Model& model, const std::vector<int>& nodes);

/// Where a point comes to lie on a facet.
struct FacetPlace {
  std::size_t facet = 0;
  double r = 0, s = 0;                          ///< natural coordinates
  Vec3 point = Vec3::Zero();                    ///< on the facet
  double gap = 0;                               ///< distance from it
  std::vector<std::pair<int, double>> weights;  ///< shape functions of the facet's nodes there
};
FacetPlace project(const Model& model, const Facet& facet, const Vec3& point);

/// Finds facets close to a point or a box, through a tree of the middles of their boxes.
class FacetSearch {
 public:
  FacetSearch(const Model& model, std::vector<Facet> facets);
  ~FacetSearch();
  FacetPlace nearest(const Vec3& point) const;
  const std::vector<Facet>& facets() const { return facets_; }
  /// Facets whose boxes, grown by `reach`, touch the box between two corners.
  std::vector<std::size_t> near_box(const Vec3& low, const Vec3& high, double reach) const;

 private:
  struct Tree;

  const Model& model_;
  std::vector<Facet> facets_;
  std::vector<std::pair<Vec3, Vec3>> boxes_;
  std::unique_ptr<const Tree> tree_;
  double same_ = 0;  ///< distances that differ by less are equal
};

/// Area that belongs to each of some nodes on the facets among them; equal shares when there are none.
std::vector<double> tributary_shares(const Model& model, const std::vector<int>& nodes);

}  // namespace archway::model
