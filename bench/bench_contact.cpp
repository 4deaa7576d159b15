// What contact between two sheets costs beside the rest of a correction, where a share of their faces (in per cent)
// lies against each other and the upper sheet rises from there like a bowl:
//   build/fast/bench/bench_contact            prints it; docs/performance.md keeps it
#include <benchmark/benchmark.h>
#include <map>
#include <memory>

#include "archway/analysis/system.hpp"
#include "archway/elements/surface_contact.hpp"
#include "models.hpp"

namespace {
using namespace archway;
using model::Vec3;

void add_faces(const model::Model& m, int part, bool upper, std::vector<model::ContactFace>& list) {
  for (const auto& e : m.shell_elements) {
    if (e.part != part) continue;
    model::ContactFace face;
    face.nodes = e.nodes;
    if (upper) std::swap(face.nodes[1], face.nodes[3]);
    face.part = part;
    face.reach = 1;
    face.depth = 0.5;
    face.stiffness = 1e7;
    list.push_back(face);
  }
}

/// Two sheets of about so many elements in all, whose meshes do not match.
model::Model sheets(int count, int touching) {
  model::Model m = bench::with_sheet();
  const int n = static_cast<int>(std::lround(std::sqrt(count / 2.0)));
  auto part = bench::sheet(2);
  part.name = "lower";
  model::add_rectangle(m, part, Vec3::Zero(), Vec3(900, 0, 0), Vec3(0, 900, 0), n, n);
  part.name = "upper";
  model::add_rectangle(m, part, Vec3(0, 0, 2), Vec3(900, 0, 0), Vec3(0, 900, 0), n + 3, n - 3);
  for (const int node : m.groups["upper"]) {
    auto& x = m.nodes[static_cast<std::size_t>(node)];
    const double away = std::max(std::abs(x.x() - 450), std::abs(x.y() - 450)), flat = 45 * std::sqrt(touching);
    x.z() += 1e-3 * std::pow(std::max(0.0, away - flat), 2);
  }
  for (const char* edge : {"lower.start", "lower.end", "upper.start", "upper.end"})
    bench::hold(m, edge, {0, 1, 2, 3, 4, 5});
  model::Contact contact;
  contact.name = "sheets";
  add_faces(m, 1, true, contact.followers);
  add_faces(m, 0, false, contact.leaders);
  m.contacts.push_back(contact);
  return m;
}

struct Case {
  Case(int count, int touching)
      : system(sheets(count, touching)),
        memory(system.geometry().virgin_memory()),
        coupled(system.coupled(state, &memory)) {}
  analysis::System system;
  elements::Memory memory;
  elements::State state = elements::State::reference(system.model());
  std::shared_ptr<const analysis::System> coupled;
};
const Case& the_case(const benchmark::State& bench) {
  static std::map<std::pair<int, int>, std::unique_ptr<const Case>> cases;
  const std::pair key(static_cast<int>(bench.range(0)), static_cast<int>(bench.range(1)));
  auto& one = cases[key];
  if (!one) one = std::make_unique<const Case>(key.first, key.second);
  return *one;
}

void search(benchmark::State& bench) {
  const auto& c = the_case(bench);
  for (auto _ : bench) benchmark::DoNotOptimize(c.system.geometry().surfaces().pair(c.state, 0, &c.system.executor()));
}

/// \param contact  the sheets touch
void assembly(benchmark::State& bench, bool contact) {
  const auto& c = the_case(bench);
  const auto& system = contact ? *c.coupled : c.system;
  algebra::SymmetricMatrix k(system.pattern());
  Eigen::VectorXd force;
  analysis::AssemblyRequest request;
  request.tangent = &k;
  request.internal_force = &force;
  if (contact) request.committed = &c.memory;
  for (auto _ : bench) benchmark::DoNotOptimize(system.assemble(c.state, request));
}

void factorisation(benchmark::State& bench, bool contact) {
  const auto& c = the_case(bench);
  const auto& system = contact ? *c.coupled : c.system;
  algebra::SymmetricMatrix k(system.pattern());
  analysis::AssemblyRequest request;
  request.tangent = &k;
  if (contact) request.committed = &c.memory;
  (void)system.assemble(c.state, request);
  const auto lease = system.factorisation();
  (void)lease->factor(k);
  for (auto _ : bench) {
    lease->forget();
    benchmark::DoNotOptimize(lease->factor(k));
  }
}

void pattern(benchmark::State& bench) {
  const auto& c = the_case(bench);
  for (auto _ : bench) benchmark::DoNotOptimize(c.system.coupled(c.state, &c.memory));
}
/// Whether all that touches is coupled already, asked before every correction.
void still_coupled(benchmark::State& bench) {
  const auto& c = the_case(bench);
  for (auto _ : bench) benchmark::DoNotOptimize(c.coupled->coupled(c.state, &c.memory));
}
}  // namespace

#define FACES Args({12000, 100})->Args({50000, 5})->Unit(benchmark::kMillisecond)->Iterations(2)->UseRealTime()
BENCHMARK(search)->FACES;
BENCHMARK_CAPTURE(assembly, alone, false)->FACES;
BENCHMARK_CAPTURE(assembly, touching, true)->FACES;
BENCHMARK_CAPTURE(factorisation, alone, false)->FACES;
BENCHMARK_CAPTURE(factorisation, touching, true)->FACES;
BENCHMARK(pattern)->FACES;
BENCHMARK(still_coupled)->FACES;

BENCHMARK_MAIN();
