// What contact between two sheets costs beside the rest of a correction, all of their faces lying against each other:
//   build/fast/bench/bench_contact            prints it; docs/performance.md keeps it
#include <benchmark/benchmark.h>

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
model::Model sheets(int count) {
  model::Model m = bench::with_sheet();
  const int n = static_cast<int>(std::lround(std::sqrt(count / 2.0)));
  auto part = bench::sheet(2);
  part.name = "lower";
  model::add_rectangle(m, part, Vec3::Zero(), Vec3(900, 0, 0), Vec3(0, 900, 0), n, n);
  part.name = "upper";
  model::add_rectangle(m, part, Vec3(0, 0, 2), Vec3(900, 0, 0), Vec3(0, 900, 0), n + 3, n - 3);
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
  explicit Case(int count)
      : system(sheets(count)), memory(system.geometry().virgin_memory()), coupled(system.coupled(&memory)) {}
  analysis::System system;
  elements::Memory memory;
  std::shared_ptr<const analysis::System> coupled;
  elements::State state = elements::State::reference(system.model());
};
const Case& the_case(int count) {
  static const Case one(count);
  return one;
}

void search(benchmark::State& bench) {
  const auto& c = the_case(static_cast<int>(bench.range(0)));
  for (auto _ : bench) benchmark::DoNotOptimize(c.system.geometry().surfaces().pair(c.state, 0, &c.system.executor()));
}

/// \param contact  the sheets touch
void assembly(benchmark::State& bench, bool contact) {
  const auto& c = the_case(static_cast<int>(bench.range(0)));
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
  const auto& c = the_case(static_cast<int>(bench.range(0)));
  const auto& system = contact ? *c.coupled : c.system;
  algebra::SymmetricMatrix k(system.pattern());
  analysis::AssemblyRequest request;
  request.tangent = &k;
  if (contact) request.committed = &c.memory;
  (void)system.assemble(c.state, request);
  const auto lease = system.factorisation();
  (void)lease->factor(k);
  for (auto _ : bench) benchmark::DoNotOptimize(lease->factor(k));
}

void pattern(benchmark::State& bench) {
  const auto& c = the_case(static_cast<int>(bench.range(0)));
  for (auto _ : bench) benchmark::DoNotOptimize(c.system.coupled(&c.memory));
}
}  // namespace

#define FACES Arg(12000)->Unit(benchmark::kMillisecond)->Iterations(2)->UseRealTime()
BENCHMARK(search)->FACES;
BENCHMARK_CAPTURE(assembly, alone, false)->FACES;
BENCHMARK_CAPTURE(assembly, touching, true)->FACES;
BENCHMARK_CAPTURE(factorisation, alone, false)->FACES;
BENCHMARK_CAPTURE(factorisation, touching, true)->FACES;
BENCHMARK(pattern)->FACES;

BENCHMARK_MAIN();
