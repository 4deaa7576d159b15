#include <fmt/format.h>

#include "actions/load_kind_detail.hpp"

namespace archway::study::detail {

namespace {
void add_edges(LoadBuilder& b, model::Action& action, const LoadSpec& l) {
  const auto nodes = b.nodes_at(l.at, "this edge load");
  if (nodes.empty()) return;
  const auto edges = model::edges_among(b.model(), nodes);
  if (edges.empty()) {
    b.complain(l.place, "the edge load acts on nothing: the selected nodes are not neighbours along a panel",
               "choose an edge, for instance \"skin.start\"");
    return;
  }
  const auto x = [&](int n) { return b.model().nodes[static_cast<std::size_t>(n)]; };
  const auto middles = model::edge_middles(b.model());
  // the length that counts is the one the loads are integrated over: curved edges are longer than their chords
  model::Action even;
  for (const auto& [from, to] : edges) {
    const auto middle = middles.find(std::minmax(from, to));
    even.edge_loads.push_back({from, to, Vec3::UnitX(), middle == middles.end() ? -1 : middle->second});
  }
  const double length = b.total_of(even).x();
  const double share = l.sharing == Sharing::total ? 1 / length : 1;
  const std::size_t before = action.edge_loads.size();
  for (const auto& [from, to] : edges) {
    const auto middle = middles.find(std::minmax(from, to));
    model::EdgeLoad load{from, to, share * l.value, middle == middles.end() ? -1 : middle->second};
    if (l.value_at) {
      const Vec3 first = l.value_at(x(from)), last = l.value_at(x(to));
      load.force_per_length = 0.5 * share * (first + last);
      load.change = share * (last - first);
    }
    action.edge_loads.push_back(load);
  }
  model::Action own;
  own.edge_loads.assign(action.edge_loads.begin() + static_cast<std::ptrdiff_t>(before), action.edge_loads.end());
  const Vec3 total = b.total_of(own);
  action.notes.push_back(
      fmt::format("edge load on {}: over {:.6g} {}, {:.6g} {}/{} on average, ({:.6g}, {:.6g}, {:.6g}) "
                  "{} in total",
                  l.at.selection.text(), length, b.study().units.length, total.norm() / length, b.study().units.force,
                  b.study().units.length, total.x(), total.y(), total.z(), b.study().units.force));
}

class Edge final : public LoadKind {
 public:
  const char* word() const override { return "edge"; }
  void read(Keys& keys, LoadSpec& l, const Units&) const override {
    l.at = keys.spot("at");
    read_varying_force(keys, l);
    read_sharing(keys, l, "per-length");
  }
  void build(LoadBuilder& b, model::Action& action, const LoadSpec& l) const override { add_edges(b, action, l); }
};
}  // namespace

const LoadKind& edge_kind() {
  static const Edge kind;
  return kind;
}

}  // namespace archway::study::detail
