#pragma once
#include <map>
#include <optional>

#include "archway/model/model.hpp"

namespace archway::model {

/// Chooses nodes by name and by place; every rule that is given must hold.
struct Selection {
  struct Plane {
    Vec3 point = Vec3::Zero(), normal = Vec3::UnitZ();
  };
  struct Cylinder {
    Vec3 axis_from = Vec3::Zero(), axis_to = Vec3::UnitZ();
    double least = 0, most = 0;  ///< distance from the axis, of unbounded length
  };
  std::string group;                         ///< a name in Model::groups; empty: all nodes
  std::optional<double> plane[3];            ///< x, y or z equal to this value
  std::optional<Plane> inclined;             ///< in this plane
  std::optional<Cylinder> cylinder;          ///< so far from this axis
  std::optional<std::pair<Vec3, Vec3>> box;  ///< inside or on these corners
  bool free_edges = false;                   ///< on an edge that belongs to one panel element only
  std::optional<Vec3> normal;                ///< on a panel element or outer face of a solid that looks this way
  double within_degrees = 5;                 ///< of `normal`
  std::vector<Selection> any;                ///< caught by one of these at least
  std::vector<Selection> without;            ///< caught by none of these
  /// The one node closest to this point of those the other rules leave (of several equally close ones that with the
  /// smallest x, then y, then z)...
  std::optional<Vec3> near;
  double radius = 0;      ///< ...or, above zero, all that lie so near to it
  bool ends_only = true;  ///< omit nodes inside beam elements
  /// The rules in words, for messages.
  std::string text() const;
};

/// Nodes caught by a selection, rising. Planes and boxes have a tolerance of 1e-6 of the model's size.
std::vector<int> select(const Model& model, const Selection& selection);

/// Neighbouring pairs of selected nodes along panel edges (edges that belong to one selected line).
/// Only edges with both ends in `nodes`; an edge shared by several elements is listed once, and not at all when it only
/// cuts through the selection: when all corners of an element at it are selected.
std::vector<std::pair<int, int>> edges_among(const Model& model, const std::vector<int>& nodes);

/// Edges of panel elements that belong to one element only.
std::vector<std::pair<int, int>> free_edges(const Model& model);

/// Middle node of every edge of nine-node shells, by the pair of its ends (smaller number first).
std::map<std::pair<int, int>, int> edge_middles(const Model& model);

/// Indices of the elements that belong to a part. \throws base::InputError when the part does not exist.
std::vector<int> line_elements_of(const Model& model, const std::string& part);
std::vector<int> shell_elements_of(const Model& model, const std::string& part);

}  // namespace archway::model
