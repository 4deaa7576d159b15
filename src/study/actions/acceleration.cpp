#include "actions/load_kind_detail.hpp"

namespace archway::study::detail {

namespace {
void accelerate(LoadBuilder& b, model::Action& action, const LoadSpec& l) {
  action.accelerations.push_back(l.value);
  for (const auto& m : b.model().materials)
    if (m.density > 0) return;
  b.complain(l.place, "the acceleration acts on nothing: no material has a density", "give the materials a density");
}

class Acceleration final : public LoadKind {
 public:
  const char* word() const override { return "acceleration"; }
  void read(Keys& keys, LoadSpec& l, const Units&) const override { l.value = keys.vector("value"); }
  void build(LoadBuilder& b, model::Action& action, const LoadSpec& l) const override { accelerate(b, action, l); }
};

class Gravity final : public LoadKind {
 public:
  const char* word() const override { return "gravity"; }
  void read(Keys& keys, LoadSpec& l, const Units& units) const override {
    l.value = keys.vector("direction", Vec3(-Vec3::UnitZ())).normalized() * units.gravity();
  }
  void build(LoadBuilder& b, model::Action& action, const LoadSpec& l) const override { accelerate(b, action, l); }
};
}  // namespace

const LoadKind& acceleration_kind() {
  static const Acceleration kind;
  return kind;
}
const LoadKind& gravity_kind() {
  static const Gravity kind;
  return kind;
}

}  // namespace archway::study::detail
