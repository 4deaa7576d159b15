#include <algorithm>

#include "archway/base/index.hpp"
#include "archway/elements/loads.hpp"
#include "archway/model/joints.hpp"
#include "build/build_model_detail.hpp"

namespace archway::study::detail {

constexpr double kOnAxis = 1e-9;   ///< of the model's size
constexpr double kInPlane = 1e-6;  ///< of the model's size, and of a direction's length

void SupportBuilder::supports() {
  for (const auto& support : spec_.supports) hold(support);
}

void SupportBuilder::hold(const SupportSpec& support) {
  for (const int node : nodes_at(support.at, "this support")) {
    const bool there = is_there(support.during);
    if (!support.axes) {
      for (const int dof : support.dofs)
        if (there) model_.supports.push_back({node, dof, support.name});
      continue;
    }
    const base::Mat3 axes = axes_at(*support.axes, node);
    if (on_axis(support, node))
      return complain(
          support.at.place,
          fmt::format("node {} lies on the axis of '{}', where there is no radial direction", node, support.name),
          "hold it in both the radial and the direction around, in neither, or in global axes");
    const auto entry = own_axes_.try_emplace(node, Hold{axes, {}, &support, false}).first;
    if ((entry->second.axes - axes).norm() > 1e-6)
      return complain(support.at.place,
                      fmt::format("node {} is restrained in two different sets of axes ('{}' and '{}')", node,
                                  entry->second.support->name, support.name),
                      "give the node to one of them, or hold it in one set of axes");
    for (const int f : support.dofs) {
      entry->second.ever = entry->second.ever || f != model::warp;
      if (!there) continue;
      if (f == model::warp)
        model_.supports.push_back({node, f, support.name});
      else
        entry->second.dofs.insert(f);
    }
  }
}

bool SupportBuilder::on_axis(const SupportSpec& support, int node) const {
  const AxesSpec& axes = *support.axes;
  const auto held = [&](int f) { return std::find(support.dofs.begin(), support.dofs.end(), f) != support.dofs.end(); };
  if (!axes.cylindrical || (held(0) == held(1) && held(3) == held(4))) return false;
  const Vec3 arm = model_.nodes[static_cast<std::size_t>(node)] - axes.first;
  return arm.cross((axes.second - axes.first).normalized()).norm() <= kOnAxis * model_.size();
}

base::Mat3 SupportBuilder::axes_at(const AxesSpec& axes, int node) {
  if (!axes.cylindrical) return base::axes_from(axes.first, axes.second);
  const Vec3 axis = (axes.second - axes.first).normalized();
  const Vec3 arm = model_.nodes[static_cast<std::size_t>(node)] - axes.first, out = arm - arm.dot(axis) * axis;
  base::Mat3 result;
  // a node on the axis has no radial direction of its own: any pair will do where both or none are restrained
  const Vec3 radial = out.norm() > kOnAxis * model_.size() ? Vec3(out.normalized())
                                                           : base::axes_from(axis, Vec3::UnitZ()).col(2).eval();
  result << radial, axis.cross(radial), axis;
  return result;
}

void SupportBuilder::absorb(int node, Hold& own) {
  auto& list = model_.supports;
  for (const auto& s : list) {
    if (s.node != node || s.dof == model::warp) continue;
    const Vec3 along = own.axes.transpose() * Vec3::Unit(s.dof % 3);
    Eigen::Index main;
    if (along.cwiseAbs().maxCoeff(&main) < 1 - 1e-9)
      return complain(
          own.support->at.place,
          fmt::format("node {} is restrained in axes of its own by '{}' and in {} by '{}', which is none of them", node,
                      own.support->name, model::kDofNames[static_cast<std::size_t>(s.dof)], s.name),
          "hold it in one set of axes");
    own.dofs.insert(static_cast<int>(main) + s.dof / 3 * 3);
  }
  list.erase(std::remove_if(list.begin(), list.end(),
                            [&](const model::Support& s) { return s.node == node && s.dof != model::warp; }),
             list.end());
}

void SupportBuilder::anchor() {
  for (auto& [node, own] : own_axes_) {
    absorb(node, own);
    // a prescribed displacement holds what it displaces, in the axes of the support as in global ones
    for (const auto& action : model_.actions)
      for (const auto& m : action.displacements)
        if (m.node == node && m.dof != model::warp) own.dofs.insert(m.dof);
    if (own.dofs.empty()) {
      if (own.ever) model_.nodes.push_back(model_.nodes[static_cast<std::size_t>(node)]);
      if (own.ever) model_.anchors.push_back(model_.node_count() - 1);
      continue;
    }
    const int anchor = model::hold_in_axes(model_, node, own.axes, own.dofs, own.support->name);
    for (auto& action : model_.actions) {
      std::vector<model::Displacement> list;
      for (const auto& m : action.displacements) {
        if (m.node != node || own.dofs.count(m.dof) == 0) {
          list.push_back(m);
          continue;
        }
        for (int k = 0; k < 3; ++k) list.push_back({anchor, m.dof / 3 * 3 + k, m.value * own.axes(k, m.dof % 3)});
      }
      action.displacements = std::move(list);
    }
  }
}

void SupportBuilder::keep_plane() {
  const int across = spec_.plane_normal;
  if (across < 0) return;
  const SourceLocation& place = spec_.plane_place;
  const std::string name = std::string("a frame in the plane ") + (across == 0 ? "yz" : across == 1 ? "xz" : "xy");
  if (!model_.shell_elements.empty() || !model_.solid_elements.empty())
    return complain(place,
                    fmt::format("'plane' holds members, bars and springs in a plane, and '{}' is none of them",
                                model_
                                    .parts[base::at(model_.shell_elements.empty() ? model_.solid_elements[0].part
                                                                                  : model_.shell_elements[0].part)]
                                    .name),
                    "leave 'plane' out and give the supports that are there");
  for (const Vec3& x : model_.nodes)
    if (std::abs(x[across] - model_.nodes[0][across]) > kInPlane * model_.size())
      return complain(place, fmt::format("{}: ({:.6g}, {:.6g}, {:.6g}) lies beside it", name, x.x(), x.y(), x.z()),
                      "all members must lie in one plane");
  for (auto& tie : model_.ties) keep_in_plane(tie, across);
  std::vector<const model::Tie*> tied(model_.nodes.size(), nullptr);
  for (const auto& tie : model_.ties) tied[base::at(tie.follower)] = &tie;
  for (std::size_t n = 0; n < model_.nodes.size(); ++n)
    for (const int dof : {across, 3 + (across + 1) % 3, 3 + (across + 2) % 3})
      if (tied[n] == nullptr || !tied[n]->gives(dof))
        model_.supports.push_back({static_cast<int>(n), dof, kPlaneSupport});
  model_.remarks.push_back(name + ": what leads out of it is restrained at every node");
}

/// Releases lie in the plane, or they let go nothing.
void SupportBuilder::keep_in_plane(model::Tie& tie, int across) {
  const auto keep = [&](std::vector<Vec3>& free, bool across_is_free) {
    std::vector<Vec3> kept;
    for (const Vec3& d : free) {
      const double share = std::abs(d[across]);
      if (share > kInPlane && share < 1 - kInPlane)
        complain(spec_.plane_place, fmt::format("'{}' is released about axes that are oblique to the plane", tie.name),
                 "rotate the member's profile into the plane with 'up'");
      if ((share > 0.5) == across_is_free) kept.push_back(d);
    }
    free = std::move(kept);
  };
  keep(tie.free_moves, false);
  keep(tie.free_rotations, true);
}

namespace {
/// What a foundation lies under: how much of it belongs to every node, which way it faces and runs there.
struct Ground {
  Eigen::VectorXd share, normal, along;
};

Ground ground_under(const model::Model& model, const model::Action& even, const model::Action& pressed,
                    const std::vector<std::pair<int, int>>& lines) {
  // consistent loads of one per area or length report how much of it belongs to every node, and its normal
  const auto state = elements::State::reference(model);
  Ground ground;
  ground.share = ground.normal = ground.along = Eigen::VectorXd::Zero(model::row(model.node_count()));
  elements::add_loads(model, even, 1, state, ground.share);
  elements::add_loads(model, pressed, 1, state, ground.normal);
  for (const auto& [first, second] : lines) {
    const Vec3 way = model.nodes[base::at(second)] - model.nodes[base::at(first)];
    for (const int n : {first, second}) {
      auto sum = ground.along.segment<3>(model::row(n));
      sum += sum.dot(way) < 0 ? Vec3(-way) : way;
    }
  }
  return ground;
}
}  // namespace

void SupportBuilder::foundations() {
  for (const auto& b : spec_.foundations) at(b.place, [&] { lay(b); });
}

void SupportBuilder::lay(const FoundationSpec& b) {
  model::Action even, pressed;
  std::vector<std::pair<int, int>> lines;
  if (b.edge) {
    const auto nodes = nodes_at(*b.edge, "this foundation");
    const std::set<int> on_edge(nodes.begin(), nodes.end());
    lines = model::edges_among(model_, nodes);
    for (const auto& [first, second] : lines) even.edge_loads.push_back({first, second, Vec3::UnitX()});
    for (std::size_t e = 0; e < model_.shell_elements.size(); ++e) {
      const auto& element = model_.shell_elements[e];
      const auto count = std::count_if(element.begin(), element.end(), [&](int n) { return on_edge.count(n) > 0; });
      if (count > 1) pressed.surface_pressures.push_back({static_cast<int>(e), -1, false});
    }
  } else {
    for (const int e : model::shell_elements_of(model_, b.part)) {
      even.surface_loads.push_back({e, Vec3::UnitX(), false});
      pressed.surface_pressures.push_back({e, -1, false});
    }
    for (const int e : model::line_elements_of(model_, b.part)) {
      even.member_loads.push_back({e, Vec3::UnitX(), false});
      const auto& nodes = model_.line_elements[base::at(e)].nodes;
      for (std::size_t k = 0; k < 3; ++k) lines.emplace_back(nodes[k], nodes[k + 1]);
    }
  }
  const Ground ground = ground_under(model_, even, pressed, lines);
  const bool normal = b.normal > 0 || b.normal_at;
  if (ground.share.isZero(0.0))
    return complain(b.place, fmt::format("foundation '{}' lies under nothing", b.name),
                    "'on' takes a panel or a member, 'at' an edge of a panel");
  if (normal && ground.normal.isZero(0.0))
    return complain(b.place, fmt::format("foundation '{}' asks for a normal, but lies under no panel", b.name),
                    "use stiffness = [kx, ky, kz]");
  if (b.rotating > 0 && lines.empty())
    return complain(b.place, fmt::format("foundation '{}' holds against rotation, but lies under a panel", b.name),
                    "'rotation' belongs to members and to edges ('at')");
  for (int n = 0; n < model_.node_count(); ++n)
    if (const double share = ground.share[model::row(n)]; share != 0.0)
      spring_up(b, n, share, ground.normal.segment<3>(model::row(n)), ground.along.segment<3>(model::row(n)));
}

/// The springs of a foundation at one node. \param share  area or length \param normal  of a panel, as long as its area
void SupportBuilder::spring_up(const FoundationSpec& b, int node, double share, const Vec3& normal, const Vec3& along) {
  const Vec3& x = model_.nodes[base::at(node)];
  const auto put = [&](const base::Mat3& axes, const std::array<double, 6>& stiffness) {
    if (*std::min_element(stiffness.begin(), stiffness.end()) < 0)
      return complain(
          b.place, fmt::format("foundation '{}' is negative at ({:.6g}, {:.6g}, {:.6g})", b.name, x.x(), x.y(), x.z()),
          "none may be negative");
    if (*std::max_element(stiffness.begin(), stiffness.end()) == 0) return;
    model::SpringElement spring;
    spring.name = b.name;
    spring.first = node;
    spring.axes = axes;
    spring.stiffness = stiffness;
    model_.springs.push_back(spring);
  };
  const Vec3 even = b.varying ? b.varying(x) : Vec3(b.stiffness[0], b.stiffness[1], b.stiffness[2]);
  put(base::Mat3::Identity(), {share * even.x(), share * even.y(), share * even.z(), 0, 0, 0});
  const double pressed = b.normal_at ? b.normal_at(x) : b.normal;
  if (!b.edge && pressed != 0.0)
    put(base::axes_from(normal, normal.normalized().unitOrthogonal()), {normal.norm() * pressed, 0, 0, 0, 0, 0});
  if (along.isZero(0.0)) return;
  const Vec3 lean = normal.isZero(0.0) ? Vec3(along.normalized().unitOrthogonal()) : normal;
  put(base::axes_from(along, lean),
      {share * b.along, share * b.sideways, b.edge ? share * pressed : 0.0, share * b.rotating, 0, 0});
}

}  // namespace archway::study::detail
