#include <cmath>

#include <fmt/format.h>

#include "actions/load_kind_detail.hpp"

namespace archway::study::detail {

namespace {
/// The load of a length of member, put on the node of its cross-section that is closest to where it acts; what is left
/// between the two is an arm that rotates with the node.
void add_lines_on_plates(LoadBuilder& b, model::Action& action, const LoadSpec& l, const MemberSpec& m) {
  const auto& all = b.model().groups.at(m.name);
  const double step = m.line.length() / m.elements;
  for (int k = 0; k <= m.elements; ++k) {
    const double s = static_cast<double>(k) / m.elements;
    const Vec3 middle = m.line.at(s);
    if (l.where && !b.inside(l, middle)) continue;
    const base::Mat3 axes = model::axes_at(m.line, s, m.up);
    const Vec3 place = middle + axes * Vec3(0, l.height_y, l.height_z);
    const Vec3 q = l.value_at ? l.value_at(middle) : l.value;
    std::vector<int> nearest;  // several where some are equally near
    double best = HUGE_VAL;
    const double same = 1e-6 * b.model().size();
    for (const int n : all) {
      const Vec3 d = b.model().nodes[static_cast<std::size_t>(n)] - place;
      const double distance = d.norm() + 1e3 * std::abs(d.dot(axes.col(0)));  // of this cross-section, not the next
      if (distance < best - same) nearest.clear();
      if (distance < best + same) nearest.push_back(n), best = std::min(best, distance);
    }
    const double seen = l.projected && q.norm() > 0 ? axes.col(0).cross(q.normalized()).norm() : 1;
    const double length = step * seen * (k == 0 || k == m.elements ? 0.5 : 1);
    for (const int n : nearest)
      action.node_forces.push_back({n, length / static_cast<double>(nearest.size()) * q, Vec3::Zero(),
                                    place - b.model().nodes[static_cast<std::size_t>(n)]});
  }
  action.notes.push_back(
      fmt::format("line load on the plates of '{}': put on the nodes nearest to y = {:.6g}, z = {:.6g} "
                  "{} at {} cross-sections",
                  m.name, l.height_y, l.height_z, b.study().units.length, m.elements + 1));
}

void add_lines(LoadBuilder& b, model::Action& action, const LoadSpec& l) {
  LoadSpec on_lines = l;
  auto& names = on_lines.parts;
  for (const auto& m : b.study().members) {
    const auto here = std::find(names.begin(), names.end(), m.name);
    if (m.plates <= 0 || here == names.end()) continue;
    add_lines_on_plates(b, action, l, m);
    names.erase(here);
  }
  for (const int e : b.line_elements(on_lines)) {
    model::MemberLoad load{e, l.value, l.projected, l.height_y, l.height_z};
    if (l.value_at) {
      const auto& nodes = b.model().line_elements[static_cast<std::size_t>(e)].nodes;
      const Vec3 first = l.value_at(b.model().nodes[static_cast<std::size_t>(nodes[0])]),
                 last = l.value_at(b.model().nodes[static_cast<std::size_t>(nodes[3])]);
      load.force_per_length = 0.5 * (first + last);
      load.change = last - first;
    }
    action.member_loads.push_back(load);
  }
}

class Line final : public LoadKind {
 public:
  const char* word() const override { return "line"; }
  void read(Keys& keys, LoadSpec& l, const Units&) const override {
    read_parts(keys, l);
    read_varying_force(keys, l);
    l.projected = keys.flag("projected", false);
    if (keys.has("height")) {
      const auto height = keys.numbers("height", 2);
      l.height_y = height[0], l.height_z = height[1];
    }
    read_where(keys, l);
  }
  void build(LoadBuilder& b, model::Action& action, const LoadSpec& l) const override { add_lines(b, action, l); }
};
}  // namespace

const LoadKind& line_kind() {
  static const Line kind;
  return kind;
}

}  // namespace archway::study::detail
