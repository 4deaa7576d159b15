#include <algorithm>
#include <cmath>
#include <optional>

#include "archway/elements/line_geometry.hpp"
#include "archway/study/hand_checks.hpp"

namespace archway::study {

namespace {
using base::Vec3;

/// The global axis that a direction runs along, or -1.
int axis_along(const Vec3& direction) {
  for (int k = 0; k < 3; ++k)
    if (std::abs(direction[k]) > 1 - 1e-6) return k;
  return -1;
}

bool supported(const model::Model& model, int node, int dof) {
  return std::any_of(model.supports.begin(), model.supports.end(),
                     [&](const auto& s) { return s.node == node && s.dof == dof; });
}

/// The degree of freedom is restrained at every node of a member: it cannot bend that way.
bool held_throughout(const model::Model& model, int part, const Vec3& sideways) {
  const int move = axis_along(sideways);
  if (move < 0) return false;
  for (const auto& e : model.line_elements)
    if (e.part == part)
      for (const int n : {e.nodes[1], e.nodes[2]})
        if (!supported(model, n, move)) return false;
  return true;
}

/// Something besides one part is joined to a node.
bool joined_to_others(const model::Model& model, int node, int part) {
  bool others = false;
  model.each_element([&](const int* first, const int* last, int own) {
    if (own != part && std::find(first, last, node) != last) others = true;
  });
  for (const auto& s : model.springs) others = others || s.first == node || s.second == node;
  for (const auto& tie : model.ties)
    others =
        others || tie.follower == node || std::find(tie.leaders.begin(), tie.leaders.end(), node) != tie.leaders.end();
  return others;
}

/// "fixed", "pinned", "guided", "free", or nothing where supports alone do not say.
std::string end_of(const model::Model& model, int part, int node, const Vec3& sideways, const Vec3& rotating) {
  const int move = axis_along(sideways), rotation = axis_along(rotating);
  if (move < 0 || rotation < 0) return "";
  bool rotations_freely = false;
  int root = node;
  for (const auto& tie : model.ties)  // a released end: what it hangs on
    if (tie.follower == node && tie.kind == model::Tie::Kind::carried && tie.leaders.size() == 1 && tie.moves &&
        tie.free_moves.empty()) {
      root = tie.leaders[0];
      rotations_freely =
          !tie.rotations || std::any_of(tie.free_rotations.begin(), tie.free_rotations.end(),
                                        [&](const Vec3& t) { return std::abs(t.dot(rotating)) > 1 - 1e-6; });
    }
  const bool place = supported(model, root, move), held = supported(model, root, 3 + rotation) && !rotations_freely;
  if (place && held) return "fixed";
  if (place && rotations_freely) return "pinned";
  if (root != node || joined_to_others(model, node, part)) return "";
  return place ? "pinned" : held ? "guided" : "free";
}

/// A member with its profile and the axes of its first element.
struct Found {
  int part = -1;
  const model::LineElement *first = nullptr, *last = nullptr;
  double second_moment_y = 0, second_moment_z = 0;
  base::Mat3 axes;
};
std::optional<Found> find_member(const model::Model& model, const std::string& member) {
  Found f;
  for (std::size_t p = 0; p < model.parts.size(); ++p)
    if (model.parts[p].name == member) f.part = static_cast<int>(p);
  for (const auto& e : model.line_elements)
    if (e.part == f.part) f.first = f.first == nullptr ? &e : f.first, f.last = &e;
  if (f.first == nullptr) return {};
  const auto& profile = model.profiles[static_cast<std::size_t>(model.parts[static_cast<std::size_t>(f.part)].profile)];
  f.second_moment_y = profile.second_moment_y, f.second_moment_z = profile.second_moment_z;
  f.axes = elements::middle_axes(model, *f.first);
  return f;
}
}  // namespace

std::string bending_axis_of_member(const model::Model& model, const std::string& member) {
  const auto f = find_member(model, member);
  if (!f) return "";
  // bending about y moves it along z
  const bool y = !held_throughout(model, f->part, f->axes.col(2)), z = !held_throughout(model, f->part, f->axes.col(1));
  if (y != z) return y ? "y" : "z";
  if (std::abs(f->second_moment_y - f->second_moment_z) < 1e-9 * f->second_moment_y) return "";
  return f->second_moment_y < f->second_moment_z ? "y" : "z";
}

std::string ends_of_member(const model::Model& model, const std::string& member, const std::string& about) {
  const auto f = find_member(model, member);
  if (!f) return "";
  const auto axis = about.empty() ? bending_axis_of_member(model, member) : about;
  if (axis.empty()) {  // the same whichever way it goes, if it is restrained so
    const auto y = ends_of_member(model, member, "y"), z = ends_of_member(model, member, "z");
    return y == z ? y : "";
  }
  const Vec3 sideways = f->axes.col(axis == "y" ? 2 : 1), rotating = f->axes.col(axis == "y" ? 1 : 2);
  const auto start = end_of(model, f->part, f->first->nodes[0], sideways, rotating),
             end = end_of(model, f->part, f->last->nodes[3], sideways, rotating);
  return start.empty() || end.empty() ? "" : start + "-" + end;
}

}  // namespace archway::study
