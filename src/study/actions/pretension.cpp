#include <fmt/format.h>

#include "load_kind_detail.hpp"

namespace archway::study::detail {

namespace {
/// Bars made too short by what the force would stretch them.
void shorten(LoadBuilder& b, model::Action& action, const LoadSpec& l) {
  const auto parts = b.parts_of(l);
  for (const int p : parts) {
    const auto& part = b.model().parts[static_cast<std::size_t>(p)];
    if (part.kind != model::PartKind::bar)
      return b.complain(l.place, fmt::format("'{}' is no bar", part.name), "pretension acts in bars");
    const double stiffness = b.model().materials[static_cast<std::size_t>(part.material)].youngs_modulus *
                             b.model().profiles[static_cast<std::size_t>(part.profile)].area;
    action.temperatures.push_back({p, 0, -l.amount / stiffness});
  }
  action.notes.push_back(
      fmt::format("pretension of {:.6g} in {} while its ends stand still; what they give way is "
                  "lost; no resultant",
                  l.amount, l.names()));
}

class Pretension final : public LoadKind {
 public:
  const char* word() const override { return "pretension"; }
  void read(Keys& keys, LoadSpec& l, const Units&) const override {
    read_parts(keys, l);
    l.amount = keys.number("value");
  }
  void build(LoadBuilder& b, model::Action& action, const LoadSpec& l) const override { shorten(b, action, l); }
};
}  // namespace

const LoadKind& pretension_kind() {
  static const Pretension kind;
  return kind;
}

}  // namespace archway::study::detail
