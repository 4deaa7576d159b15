// Ratios that matter, measured in one run on a plate and a round cylinder of about 100 000 degrees of freedom:
//   build/fast/bench/bench_buckling            prints them; docs/performance.md keeps them
#include <algorithm>
#include <benchmark/benchmark.h>
#include <chrono>
#include <map>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#include <fmt/format.h>

#include "archway/analysis/buckling.hpp"
#include "archway/analysis/path.hpp"
#include "archway/analysis/system.hpp"
#include "archway/base/memory.hpp"
#include "models.hpp"

namespace {
using namespace archway;

model::Model plate() {
  return bench::plate(150, 110);
}
model::Model cylinder() {
  return bench::cylinder(236, 70);
}
const std::map<std::string, model::Model (*)()> kModels = {{"plate", plate}, {"cylinder", cylinder}};

analysis::BucklingOptions ten_modes(const model::Model& m) {
  analysis::BucklingOptions options;
  options.variable = m.load_named("press");
  options.mode_count = 10;
  return options;
}

void assembly(benchmark::State& state, const std::string& name) {
  const analysis::System system(kModels.at(name)());
  algebra::SymmetricMatrix k(system.pattern());
  const auto reference = analysis::State::reference(system.model());
  analysis::AssemblyRequest request;
  request.tangent = &k;
  for (auto _ : state) benchmark::DoNotOptimize(system.assemble(reference, request));
  state.counters["dofs"] = system.free_count();
}

void factorisation(benchmark::State& state, const std::string& name) {
  const analysis::System system(kModels.at(name)());
  algebra::SymmetricMatrix k(system.pattern());
  analysis::AssemblyRequest request;
  request.tangent = &k;
  (void)system.assemble(analysis::State::reference(system.model()), request);
  algebra::Factorisation factor(system.pattern());
  (void)factor.factor(k);  // symbolic work once
  for (auto _ : state) {
    factor.forget();
    benchmark::DoNotOptimize(factor.factor(k));
  }
  state.counters["MB"] = factor.cost().storage_bytes / 1e6;
}

void ten_mode_buckling(benchmark::State& state, const std::string& name) {
  const auto m = kModels.at(name)();
  for (auto _ : state) {
    const analysis::System system(m);
    const auto result = analysis::linear_buckling(system, ten_modes(m));
    state.counters["complete"] = result.complete() ? 1 : 0;
    state.counters["solves"] = result.cost.right_hand_sides;
    state.counters["factorisations"] = result.cost.factorisations;
    state.counters["first"] = result.modes.empty() ? 0 : result.modes[0].load_factor;
  }
}

/// One Newton iteration: what a second increment adds, divided by the factorisations it adds.
void newton(benchmark::State& state, const std::string& name) {
  const auto m = kModels.at(name)();
  const analysis::System system(m);
  analysis::PathOptions options;
  options.variable = m.load_named("press");
  options.steps.control = analysis::PathControl::load;
  options.steps.first = 1;
  options.record.states = false;
  for (auto _ : state) {
    double seconds[2];
    int factorisations[2];
    for (const int k : {0, 1}) {
      options.stop.increments = 1 + 4 * k;
      const auto start = std::chrono::steady_clock::now();
      factorisations[k] = analysis::follow_path(system, options).factorisations;
      seconds[k] = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    }
    state.SetIterationTime((seconds[1] - seconds[0]) / (factorisations[1] - factorisations[0]));
  }
}

/// Largest resident memory of a process that does nothing but the buckling analysis, in bytes, and its factor storage.
std::pair<double, double> memory(const std::string& name) {
  int ends[2];
  if (pipe(ends) != 0) return {0, 0};
  const pid_t child = fork();
  if (child == 0) {
    const auto m = kModels.at(name)();
    const auto result = analysis::linear_buckling(analysis::System(m), ten_modes(m));
    const double storage = result.cost.storage_bytes;
    _exit(write(ends[1], &storage, sizeof storage) == sizeof storage ? 0 : 1);
  }
  double storage = 0;
  rusage usage{};
  const bool told = read(ends[0], &storage, sizeof storage) == sizeof storage;
  wait4(child, nullptr, 0, &usage);
  return {told ? 1024.0 * static_cast<double>(usage.ru_maxrss) : 0, storage};
}

class Collector final : public benchmark::ConsoleReporter {
 public:
  void ReportRuns(const std::vector<Run>& runs) override {
    for (const auto& run : runs)
      seconds[run.benchmark_name().substr(0, run.benchmark_name().find("/iter"))] = run.GetAdjustedRealTime() / 1e9;
    for (const auto& run : runs)
      for (const auto& [key, counter] : run.counters)
        counters[run.benchmark_name().substr(0, run.benchmark_name().find("/iter")) + "/" + key] = counter.value;
    ConsoleReporter::ReportRuns(runs);
  }
  std::map<std::string, double> seconds, counters;
};
}  // namespace

int main(int argc, char** argv) {
  std::map<std::string, std::pair<double, double>> memories;
  for (const auto& [name, make] : kModels) memories[name] = memory(name);  // before this process grows
  base::keep_memory();                                                     // as the command-line tool does
  benchmark::Initialize(&argc, argv);
  for (const auto& [name, make] : kModels) {
    const std::string n = name;
    benchmark::RegisterBenchmark((n + "/assembly").c_str(), [n](benchmark::State& s) { assembly(s, n); })
        ->UseRealTime()
        ->Iterations(5);
    benchmark::RegisterBenchmark((n + "/factorisation").c_str(), [n](benchmark::State& s) { factorisation(s, n); })
        ->UseRealTime()
        ->Iterations(5);
    benchmark::RegisterBenchmark((n + "/ten_modes").c_str(), [n](benchmark::State& s) { ten_mode_buckling(s, n); })
        ->UseRealTime()
        ->Iterations(1);
    benchmark::RegisterBenchmark((n + "/newton").c_str(), [n](benchmark::State& s) { newton(s, n); })
        ->UseManualTime()
        ->Iterations(1);
  }
  Collector collector;
  benchmark::RunSpecifiedBenchmarks(&collector);
  fmt::print(
      "\n| model | degrees of freedom | factorisation | assembly | LBA, 10 modes | solves | Newton iteration | factor | peak "
      "memory |\n|---|---|---|---|---|---|---|---|---|\n");
  for (const auto& [name, make] : kModels) {
    const double unit = collector.seconds[name + "/factorisation"];
    const double iteration = collector.seconds[name + "/newton"];
    fmt::print(
        "| {} | {:.0f} | {:.2f} s | {:.2f} of it | {:.1f} of it ({}) | {:.0f} | {:.2f} of it | {:.0f} MB | {:.1f} "
        "times the factor |\n",
        name, collector.counters[name + "/assembly/freedoms"], unit, collector.seconds[name + "/assembly"] / unit,
        collector.seconds[name + "/ten_modes"] / unit,
        collector.counters[name + "/ten_modes/complete"] > 0 ? "complete" : "NOT complete",
        collector.counters[name + "/ten_modes/solves"], iteration / unit, memories[name].second / 1e6,
        memories[name].first / memories[name].second);
  }
  return 0;
}
