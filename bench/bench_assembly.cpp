// Growth of assembly with the number of elements, per kind of element, both threads:
//   build/fast/bench/bench_assembly            prints it; docs/performance.md keeps it
#include <benchmark/benchmark.h>
#include <map>

#include <fmt/format.h>

#include "archway/analysis/system.hpp"
#include "archway/model/mesh.hpp"

namespace {
using namespace archway;
using model::Vec3;

model::Model start(model::PartKind kind) {
  model::Model m;
  m.materials.push_back({"sheet", 70000, 0.3, 2.7e-9, 0});
  m.profiles.emplace_back();
  model::Part part;
  part.name = "part";
  part.kind = kind;
  part.material = 0;
  part.thickness = 2;
  part.profile = 0;
  m.parts.push_back(part);
  return m;
}

/// A sheet of about `count` elements.
model::Model sheet(model::Faces faces, int count) {
  model::Model m = start(model::PartKind::panel);
  const model::Part part = m.parts.back();
  m.parts.clear();
  m.profiles.clear();
  const int n = static_cast<int>(std::lround(std::sqrt(count / (faces == model::Faces::three ? 2.0 : 1.0))));
  model::add_rectangle(m, part, Vec3::Zero(), Vec3(900, 0, 0), Vec3(0, 900, 0), n, n, faces);
  return m;
}
model::Model block(bool quadratic, int count) {
  model::Model m = start(model::PartKind::solid);
  const model::Part part = m.parts.back();
  m.parts.clear();
  m.profiles.clear();
  const int n = static_cast<int>(std::lround(std::sqrt(count / 4.0)));
  model::add_body(m, part, {n, n, 4}, false, quadratic, [](double s, double t, double u) -> Vec3 {
    return {900 * s, 900 * t, 20 * u};
  });
  return m;
}
model::Model rods(int count) {
  model::Model m = start(model::PartKind::member);
  const model::Part part = m.parts.back();
  m.parts.clear();
  auto& p = m.profiles[0];
  p.name = "rod";
  p.area = 80;
  p.second_moment_y = p.second_moment_z = 500;
  p.torsion_constant = 1000;
  p.shear_area_y = p.shear_area_z = 70;
  model::add_member(m, part, {Vec3::Zero(), Vec3(1000.0 * count, 0, 0), {}}, count);
  return m;
}

const std::map<std::string, std::function<model::Model(int)>> kKinds = {
    {"four-node shell", [](int n) { return sheet(model::Faces::four, n); }},
    {"three-node shell", [](int n) { return sheet(model::Faces::three, n); }},
    {"nine-node shell", [](int n) { return sheet(model::Faces::nine, n); }},
    {"eight-node solid", [](int n) { return block(false, n); }},
    {"twenty-node solid", [](int n) { return block(true, n); }},
    {"beam", rods},
};
const std::vector<int> kCounts = {4000, 16000, 64000};

void assembly(benchmark::State& state, const std::string& kind, int count) {
  const analysis::System system(kKinds.at(kind)(kind == "twenty-node solid" ? count / 4 : count));
  algebra::SymmetricMatrix k(system.pattern());
  const auto reference = analysis::State::reference(system.model());
  analysis::AssemblyRequest request;
  request.tangent = &k;
  for (auto _ : state) benchmark::DoNotOptimize(system.assemble(reference, request));
  const auto& m = system.model();
  const double elements =
      static_cast<double>(m.shell_elements.size() + m.solid_elements.size() + m.line_elements.size());
  state.counters["elements"] = elements;
  state.counters["us/element"] =
      benchmark::Counter(elements / 1e6, benchmark::Counter::kIsIterationInvariantRate | benchmark::Counter::kInvert);
}
}  // namespace

int main(int argc, char** argv) {
  benchmark::Initialize(&argc, argv);
  for (const auto& [kind, make] : kKinds)
    for (const int count : kCounts)
      benchmark::RegisterBenchmark(fmt::format("{}/{}", kind, count).c_str(),
                                   [kind = kind, count](benchmark::State& s) { assembly(s, kind, count); })
          ->UseRealTime()
          ->Unit(benchmark::kMillisecond)
          ->Iterations(5);
  benchmark::RunSpecifiedBenchmarks();
  return 0;
}
