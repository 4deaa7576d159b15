#include "archway/model/subdivide.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include "archway/base/index.hpp"
#include "archway/base/shape_functions.hpp"

namespace archway::model {

namespace {
using base::at;

/// Natural coordinates of the nodes of a surface element: those of its corners, edges and centre on the square.
Vec3 square_node(int k) {
  static const double r[9] = {-1, 1, 1, -1, 0, 1, 0, -1, 0}, s[9] = {-1, -1, 1, 1, -1, 0, 1, 0, 0};
  return {r[k], s[k], 0};
}
Vec3 triangle_node(int k) {
  return {k == 1 ? 1.0 : 0.0, k == 2 ? 1.0 : 0.0, 0};
}

class Subdivision {
 public:
  explicit Subdivision(const Model& mesh) : old_(mesh), new_(mesh) {
    new_.shell_elements.clear(), new_.solid_elements.clear();
  }

  Model run() {
    // nodes of the mesh first, so that none of them is made again from one side
    for (const auto& e : old_.shell_elements)
      for (int k = 0; k < e.count; ++k) places_.emplace(key(e, shell_node(e, k)), e.nodes[at(k)]);
    for (const auto& e : old_.solid_elements)
      for (int k = 0; k < e.count; ++k) places_.emplace(key(e, base::solid_nodes()[at(k)]), e.nodes[at(k)]);
    for (const auto& e : old_.shell_elements) e.count == 3 ? cut_triangle(e) : cut_square(e);
    for (const auto& e : old_.solid_elements) cut_solid(e);
    join_groups();
    return std::move(new_);
  }

 private:
  /// Corners that a place lies between, with their shares in sixty-fourths: the same for all elements that hold it.
  using Key = std::vector<std::pair<int, int>>;

  static Vec3 shell_node(const ShellElement& e, int k) { return e.count == 3 ? triangle_node(k) : square_node(k); }

  static Key key(const int* corners, const double* shares, int count) {
    Key key;
    for (int k = 0; k < count; ++k)
      if (const int share = static_cast<int>(std::lround(64 * shares[k])); share != 0)
        key.emplace_back(corners[k], share);
    std::sort(key.begin(), key.end());
    return key;
  }
  static Key key(const ShellElement& e, const Vec3& place) {
    const auto shape = base::surface_shape(e.corners(), place.x(), place.y());
    return key(e.nodes.data(), shape.n.data(), e.corners());
  }
  static Key key(const SolidElement& e, const Vec3& place) {
    const auto shape = base::solid_shape(8, place);
    return key(e.nodes.data(), shape.n.data(), 8);
  }

  int node(const Key& key, const Vec3& position) {
    const auto [found, is_new] = places_.try_emplace(key, new_.node_count());
    if (!is_new) return found->second;
    new_.nodes.push_back(position);
    return found->second;
  }
  int node(const ShellElement& e, const Vec3& place) {
    const auto shape = base::surface_shape(e.count, place.x(), place.y());
    return node(key(e, place), blend(e.nodes.data(), shape.n.data(), e.count));
  }
  int node(const SolidElement& e, const Vec3& place) {
    const auto shape = base::solid_shape(e.count, place);
    return node(key(e, place), blend(e.nodes.data(), shape.n.data(), e.count));
  }
  Vec3 blend(const int* nodes, const double* shares, int count) const {
    const Vec3& first = old_.nodes[at(nodes[0])];
    Vec3 sum = Vec3::Zero();
    for (int k = 1; k < count; ++k) sum += shares[k] * (old_.nodes[at(nodes[k])] - first);
    return first + sum;
  }

  void cut_square(const ShellElement& e) {
    for (int j = 0; j < 2; ++j)
      for (int i = 0; i < 2; ++i) {
        ShellElement child = e;
        for (int k = 0; k < e.count; ++k)
          child.nodes[at(k)] = node(e, Vec3(i - 0.5, j - 0.5, 0) + 0.5 * square_node(k));
        new_.shell_elements.push_back(child);
      }
  }
  void cut_triangle(const ShellElement& e) {
    const auto child = [&](const Vec3& origin, double half) {
      ShellElement one = e;
      for (int k = 0; k < 3; ++k) one.nodes[at(k)] = node(e, origin + half * triangle_node(k));
      new_.shell_elements.push_back(one);
    };
    for (int k = 0; k < 3; ++k) child(0.5 * triangle_node(k), 0.5);
    child({0.5, 0.5, 0}, -0.5);  // the one in the middle lies the other way round
  }
  void cut_solid(const SolidElement& e) {
    for (const double z : {-0.5, 0.5})
      for (const double y : {-0.5, 0.5})
        for (const double x : {-0.5, 0.5}) {
          SolidElement child = e;
          for (int k = 0; k < e.count; ++k)
            child.nodes[at(k)] = node(e, Vec3(x, y, z) + 0.5 * base::solid_nodes()[at(k)]);
          new_.solid_elements.push_back(child);
        }
  }
  void join_groups() {
    for (auto& [name, nodes] : new_.groups) {
      const std::set<int> before(nodes.begin(), nodes.end());
      for (const auto& [key, node] : places_)
        if (node >= old_.node_count() &&
            std::all_of(key.begin(), key.end(), [&](const auto& corner) { return before.count(corner.first) > 0; }))
          nodes.push_back(node);
      std::sort(nodes.begin(), nodes.end());
    }
  }

  const Model& old_;
  Model new_;
  std::map<Key, int> places_;
};
}  // namespace

Model subdivided(const Model& mesh) {
  return Subdivision(mesh).run();
}

}  // namespace archway::model
