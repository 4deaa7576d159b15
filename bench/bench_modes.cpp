// Cost of many modes, and beside it a general-purpose single-vector shift-invert eigensolver on the same matrices and
// the same factorisation. Counters: numeric factorisations, right-hand sides solved, time as a multiple of one numeric
// factorisation measured in the same run, and modes that the library missed among the smallest.
//   build/fast/bench/bench_modes --benchmark_filter=plate/100
#include <Spectra/SymGEigsShiftSolver.h>
#include <benchmark/benchmark.h>
#include <chrono>
#include <memory>

#include <fmt/format.h>

#include "archway/analysis/buckling.hpp"
#include "archway/analysis/system.hpp"
#include "models.hpp"

namespace {
using namespace archway;
using Clock = std::chrono::steady_clock;

double since(Clock::time_point start) {
  return std::chrono::duration<double>(Clock::now() - start).count();
}

/// One model with its matrices, made once.
struct Case {
  model::Model model;
  std::unique_ptr<analysis::System> system;
  double unit = 0;              ///< seconds of a numeric factorisation
  std::vector<double> factors;  ///< proved, as many as were asked last

  explicit Case(model::Model m) : model(std::move(m)), system(std::make_unique<analysis::System>(model)) {
    algebra::SymmetricMatrix k(system->pattern());
    assemble(k);
    algebra::Factorisation factorisation(system->pattern());
    (void)factorisation.factor(k);  // symbolic work once
    factorisation.forget();
    const auto start = Clock::now();
    (void)factorisation.factor(k);
    unit = since(start);
  }
  void assemble(algebra::SymmetricMatrix& k) const {
    analysis::AssemblyRequest request;
    request.tangent = &k;
    (void)system->assemble(analysis::State::reference(model), request);
  }
};

Case& case_of(const std::string& name) {
  static std::string held;
  static std::unique_ptr<Case> one;  // one at a time: the large ones are large
  if (held != name) {
    one.reset();
    if (name == "plate/100") one = std::make_unique<Case>(bench::plate(150, 110));
    if (name == "plate/375") one = std::make_unique<Case>(bench::plate(290, 214));
    if (name == "cylinder/100") one = std::make_unique<Case>(bench::cylinder(236, 70));
    if (name == "cylinder/300") one = std::make_unique<Case>(bench::cylinder(408, 122));
    if (name == "cylinder/375") one = std::make_unique<Case>(bench::cylinder(456, 137));
    held = name;
  }
  return *one;
}

void ours(benchmark::State& state, const std::string& name, int modes) {
  Case& c = case_of(name);
  analysis::BucklingOptions options;
  options.variable = c.model.load_named("press");
  options.mode_count = modes;
  for (auto _ : state) {
    const auto start = Clock::now();
    const auto result = analysis::linear_buckling(*c.system, options);
    state.counters["of_factorisation"] = since(start) / c.unit;
    state.counters["complete"] = result.complete() ? 1 : 0;
    state.counters["factorisations"] = result.cost.factorisations;
    state.counters["solves"] = result.cost.right_hand_sides;
    c.factors.clear();
    for (const auto& mode : result.modes) c.factors.push_back(mode.load_factor);
  }
  state.counters["dofs"] = c.system->free_count();
  state.counters["unit_s"] = c.unit;
}

/// (K + shift G)^-1 for the library; its B is -G.
struct Inverse {
  using Scalar = double;
  algebra::Factorisation& factorisation;
  Eigen::Index size;
  mutable int solves = 0;
  Eigen::Index rows() const { return size; }
  Eigen::Index cols() const { return size; }
  void set_shift(double) {}
  void perform_op(const double* x, double* y) const {
    Eigen::MatrixXd b = Eigen::Map<const Eigen::VectorXd>(x, size);
    factorisation.solve(b);
    Eigen::Map<Eigen::VectorXd>(y, size) = b.col(0);
    ++solves;
  }
};
struct Times {
  using Scalar = double;
  const algebra::SymmetricMatrix& matrix;
  Eigen::Index size;
  Eigen::Index rows() const { return size; }
  Eigen::Index cols() const { return size; }
  void perform_op(const double* x, double* y) const {
    Eigen::Map<Eigen::VectorXd>(y, size) = matrix.times(Eigen::VectorXd(Eigen::Map<const Eigen::VectorXd>(x, size)));
  }
};

int missed(const std::vector<double>& all, std::size_t wanted, const std::vector<double>& found) {
  std::vector<char> taken(found.size(), 0);
  int count = 0;
  for (std::size_t i = 0; i < std::min(wanted, all.size()); ++i) {
    bool hit = false;
    for (std::size_t j = 0; j < found.size() && !hit; ++j)
      if (!taken[j] && std::abs(found[j] - all[i]) < 1e-6 * all[i]) hit = true, taken[j] = 1;
    count += hit ? 0 : 1;
  }
  return count;
}

/// What a user of the library would do: a shift just below the first factor, as many pairs as wanted.
void library(benchmark::State& state, const std::string& name, int modes) {
  Case& c = case_of(name);
  if (c.factors.size() < static_cast<std::size_t>(modes)) {
    state.SkipWithError("run the same case of ours first");
    return;
  }
  const auto factors = c.system->factors(c.model.load_named("press"));
  for (auto _ : state) {
    const auto start = Clock::now();
    algebra::SymmetricMatrix k(c.system->pattern());
    c.assemble(k);
    algebra::Factorisation factorisation(c.system->pattern());
    (void)factorisation.factor(k);
    const Eigen::VectorXd u = analysis::detail::solve_linear(*c.system, factorisation, factors, {});
    const auto g = analysis::detail::geometric_of(*c.system, factors, u, {});
    const double shift = 0.98 * c.factors.front();
    (void)factorisation.factor(k.plus(shift, g));
    Inverse inverse{factorisation, c.system->free_count()};
    Times stiffness{k, c.system->free_count()};
    Spectra::SymGEigsShiftSolver<Inverse, Times, Spectra::GEigsMode::Buckling> solver(
        inverse, stiffness, modes, std::max(20, 2 * modes + 1), shift);
    solver.init();
    solver.compute(Spectra::SortRule::LargestMagn, 1000, 1e-9);
    state.counters["of_factorisation"] = since(start) / c.unit;
    const Eigen::VectorXd values = solver.eigenvalues();
    state.counters["found"] = static_cast<double>(values.size());
    state.counters["missed"] =
        missed(c.factors, static_cast<std::size_t>(modes), {values.data(), values.data() + values.size()});
    state.counters["solves"] = inverse.solves;
    state.counters["factorisations"] = 2;
  }
}
}  // namespace

int main(int argc, char** argv) {
  benchmark::Initialize(&argc, argv);
  const auto add = [](const std::string& name, int modes, bool beside) {
    benchmark::RegisterBenchmark(fmt::format("{}/modes:{}", name, modes).c_str(),
                                 [=](benchmark::State& s) { ours(s, name, modes); })
        ->Iterations(1)
        ->Unit(benchmark::kSecond);
    if (beside)
      benchmark::RegisterBenchmark(fmt::format("{}/library:{}", name, modes).c_str(),
                                   [=](benchmark::State& s) { library(s, name, modes); })
          ->Iterations(1)
          ->Unit(benchmark::kSecond);
  };
  for (const char* name : {"plate/100", "cylinder/100", "plate/375", "cylinder/375"})
    for (const int modes : {10, 50}) add(name, modes, true);
  add("cylinder/300", 100, false);
  benchmark::RunSpecifiedBenchmarks();
  return 0;
}
