// Twenty imperfect paths of one shell of about 20 000 degrees of freedom, each with other amplitudes of three modes, on
// one topology: build/fast/bench/bench_path, then, for where the time goes,
//   perf record -g build/fast/bench/bench_path && perf report --children
#include <chrono>
#include <cstdio>

#include "archway/analysis/buckling.hpp"
#include "archway/analysis/path.hpp"
#include "archway/analysis/system.hpp"
#include "archway/base/memory.hpp"
#include "archway/imperfection/mode_shape.hpp"
#include "models.hpp"

int main() {
  using namespace archway;
  using Clock = std::chrono::steady_clock;
  base::keep_memory();
  const model::Model m = bench::plate(70, 48);
  const auto executor = base::make_executor();
  const analysis::System perfect(std::make_shared<model::Model>(m), executor);
  analysis::BucklingOptions buckling;
  buckling.variable = m.load_named("press");
  buckling.mode_count = 3;
  const auto modes = analysis::linear_buckling(perfect, buckling);
  const auto start = Clock::now();
  int increments = 0, factorisations = 0;
  for (int run = 0; run < 20; ++run) {
    std::vector<imperfection::ShapeTerm> terms;
    for (std::size_t k = 0; k < 3; ++k) terms.push_back({&modes.modes[k].shape, 1.0 + 0.3 * ((run + 7 * int(k)) % 5)});
    const auto own =
        std::make_shared<model::Model>(imperfection::apply(m, imperfection::from_shapes(m, terms, 0.02 * (1 + run))));
    const analysis::System system(own, executor, perfect.topology());
    analysis::PathOptions options;
    options.variable = m.load_named("press");
    options.steps.first = 0.2 * modes.modes[0].load_factor;
    options.stop.load_factor = 1.3 * modes.modes[0].load_factor;
    options.stop.increments = 12;
    const auto path = analysis::follow_path(system, options);
    increments += static_cast<int>(path.increments.size());
    factorisations += path.factorisations;
  }
  const double seconds = std::chrono::duration<double>(Clock::now() - start).count();
  std::printf("%d degrees of freedom, 20 paths: %d increments, %d factorisations (%.2f an increment), %.2f s a path\n",
              perfect.free_count(), increments, factorisations, 1.0 * factorisations / increments, seconds / 20);
  return modes.complete() ? 0 : 1;
}
