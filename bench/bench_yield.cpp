// A yielding cylinder of about 100 000 degrees of freedom: what a Newton iteration costs in numeric factorisations, how
// many of these lead to the peak of the imperfect shell, and what its points remember:
//   build/fast/bench/bench_yield            prints it; docs/performance.md keeps it
#include <chrono>
#include <cstdio>

#include "archway/analysis/buckling.hpp"
#include "archway/analysis/path.hpp"
#include "archway/analysis/system.hpp"
#include "archway/base/memory.hpp"
#include "archway/imperfection/mode_shape.hpp"
#include "models.hpp"

namespace {
using namespace archway;
using Clock = std::chrono::steady_clock;

/// Shortest of several runs.
template <class Run>
double seconds(int times, const Run& run) {
  double best = 1e300;
  for (int k = 0; k < times; ++k) {
    const auto start = Clock::now();
    run();
    best = std::min(best, std::chrono::duration<double>(Clock::now() - start).count());
  }
  return best;
}

model::Model yielding(const model::Model& elastic, int layers) {
  model::Model m = elastic;
  m.materials[0].yield_stress = 150;
  m.materials[0].flow = {150, 700, 0, {}};
  for (auto& part : m.parts) part.layers = layers;
  return m;
}

/// Assembly of forces and tangent at a state in which much flows, against a factorisation of that tangent.
void iteration(const model::Model& m, const std::shared_ptr<const analysis::Topology>& topology,
               const std::shared_ptr<const base::Executor>& executor, const analysis::KeptState& state) {
  const analysis::System system(std::make_shared<const model::Model>(m), executor, topology);
  algebra::SymmetricMatrix tangent(system.pattern());
  Eigen::VectorXd internal;
  auto memory = system.geometry().virgin_memory(), next = memory;
  analysis::AssemblyRequest request;
  request.internal_force = &internal;
  request.tangent = &tangent;
  request.committed = &memory;
  request.next = &next;
  const double assembly = seconds(5, [&] { (void)system.assemble(state.state, request); });
  const auto factorisation = system.factorisation();
  const double factor = seconds(3, [&] {
    factorisation->forget();
    (void)factorisation->factor(tangent);
  });
  Eigen::MatrixXd right = Eigen::MatrixXd::Ones(system.free_count(), 1);
  const double solve = seconds(3, [&] { factorisation->solve(right); });
  std::size_t remembered = 0;
  for (const auto& block : memory) remembered += block.size() * sizeof(double);
  std::printf(
      "%d points through the wall and two faces: assembly %.2f, assembly + factorisation + solution %.2f numeric "
      "factorisations; history %.1f MB a state\n",
      m.parts[0].layers, assembly / factor, (assembly + factor + solve) / factor,
      1e-6 * static_cast<double>(remembered));
}
}  // namespace

int main() {
  base::keep_memory();
  const model::Model elastic = bench::cylinder(240, 70);
  const auto executor = base::make_executor();
  const analysis::System perfect(std::make_shared<const model::Model>(elastic), executor);
  analysis::BucklingOptions buckling;
  buckling.variable = elastic.load_named("press");
  buckling.mode_count = 1;
  const auto modes = analysis::linear_buckling(perfect, buckling);
  const auto seeded = imperfection::apply(
      elastic, imperfection::from_shapes(elastic, {{&modes.modes[0].shape, 1.0}}, 0.2 * elastic.parts[0].thickness));
  const auto imperfect = std::make_shared<const model::Model>(yielding(seeded, 8));
  const analysis::System system(imperfect, executor, perfect.topology());
  (void)std::setvbuf(stdout, nullptr, _IOLBF, 0);
  // pushed to four fifths of the critical load as if elastic: most of it flows
  analysis::KeptState pressed;
  pressed.state = analysis::State::reference(*imperfect);
  pressed.state.advance(0.8 * modes.modes[0].load_factor * modes.variable_displacement);
  for (const int layers : {4, 8}) iteration(yielding(seeded, layers), perfect.topology(), executor, pressed);
  analysis::PathOptions options;
  options.variable = elastic.load_named("press");
  options.steps.first = 0.1 * modes.modes[0].load_factor;
  options.stop.at_loss = true;
  options.stop.increments = 30;
  options.stop.seconds = 1200;
  const auto start = Clock::now();
  int to_peak = 0;
  const auto path = analysis::follow_path(system, options);
  const double spent = std::chrono::duration<double>(Clock::now() - start).count();
  for (const auto& i : path.increments) to_peak += i.number <= path.peak ? i.iterations : 0;
  std::printf(
      "%d degrees of freedom: peak at %.4f of the critical load, plastic strain %.2g %%, %s; %zu increments, %d "
      "factorisations in all, %d iterations to the peak, %.0f s\n",
      system.free_count(), path.peak_load_factor / modes.modes[0].load_factor,
      100 * path.increments[static_cast<std::size_t>(path.peak)].plastic_strain,
      path.peak_is_limit_point ? "limit point" : path.message.c_str(), path.increments.size() - 1, path.factorisations,
      to_peak, spent);
  return path.usable() ? 0 : 1;
}
