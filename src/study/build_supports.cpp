#include <algorithm>

#include "archway/elements/loads.hpp"
#include "archway/model/joints.hpp"
#include "build_model_detail.hpp"

namespace archway::study::detail {

constexpr double kOnAxis = 1e-9;  ///< of the model's size

void SupportBuilder::supports() {
  for (const auto& support : spec_.supports) hold(support);
}

void SupportBuilder::hold(const SupportSpec& support) {
  for (const int node : nodes_at(support.at, "this support")) {
    const bool there = is_there(support.during);
    if (!support.axes) {
      for (const int freedom : support.freedoms)
        if (there) model_.supports.push_back({node, freedom, support.name});
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
                      fmt::format("node {} is held in two different sets of axes ('{}' and '{}')", node,
                                  entry->second.support->name, support.name),
                      "give the node to one of them, or hold it in one set of axes");
    for (const int f : support.freedoms) {
      entry->second.ever = entry->second.ever || f != model::warp;
      if (!there) continue;
      if (f == model::warp)
        model_.supports.push_back({node, f, support.name});
      else
        entry->second.freedoms.insert(f);
    }
  }
}

bool SupportBuilder::on_axis(const SupportSpec& support, int node) const {
  const AxesSpec& axes = *support.axes;
  const auto held = [&](int f) {
    return std::find(support.freedoms.begin(), support.freedoms.end(), f) != support.freedoms.end();
  };
  if (!axes.cylindrical || (held(0) == held(1) && held(3) == held(4))) return false;
  const Vec3 arm = model_.nodes[static_cast<std::size_t>(node)] - axes.first;
  return arm.cross((axes.second - axes.first).normalized()).norm() <= kOnAxis * model_.size();
}

base::Mat3 SupportBuilder::axes_at(const AxesSpec& axes, int node) {
  if (!axes.cylindrical) return base::axes_from(axes.first, axes.second);
  const Vec3 axis = (axes.second - axes.first).normalized();
  const Vec3 arm = model_.nodes[static_cast<std::size_t>(node)] - axes.first, out = arm - arm.dot(axis) * axis;
  base::Mat3 result;
  // a node on the axis has no radial direction of its own: any pair will do where both or none are held
  const Vec3 radial = out.norm() > kOnAxis * model_.size() ? Vec3(out.normalized())
                                                           : base::axes_from(axis, Vec3::UnitZ()).col(2).eval();
  result << radial, axis.cross(radial), axis;
  return result;
}

void SupportBuilder::absorb(int node, Hold& own) {
  auto& list = model_.supports;
  for (const auto& s : list) {
    if (s.node != node || s.freedom == model::warp) continue;
    const Vec3 along = own.axes.transpose() * Vec3::Unit(s.freedom % 3);
    Eigen::Index main;
    if (along.cwiseAbs().maxCoeff(&main) < 1 - 1e-9)
      return complain(
          own.support->at.place,
          fmt::format("node {} is held in axes of its own by '{}' and in {} by '{}', which is none of them", node,
                      own.support->name, model::kFreedomNames[static_cast<std::size_t>(s.freedom)], s.name),
          "hold it in one set of axes");
    own.freedoms.insert(static_cast<int>(main) + s.freedom / 3 * 3);
  }
  list.erase(std::remove_if(list.begin(), list.end(),
                            [&](const model::Support& s) { return s.node == node && s.freedom != model::warp; }),
             list.end());
}

void SupportBuilder::anchor() {
  for (auto& [node, own] : own_axes_) {
    absorb(node, own);
    if (own.freedoms.empty()) {
      if (own.ever) model_.nodes.push_back(model_.nodes[static_cast<std::size_t>(node)]);
      if (own.ever) model_.anchors.push_back(model_.node_count() - 1);
      continue;
    }
    const int anchor = model::hold_in_axes(model_, node, own.axes, own.freedoms, own.support->name);
    for (auto& action : model_.actions) {
      std::vector<model::Movement> list;
      for (const auto& m : action.movements) {
        if (m.node != node || own.freedoms.count(m.freedom) == 0) {
          list.push_back(m);
          continue;
        }
        for (int k = 0; k < 3; ++k)
          list.push_back({anchor, m.freedom / 3 * 3 + k, m.value * own.axes(k, m.freedom % 3)});
      }
      action.movements = std::move(list);
    }
  }
}

void SupportBuilder::beddings() {
  for (const auto& b : spec_.beddings)
    at(b.place, [&] {
      // consistent loads of one per area or length tell how much of it belongs to every node, and its normal
      model::Action even, pressed;
      if (b.edge) {
        const auto nodes = nodes_at(*b.edge, "this bedding");
        for (const auto& [first, second] : model::edges_among(model_, nodes))
          even.edge_loads.push_back({first, second, Vec3::UnitX()});
      } else {
        for (const int e : model::shell_elements_of(model_, b.part)) {
          even.surface_loads.push_back({e, Vec3::UnitX(), false});
          pressed.surface_pressures.push_back({e, -1, false});
        }
        for (const int e : model::line_elements_of(model_, b.part))
          even.member_loads.push_back({e, Vec3::UnitX(), false});
      }
      const auto state = elements::State::reference(model_);
      Eigen::VectorXd share = Eigen::VectorXd::Zero(model::row(model_.node_count())), normal = share;
      elements::add_loads(model_, even, 1, state, share);
      elements::add_loads(model_, pressed, 1, state, normal);
      if (share.isZero(0.0))
        return complain(b.place, fmt::format("bedding '{}' lies under nothing", b.name),
                        "'on' takes a panel or a member, 'at' an edge of a panel");
      if (b.normal > 0 && normal.isZero(0.0))
        return complain(b.place, fmt::format("bedding '{}' asks for a normal, but lies under no panel", b.name),
                        "use stiffness = [kx, ky, kz]");
      for (int n = 0; n < model_.node_count(); ++n) {
        const double part = share[model::row(n)];
        if (part == 0.0) continue;
        model::SpringElement spring;
        spring.name = b.name;
        spring.first = n;
        for (std::size_t k = 0; k < 3; ++k) spring.stiffness[k] = part * b.stiffness[k];
        if (b.normal == 0 || part * b.stiffness[0] + part * b.stiffness[1] + part * b.stiffness[2] > 0)
          model_.springs.push_back(spring);
        if (b.normal == 0) continue;
        const Vec3 out = normal.segment<3>(model::row(n));
        spring.axes = base::axes_from(out, out.normalized().unitOrthogonal());
        spring.stiffness = {out.norm() * b.normal, 0, 0, 0, 0, 0};
        model_.springs.push_back(spring);
      }
    });
}

}  // namespace archway::study::detail
