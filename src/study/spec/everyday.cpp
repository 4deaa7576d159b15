#include "archway/study/everyday.hpp"

namespace archway::study {

namespace {
struct Entry {
  const char* name;
  double pascals, poisson_ratio, kg_per_m3, per_kelvin;
};
constexpr Entry kEntries[] = {{"steel", 210e9, 0.3, 7850, 12e-6},
                              {"stainless-steel", 200e9, 0.3, 7900, 16e-6},
                              {"aluminium", 70e9, 0.3, 2700, 23e-6},
                              {"glass", 70e9, 0.2, 2500, 9e-6}};
}  // namespace

const std::vector<std::string>& everyday_materials() {
  static const std::vector<std::string> names = [] {
    std::vector<std::string> list;
    for (const auto& e : kEntries) list.emplace_back(e.name);
    return list;
  }();
  return names;
}

std::optional<model::Material> everyday_material(const std::string& name, const Units& units) {
  for (const auto& e : kEntries) {
    if (name != e.name) continue;
    model::Material m;
    m.youngs_modulus = e.pascals / units.to_pascal(1);
    m.poisson_ratio = e.poisson_ratio;
    m.density = e.kg_per_m3 / units.to_kg_per_m3(1);
    m.expansion = e.per_kelvin;
    return m;
  }
  return {};
}

}  // namespace archway::study
