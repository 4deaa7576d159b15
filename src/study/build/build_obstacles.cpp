#include <cmath>

#include "archway/elements/obstacle.hpp"
#include "build/build_model_detail.hpp"
#include "build/obstacles_detail.hpp"

namespace archway::study::detail {

namespace {
constexpr double kRounding = 1e-9;  ///< of the structure's size

/// Nodes inside of an obstacle before anything acts.
struct Inside {
  int nodes = 0;
  double deepest = 0;
  Vec3 place = Vec3::Zero();
  void take(double depth, const Vec3& x) {
    ++nodes;
    if (depth > deepest) deepest = depth, place = x;
  }
};

/// Largest edge of an element: what its stiffness is spread over.
double size_of(const model::Model& m, const int* first, const int* last) {
  double size = 0;
  for (const int* n = first; n != last; ++n)
    size = std::max(size, (m.nodes[static_cast<std::size_t>(*n)] - m.nodes[static_cast<std::size_t>(*first)]).norm());
  return size;
}
}  // namespace

/// For every node of the parts: how far its face lies from it, and about how stiff it is.
std::map<int, model::Touch> ObstacleBuilder::touching_nodes(const ObstacleSpec& spec, const std::vector<int>& parts) {
  std::map<int, model::Touch> list;
  // Stiffer than what touches, so that few rounds are enough; what comes out does not hang on it. Walls and members
  // give way by bending, far more than by what this is measured by; solids do not
  constexpr double kSolid = 30;
  const auto add = [&](const int* first, const int* last, double reach, double stiffness) {
    for (const int* n = first; n != last; ++n) {
      auto& touch = list[*n];
      touch.node = *n;
      touch.reach = std::max(touch.reach, spec.reach ? *spec.reach : spec.by_nodes ? 0.0 : reach);
      touch.stiffness = std::max(touch.stiffness, stiffness);
    }
  };
  const auto& m = model_;
  const auto taken = [&](int part) { return std::find(parts.begin(), parts.end(), part) != parts.end(); };
  const auto modulus = [&](int part) {
    return m.materials[static_cast<std::size_t>(m.parts[static_cast<std::size_t>(part)].material)].youngs_modulus;
  };
  const auto area = [&](int part) {
    return m.profiles[static_cast<std::size_t>(m.parts[static_cast<std::size_t>(part)].profile)].area;
  };
  for (const auto& e : m.shell_elements)
    if (taken(e.part)) add(e.begin(), e.end(), 0.5 * m.thickness(e), modulus(e.part) * m.thickness(e));
  for (const auto& e : m.line_elements)
    if (taken(e.part)) {
      const int* n = e.nodes.data();
      add(n, n + 4, 0, modulus(e.part) * area(e.part) / size_of(m, n, n + 4));
    }
  for (const auto& e : m.bar_elements)
    if (taken(e.part)) {
      const int* n = e.nodes.data();
      add(n, n + 2, 0, modulus(e.part) * area(e.part) / size_of(m, n, n + 2));
    }
  for (const auto& e : m.solid_elements)
    if (taken(e.part)) add(e.begin(), e.end(), 0, kSolid * modulus(e.part) * size_of(m, e.begin(), e.end()));
  return list;
}

std::vector<int> ObstacleBuilder::parts_of(const ObstacleSpec& spec) {
  std::vector<int> parts;
  for (std::size_t p = 0; p < model_.parts.size(); ++p)
    if (spec.on.empty()) parts.push_back(static_cast<int>(p));
  for (const auto& name : spec.on) {
    const std::size_t before = parts.size();
    for (std::size_t p = 0; p < model_.parts.size(); ++p)
      if (model_.parts[p].name == name || model_.parts[p].name.rfind(name + ".", 0) == 0)
        parts.push_back(static_cast<int>(p));
    if (parts.size() == before)
      complain(spec.place, fmt::format("no part is called '{}'", name), base::suggestion(name, names_of(model_.parts)));
  }
  for (const int p : parts) {
    const auto& part = model_.parts[static_cast<std::size_t>(p)];
    if (part.kind == model::PartKind::panel && part.offset_z != 0 && !spec.by_nodes && !spec.reach)
      complain(
          spec.place,
          fmt::format("panel '{}' lies beside its nodes (offset), so where its face is hangs on the side", part.name),
          "say how far it reaches from its nodes: contact_offset = ..., or touches = \"nodes\"");
    for (const auto& e : model_.solid_elements)
      if (e.part == p && e.count != 8) {
        complain(spec.place,
                 fmt::format("'{}' has solids of {} nodes, whose corners pull where a face is in compression",
                             part.name, e.count),
                 "give it elements of eight nodes");
        break;
      }
  }
  return parts;
}

void ObstacleBuilder::obstacles() {
  for (const auto& spec : spec_.obstacles) add_obstacle(spec);
  if (!spec_.obstacles.empty())
    model_.remarks.push_back(
        "obstacles act on paths with large displacements; LA and MNA do not see them, and LBA lists its modes without "
        "them: with them it has a row of its own in the comparison");
}

void ObstacleBuilder::add_obstacle(const ObstacleSpec& spec) {
  const int number = static_cast<int>(model_.obstacles.size());
  model_.obstacles.push_back(spec.body);
  std::unique_ptr<elements::FacetTree, void (*)(elements::FacetTree*)> tree = elements::facet_tree(spec.body);
  int gaps = 0;
  double widest = 0;
  Inside inside;
  const double rounding = kRounding * model_.size();
  const auto parts = parts_of(spec);
  for (const int p : parts)
    if (const auto& part = model_.parts[static_cast<std::size_t>(p)];
        !spec.reach && !spec.by_nodes && (part.kind == model::PartKind::member || part.kind == model::PartKind::bar)) {
      model_.remarks.push_back(fmt::format("'{}' touches obstacle '{}' with its axis (give a reach for its face)",
                                           part.name, spec.body.name));
    }
  std::vector<int> only;
  if (spec.at) only = nodes_at(*spec.at, "this obstacle");
  for (auto& [node, touch] : touching_nodes(spec, parts)) {
    if (spec.at && std::find(only.begin(), only.end(), node) == only.end()) continue;
    touch.obstacle = number;
    const Vec3& x = model_.nodes[static_cast<std::size_t>(node)];
    const double gap = elements::distance_from(spec.body, tree.get(), x).value - touch.reach;
    if (gap < -rounding) {
      inside.take(-gap, x);
      if (spec.overlap_is_free) touch.closed = gap;
    } else if (gap > rounding && spec.close_gaps) {
      ++gaps;
      widest = std::max(widest, gap);
      touch.closed = gap;
    } else if (std::abs(gap) <= rounding) {
      touch.closed = gap;  // it lies against it: rounding decides nothing
    }
    model_.touches.push_back(touch);
  }
  if (inside.nodes > 0 && !spec.overlap_is_free)
    complain(
        spec.place,
        fmt::format("{} nodes lie inside of obstacle '{}' before anything acts, the deepest {:.4g} at ({:.5g}, "
                    "{:.5g}, {:.5g})",
                    inside.nodes, spec.body.name, inside.deepest, inside.place.x(), inside.place.y(), inside.place.z()),
        spec.body.kind == model::Obstacle::Kind::plane
            ? "turn its normal to the free side, move it, or set initial_penetration = \"stress-free\""
            : "move it, turn it round (inside = true, flip_normals = true), "
              "or set initial_penetration = \"stress-free\"");
  if (inside.nodes > 0 && spec.overlap_is_free)
    model_.remarks.push_back(
        fmt::format("{} nodes lie up to {:.4g} inside of obstacle '{}': that much is free of force", inside.nodes,
                    inside.deepest, spec.body.name));
  if (gaps > 0)
    model_.remarks.push_back(fmt::format("gaps of up to {:.4g} between {} nodes and obstacle '{}' count as closed",
                                         widest, gaps, spec.body.name));
  if (spec.body.degenerate > 0)
    model_.remarks.push_back(
        fmt::format("{} faces of obstacle '{}' have no area and are omitted", spec.body.degenerate, spec.body.name));
}

std::vector<std::string> overlaps(const model::Model& model) {
  std::vector<std::string> list;
  for (std::size_t o = 0; o < model.obstacles.size(); ++o) {
    const auto tree = elements::facet_tree(model.obstacles[o]);
    Inside inside;
    for (const auto& t : model.touches) {
      if (t.obstacle != static_cast<int>(o)) continue;
      const Vec3& x = model.nodes[static_cast<std::size_t>(t.node)];
      const double gap = elements::distance_from(model.obstacles[o], tree.get(), x).value - t.reach - t.closed;
      if (gap < -kRounding * model.size()) inside.take(-gap, x);
    }
    if (inside.nodes > 0)
      list.push_back(
          fmt::format("{} nodes of the imperfect structure lie up to {:.4g} inside of obstacle '{}' and are "
                      "pushed out of it before anything acts",
                      inside.nodes, inside.deepest, model.obstacles[o].name));
  }
  return list;
}

}  // namespace archway::study::detail
