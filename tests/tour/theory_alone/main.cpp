#include <cmath>

#include "archway/theory.hpp"

int main() {
  const auto section = archway::theory::section_properties("rectangle", {{"width", 20}, {"height", 60}});
  const double load = archway::theory::euler_load(210000, section.second_moment_z, 3000, 1);
  return std::abs(load - 9.869604401089358 * 210000 * 40000 / 9e6) < 1e-6 * load ? 0 : 1;
}
