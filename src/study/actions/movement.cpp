#include <algorithm>

#include "actions/load_kind_detail.hpp"

namespace archway::study::detail {

namespace {
class Displacement final : public LoadKind {
 public:
  const char* word() const override { return "displacement"; }
  void read(Keys& keys, LoadSpec& l, const Units&) const override {
    l.at = keys.spot("at");
    l.amount_at = keys.field("value");
    if (!l.amount_at) l.amount = keys.number("value");
    const std::string word = keys.text("dof");
    const auto& names = model::kDofNames;
    l.dof = static_cast<int>(std::find(names.begin(), names.end(), word) - names.begin());
    if (l.dof < static_cast<int>(names.size())) return;
    keys.complain(keys.place("dof"), "'dof' must be x, y, z, rx, ry, rz or warp", "");
    l.dof = 0;
  }
  void build(LoadBuilder& b, model::Action& action, const LoadSpec& l) const override {
    for (const int node : b.nodes_at(l.at, "this displacement"))
      action.displacements.push_back(
          {node, l.dof, l.amount_at ? l.amount_at(b.model().nodes[static_cast<std::size_t>(node)]) : l.amount});
  }
};
}  // namespace

const LoadKind& displacement_kind() {
  static const Displacement kind;
  return kind;
}

}  // namespace archway::study::detail
