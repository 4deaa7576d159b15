#include <fmt/format.h>

#include "actions/load_kind_detail.hpp"

namespace archway::study::detail {

namespace {
void add_forces(LoadBuilder& b, model::Action& action, const LoadSpec& l) {
  const auto nodes = b.nodes_at(l.at, "this force");
  if (nodes.size() > 1 && l.sharing == Sharing::unset) {
    b.complain(
        l.place,
        fmt::format("the force acts on {} nodes, but does not say whether it is their total or acts on each",
                    nodes.size()),
        fmt::format("add distribution = \"total\" ({:.6g} on each node) or distribution = \"each\" ({:.6g} in total)",
                    l.value.norm() / static_cast<double>(nodes.size()),
                    l.value.norm() * static_cast<double>(nodes.size())));
    return;
  }
  const double share = l.sharing == Sharing::total ? 1.0 / static_cast<double>(nodes.size()) : 1.0;
  for (const int node : nodes) action.node_forces.push_back({node, share * l.value, share * l.moment, l.arm});
  if (nodes.size() > 1)
    action.notes.push_back(fmt::format("force on {} nodes ({}): {:.6g} {} each, {:.6g} {} in total", nodes.size(),
                                       l.at.selection.text(), share * l.value.norm(), b.study().units.force,
                                       share * l.value.norm() * static_cast<double>(nodes.size()),
                                       b.study().units.force));
}

class Force final : public LoadKind {
 public:
  const char* word() const override { return "force"; }
  void read(Keys& keys, LoadSpec& l, const Units&) const override {
    l.at = keys.spot("at");
    l.value = keys.vector("force", Vec3(Vec3::Zero()));
    l.moment = keys.vector("moment", Vec3(Vec3::Zero()));
    l.arm = keys.vector("arm", Vec3(Vec3::Zero()));
    if (!keys.has("force") && !keys.has("moment"))
      keys.complain(keys.place(), "this force has neither 'force' nor 'moment'", "add force = [fx, fy, fz]");
    read_sharing(keys, l, "each");
  }
  void build(LoadBuilder& b, model::Action& action, const LoadSpec& l) const override { add_forces(b, action, l); }
};
}  // namespace

const LoadKind& force_kind() {
  static const Force kind;
  return kind;
}

}  // namespace archway::study::detail
