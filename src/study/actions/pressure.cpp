#include "actions/load_kind_detail.hpp"
#include "actions/plane_fit_detail.hpp"

namespace archway::study::detail {

namespace {
void add_pressures(LoadBuilder& b, model::Action& action, const LoadSpec& l) {
  for (const auto& [e, face] : b.faces(l)) {
    model::SurfacePressure load{e, l.amount, l.follows, face};
    if (l.amount_at) {
      std::vector<Vec3> places;
      for (const int n : b.corners(e, face)) places.push_back(b.model().nodes[static_cast<std::size_t>(n)]);
      const Fit<double> fit(places, l.amount_at);
      load.pressure = fit.middle[0];
      load.gradient = fit.gradient.row(0).transpose();
      load.about = fit.about;
    }
    action.surface_pressures.push_back(load);
  }
}

class Pressure final : public LoadKind {
 public:
  const char* word() const override { return "pressure"; }
  void read(Keys& keys, LoadSpec& l, const Units&) const override {
    read_parts(keys, l);
    l.amount_at = keys.field("value");
    if (!l.amount_at) l.amount = keys.number("value");
    l.follows = keys.flag("follower", true);
    read_where(keys, l);
  }
  void build(LoadBuilder& b, model::Action& action, const LoadSpec& l) const override { add_pressures(b, action, l); }
};
}  // namespace

const LoadKind& pressure_kind() {
  static const Pressure kind;
  return kind;
}

}  // namespace archway::study::detail
