#include <algorithm>

#include "actions/load_kind_detail.hpp"

namespace archway::study::detail {

namespace {
class Movement final : public LoadKind {
 public:
  const char* word() const override { return "displacement"; }
  void read(Keys& keys, LoadSpec& l, const Units&) const override {
    l.at = keys.spot("at");
    l.amount_at = keys.field("value");
    if (!l.amount_at) l.amount = keys.number("value");
    const std::string word = keys.text("dof");
    const auto& names = model::kFreedomNames;
    l.freedom = static_cast<int>(std::find(names.begin(), names.end(), word) - names.begin());
    if (l.freedom < static_cast<int>(names.size())) return;
    keys.complain(keys.place("dof"), "'dof' must be x, y, z, rx, ry, rz or warp", "");
    l.freedom = 0;
  }
  void build(LoadBuilder& b, model::Action& action, const LoadSpec& l) const override {
    for (const int node : b.nodes_at(l.at, "this movement"))
      action.movements.push_back(
          {node, l.freedom, l.amount_at ? l.amount_at(b.model().nodes[static_cast<std::size_t>(node)]) : l.amount});
  }
};
}  // namespace

const LoadKind& movement_kind() {
  static const Movement kind;
  return kind;
}

}  // namespace archway::study::detail
