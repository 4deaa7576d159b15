#include <fmt/format.h>

#include "actions/load_kind_detail.hpp"

namespace archway::study::detail {

namespace {
void warm(LoadBuilder& b, model::Action& action, const LoadSpec& l) {
  const auto parts = b.parts_of(l);
  for (const int p : parts) {
    const auto& part = b.model().parts[static_cast<std::size_t>(p)];
    const auto& material = b.model().materials[static_cast<std::size_t>(part.material)];
    if (material.expansion == 0.0)
      return b.complain(l.place,
                        fmt::format("'{}' is of '{}', which has no coefficient of expansion", part.name, material.name),
                        "give the material an 'expansion', for instance 1.2e-5 for steel");
    if (part.tension_only)
      return b.complain(l.place, fmt::format("bars that go slack, like '{}', cannot be warmed", part.name),
                        "name the other parts one by one with 'on'");
    action.temperatures.push_back({p, l.amount});
  }
  action.notes.push_back(fmt::format("{} warmed by {:.6g} degrees; temperatures have no resultant",
                                     l.parts.empty() ? "everything" : l.names(), l.amount));
}

class Temperature final : public LoadKind {
 public:
  const char* word() const override { return "temperature"; }
  void read(Keys& keys, LoadSpec& l, const Units&) const override {
    l.parts = keys.texts("on");
    l.amount = keys.number("value");
  }
  void build(LoadBuilder& b, model::Action& action, const LoadSpec& l) const override { warm(b, action, l); }
};
}  // namespace

const LoadKind& temperature_kind() {
  static const Temperature kind;
  return kind;
}

}  // namespace archway::study::detail
