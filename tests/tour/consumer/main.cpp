#include <cmath>

#include "archway/io/study_file.hpp"
#include "archway/study/chain.hpp"

int main() {
  const auto result = archway::study::run_study(archway::io::parse_study(archway::io::starter_study(), "starter.toml"));
  const double factor = result.find("buckling")->buckling->modes[0].load_factor;
  return result.complete() && std::isfinite(factor) ? 0 : 1;
}
