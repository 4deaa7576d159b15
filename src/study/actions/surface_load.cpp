#include <fmt/format.h>

#include "actions/load_kind_detail.hpp"
#include "actions/plane_fit_detail.hpp"

namespace archway::study::detail {

namespace {
void add_surfaces(LoadBuilder& b, model::Action& action, const LoadSpec& l) {
  const auto list = b.faces(l);
  const std::size_t first = action.surface_loads.size();
  for (const auto& [e, face] : list) {
    model::SurfaceLoad load{e, l.value, l.projected, face};
    if (l.value_at) {
      std::vector<Vec3> places;
      for (const int n : b.corners(e, face)) places.push_back(b.model().nodes[static_cast<std::size_t>(n)]);
      const Fit<Vec3> fit(places, l.value_at);
      load.force_per_area = fit.middle;
      load.gradient = fit.gradient;
      load.about = fit.about;
    }
    action.surface_loads.push_back(load);
  }
  if (l.sharing != Sharing::total) return;
  // the area is what a force of one per area along the force adds up to
  model::Action unit;
  for (const auto& [e, face] : list) unit.surface_loads.push_back({e, l.value.normalized(), l.projected, face});
  const double area = b.total_of(unit).norm();
  if (!(area > 0)) return;
  for (std::size_t k = first; k < action.surface_loads.size(); ++k) action.surface_loads[k].force_per_area /= area;
  action.notes.push_back(fmt::format("force of {:.6g} {} in total shared over {:.6g} {}^2 of {}", l.value.norm(),
                                     b.study().units.force, area, b.study().units.length, l.names()));
}

class SurfaceForce final : public LoadKind {
 public:
  const char* word() const override { return "surface"; }
  void read(Keys& keys, LoadSpec& l, const Units&) const override {
    read_parts(keys, l);
    read_varying_force(keys, l);
    read_sharing(keys, l, "per-area");
    l.projected = keys.flag("projected", false);
    read_where(keys, l);
  }
  void build(LoadBuilder& b, model::Action& action, const LoadSpec& l) const override { add_surfaces(b, action, l); }
};
}  // namespace

const LoadKind& surface_kind() {
  static const SurfaceForce kind;
  return kind;
}

}  // namespace archway::study::detail
