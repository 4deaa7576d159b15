#include <random>

#include <Eigen/Dense>

#include "archway/algebra/eigen_pairs.hpp"
#include "archway/algebra/nearby.hpp"
#include "archway/algebra/softest.hpp"
#include "archway/base/errors.hpp"
#include "support/digits.hpp"

using namespace archway::algebra;
using Eigen::MatrixXd;
using Eigen::VectorXd;

namespace {
/// Blocks on a w x h grid, `size` equations each, coupled with their neighbours.
BlockGraph grid(int w, int h, int size) {
  BlockGraph g;
  for (int b = 0; b <= w * h; ++b) g.block_start.push_back(b * size);
  g.clique_start.push_back(0);
  for (int j = 0; j + 1 < h; ++j)
    for (int i = 0; i + 1 < w; ++i) {
      for (const int b : {j * w + i, j * w + i + 1, (j + 1) * w + i, (j + 1) * w + i + 1}) g.clique_blocks.push_back(b);
      g.clique_start.push_back(static_cast<int>(g.clique_blocks.size()));
    }
  return g;
}

SymmetricMatrix random_matrix(std::shared_ptr<const SymmetricPattern> pattern, double shift, unsigned seed) {
  SymmetricMatrix a(pattern);
  std::mt19937 random(seed);
  std::uniform_real_distribution<double> uniform(-1, 1);
  for (double& v : a.values) v = uniform(random);
  for (int j = 0; j < a.size(); ++j) a.values[static_cast<std::size_t>(pattern->position(j, j))] += shift;
  return a;
}

int negatives(const SymmetricMatrix& a) {
  return static_cast<int>((Eigen::SelfAdjointEigenSolver<MatrixXd>(a.dense()).eigenvalues().array() < 0).count());
}
}  // namespace

TEST_CASE("pattern: positions, symmetric product and diagonal agree with the dense matrix", "[algebra][fast]") {
  const auto pattern = std::make_shared<SymmetricPattern>(grid(5, 4, 3));
  const auto a = random_matrix(pattern, 0, 7);
  const MatrixXd dense = a.dense();
  CHECK(dense.isApprox(dense.transpose()));
  for (const int width : {1, 3, 4, 9}) {
    const MatrixXd x = MatrixXd::Random(a.size(), width);
    CHECK((a.times(x) - dense * x).norm() < 1e-12 * dense.norm());
  }
  CHECK(a.diagonal().isApprox(dense.diagonal()));
  CHECK(pattern->position(7, 2) == pattern->position(2, 7));
  std::vector<int> place = pattern->elimination_place();
  std::sort(place.begin(), place.end());
  for (int i = 0; i < a.size(); ++i) REQUIRE(place[static_cast<std::size_t>(i)] == i);  // an order of all equations
}

TEST_CASE("pattern: products have the same bits with one thread and with several", "[algebra][fast]") {
  const auto pattern = std::make_shared<SymmetricPattern>(grid(70, 60, 3));
  const auto a = random_matrix(pattern, 0, 7);
  const archway::base::Executor two(2), five(5);
  for (const int width : {1, 6}) {
    const MatrixXd x = MatrixXd::Random(a.size(), width), alone = a.times(x);
    CHECK(alone == a.times(x, &two));
    CHECK(alone == a.times(x, &five));
  }
}

// What every backend must do.
TEST_CASE("factorisation: solves, and its negative pivots are the negative eigenvalues", "[algebra][fast]") {
  const auto pattern = std::make_shared<SymmetricPattern>(grid(6, 5, 2));
  Factorisation factor(pattern, GENERATE(Method::multifrontal, Method::spectral));
  for (const double shift : {-30.0, -2.0, 0.0, 1.5, 30.0}) {
    // equations in units that lie far apart, as moves and rotations do
    auto a = random_matrix(pattern, shift, 11);
    const double unit = GENERATE(1.0, 1e5);
    for (int j = 0; j < a.size(); ++j)
      for (Entry p = pattern->first_entry(j); p < pattern->first_entry(j + 1); ++p)
        a.values[static_cast<std::size_t>(p)] *= (j % 2 ? unit : 1) * (pattern->row(p) % 2 ? unit : 1);
    const auto outcome = factor.factor(a);
    REQUIRE(outcome.regular());
    CHECK(outcome.negative_pivots == negatives(a));
    const MatrixXd x = MatrixXd::Random(a.size(), 3), right = a.times(x);
    MatrixXd b = right;
    factor.solve(b);
    CHECK((a.times(b) - right).norm() < 1e-9 * right.norm());
    if (unit == 1.0) CHECK((b - x).norm() < 1e-9 * x.norm());
  }
  CHECK(factor.cost().factorisations == 5);
  CHECK(factor.cost().right_hand_sides == 15);
  CHECK(factor.cost().storage_bytes > 0);
}

TEST_CASE("factorisation: a matrix of the same bits costs nothing, any other does", "[algebra][fast]") {
  const auto pattern = std::make_shared<SymmetricPattern>(grid(7, 6, 2));
  Factorisation factor(pattern, GENERATE(Method::multifrontal, Method::spectral));
  auto a = random_matrix(pattern, 1.5, 11);
  const auto before = archway::algebra::work_done();
  const auto first = factor.factor(a), again = factor.factor(a);
  CHECK(factor.cost().factorisations == 1);
  CHECK(first.negative_pivots == again.negative_pivots);
  const MatrixXd right = MatrixXd::Random(a.size(), 2);
  MatrixXd x = right;
  factor.solve(x);
  CHECK((a.times(x) - right).norm() < 1e-9 * right.norm());
  // every single value counts, to its last bit
  int done = 1;
  for (std::size_t k = 0; k < a.values.size(); k += 37) {
    auto other = a;
    other.values[k] = std::nextafter(other.values[k], 1e9);
    CHECK(factor.factor(other).done());
    CHECK(factor.cost().factorisations == ++done);
  }
  std::swap(a.values[0], a.values[4]);
  CHECK(factor.factor(a).done());
  CHECK(factor.cost().factorisations == ++done);
  factor.forget();
  CHECK(factor.factor(a).done());
  CHECK(factor.cost().factorisations == ++done);
  CHECK((archway::algebra::work_done() - before).factorisations == done);
  // what failed is no factor at hand
  auto broken = a;
  for (int j = 0; j < a.size(); ++j)
    for (Entry p = pattern->first_entry(j); p < pattern->first_entry(j + 1); ++p)
      if (j == 3 || pattern->row(p) == 3) broken.values[static_cast<std::size_t>(p)] = 0;
  CHECK_FALSE(factor.factor(broken).regular());
  CHECK(factor.factor(a).done());
  CHECK(factor.cost().factorisations >= done + 2);
}

TEST_CASE("factorisation: a singular matrix is reported, with the equations, and the next one is factorised",
          "[algebra][fast]") {
  const auto pattern = std::make_shared<SymmetricPattern>(grid(3, 3, 1));
  Factorisation factor(pattern, GENERATE(Method::multifrontal, Method::spectral));
  auto a = random_matrix(pattern, 9, 3);
  const auto whole = a;
  for (int j = 0; j < 9; ++j) a.values[static_cast<std::size_t>(pattern->position(j, 5))] = 0;
  const auto outcome = factor.factor(a);
  CHECK(outcome.ending == FactorEnding::singular);
  CHECK_FALSE(outcome.regular());
  CHECK(outcome.where == std::vector<int>{5});
  CHECK(factor.factor(whole).done());
}

TEST_CASE("factorisation: values that are no numbers are reported as such, not as lack of memory", "[algebra][fast]") {
  const auto pattern = std::make_shared<SymmetricPattern>(grid(9, 9, 3));
  const auto k = random_matrix(pattern, 30, 3);
  const auto method = GENERATE(Method::multifrontal, Method::spectral);
  for (const double bad : {std::nan(""), HUGE_VAL, -HUGE_VAL}) {
    Factorisation factorisation(pattern, method);
    REQUIRE(factorisation.factor(k).regular());
    for (const std::size_t place : {std::size_t{0}, k.values.size() / 2, k.values.size() - 1}) {
      auto broken = k;
      broken.values[place] = bad;
      const auto outcome = factorisation.factor(broken);
      CHECK(outcome.ending == FactorEnding::singular);
      CHECK_THAT(outcome.message, Catch::Contains("no numbers"));
    }
    CHECK(factorisation.factor(k).regular());
  }
}

TEST_CASE("factorisation: too little memory is not taken for a singular matrix", "[algebra][fast]") {
  const auto pattern = std::make_shared<SymmetricPattern>(grid(60, 60, 6));
  const auto a = random_matrix(pattern, 60, 3);
  ::setenv("ARCHWAY_MEMORY_MB", "1", 1);
  Factorisation factor(pattern);
  const auto outcome = factor.factor(a);
  ::unsetenv("ARCHWAY_MEMORY_MB");
  CHECK(outcome.ending == FactorEnding::out_of_memory);
  CHECK(outcome.megabytes > 1);
  CHECK_THROWS_AS(outcome.regular(), archway::base::OutOfMemory);
  CHECK(factor.factor(a).done());  // and it goes on once there is room
}

namespace {
/// K = L L^T-like positive definite; G chosen so that the factors are known: G = -K^(1/2) Q diag(1/f) Q^T K^(1/2) would
/// be dense, so instead K is diagonal-dominant and the reference comes from a dense solver.
VectorXd dense_positive_factors(const SymmetricMatrix& k, const SymmetricMatrix& g) {
  const Eigen::GeneralizedSelfAdjointEigenSolver<MatrixXd> solver(-g.dense(), k.dense());
  std::vector<double> list;
  for (Eigen::Index i = solver.eigenvalues().size() - 1; i >= 0; --i)
    if (solver.eigenvalues()[i] > 1e-10) list.push_back(1 / solver.eigenvalues()[i]);
  return Eigen::Map<VectorXd>(list.data(), static_cast<Eigen::Index>(list.size()));
}
}  // namespace

TEST_CASE("eigenpairs: the smallest positive factors, small and large, proved by inertia", "[algebra][fast]") {
  // 120 equations are solved densely, 540 by iteration
  const int w = GENERATE(8, 15);
  const auto pattern = std::make_shared<SymmetricPattern>(grid(w, w - 3, 3));
  const auto k = random_matrix(pattern, 20, 3), g = random_matrix(pattern, 0, 4);
  const VectorXd want = dense_positive_factors(k, g);
  Factorisation factor(pattern);
  PencilOptions options;
  options.count = 7;
  const auto result = smallest_positive(k, g, factor, options);
  REQUIRE(result.ending == PencilEnding::proved);
  REQUIRE(result.pairs.size() >= 7);
  for (std::size_t i = 0; i < result.pairs.size(); ++i) {
    CHECK_DIGITS(result.pairs[i].factor, want[static_cast<Eigen::Index>(i)], 8,
                 "a factor is good to the square of its residual");
    CHECK(result.pairs[i].residual <= options.residual_tolerance);
    CHECK_DIGITS(result.pairs[i].shape.dot(VectorXd(k.times(result.pairs[i].shape))), 1.0, 8, "K-normalised");
  }
  CHECK(result.counted_below_cut == static_cast<int>(result.pairs.size()));
}

namespace {
/// Two equal graphs that do not touch, and the matrix with the same values on both.
BlockGraph twice(const BlockGraph& one) {
  BlockGraph two = one;
  const int blocks = one.block_count(), equations = one.block_start.back();
  for (int b = 1; b <= blocks; ++b) two.block_start.push_back(equations + one.block_start[static_cast<std::size_t>(b)]);
  for (std::size_t c = 0; c + 1 < one.clique_start.size(); ++c) {
    for (int i = one.clique_start[c]; i < one.clique_start[c + 1]; ++i)
      two.clique_blocks.push_back(blocks + one.clique_blocks[static_cast<std::size_t>(i)]);
    two.clique_start.push_back(static_cast<int>(two.clique_blocks.size()));
  }
  return two;
}
SymmetricMatrix twice(const SymmetricMatrix& a, std::shared_ptr<const SymmetricPattern> whole) {
  SymmetricMatrix d(whole);
  for (const int offset : {0, a.size()})
    for (int j = 0; j < a.size(); ++j)
      for (Entry p = a.pattern->first_entry(j); p < a.pattern->first_entry(j + 1); ++p)
        d.values[static_cast<std::size_t>(whole->position(a.pattern->row(p) + offset, j + offset))] =
            a.values[static_cast<std::size_t>(p)];
  return d;
}
}  // namespace

TEST_CASE("eigenpairs: exact pairs come out whole", "[algebra][fast]") {
  // two equal, uncoupled halves: every factor twice
  const auto half = std::make_shared<SymmetricPattern>(grid(16, 14, 2)),
             whole = std::make_shared<SymmetricPattern>(twice(grid(16, 14, 2)));
  const auto k = random_matrix(half, 20, 5), g = random_matrix(half, 0, 6);
  Factorisation factor(whole);
  PencilOptions options;
  options.count = 5;  // cuts a pair in two: the sixth comes along
  const auto result = smallest_positive(twice(k, whole), twice(g, whole), factor, options);
  REQUIRE(result.ending == PencilEnding::proved);
  REQUIRE(result.pairs.size() == 6);
  for (std::size_t i = 0; i < 6; i += 2) CHECK_DIGITS(result.pairs[i].factor, result.pairs[i + 1].factor, 8, "a pair");
}

TEST_CASE("eigenpairs: no positive factor, and K that is not definite, are reported", "[algebra][fast]") {
  const int w = GENERATE(6, 18);
  const auto pattern = std::make_shared<SymmetricPattern>(grid(w, w, 2));
  Factorisation factor(pattern);
  const auto k = random_matrix(pattern, 20, 8), positive = random_matrix(pattern, 25, 9);
  CHECK(smallest_positive(k, positive, factor, {}).ending == PencilEnding::none);
  const auto indefinite = random_matrix(pattern, 0, 10);
  const auto result = smallest_positive(indefinite, positive, factor, {});
  CHECK(result.ending == PencilEnding::not_definite);
  CHECK(result.negatives_of_k == negatives(indefinite));
}

TEST_CASE("nearby: a skew part of low rank, however large, is solved with the factors of the rest", "[algebra][fast]") {
  const auto pattern = std::make_shared<SymmetricPattern>(grid(8, 8, 3));
  Factorisation factor(pattern);
  const auto k = random_matrix(pattern, 20, 8);
  REQUIRE(factor.factor(k).done());
  const Eigen::Index n = pattern->size();
  const double size = GENERATE(0.0, 0.1, 10.0, 1e5);
  MatrixXd l = k.dense();
  for (const Eigen::Index at : {4, 50, 51}) {
    l(at, at + 20) += size;
    l(at + 20, at) -= size;
  }
  int solves = 0;
  const auto a = [&](const VectorXd& v) { return VectorXd(l * v); };
  const auto p = [&](const VectorXd& v) {
    MatrixXd x = v;
    factor.solve(x);
    ++solves;
    return VectorXd(x);
  };
  const VectorXd b = VectorXd::Random(n);
  VectorXd x = b;
  const auto solution = solve_nearby(a, p, x, 1e-12, 60);
  REQUIRE(solution.converged);
  CHECK((l * x - b).norm() < 1e-8 * b.norm());
  CHECK(solves == solution.steps + 1);
  if (size == 0.0) CHECK(solution.steps <= 1);  // the exact inverse needs no iteration
  // too few steps are reported, and how far they came
  x = b;
  if (size > 1) {
    const auto short_of = solve_nearby(a, p, x, 1e-12, 2);
    CHECK_FALSE(short_of.converged);
    CHECK_DIGITS((l * x - b).norm() / b.norm(), short_of.residual, 6, "measured again");
  }
}

TEST_CASE("lowest: pairs nearest to zero, their multiplicity and residuals, in any units", "[algebra][fast]") {
  const auto half = std::make_shared<SymmetricPattern>(grid(9, 8, 2)),
             pair = std::make_shared<SymmetricPattern>(twice(grid(9, 8, 2)));
  auto k = random_matrix(half, 20, 8);
  const double left = GENERATE(1e-5, -1e-5), unit = GENERATE(1.0, 1e4);
  const bool doubled = GENERATE(false, true);
  // K - c D with c just below or above the smallest value of (K, D)
  const MatrixXd d = k.diagonal().asDiagonal();
  const double c = Eigen::GeneralizedSelfAdjointEigenSolver<MatrixXd>(k.dense(), d).eigenvalues()[0] - left;
  for (int j = 0; j < k.size(); ++j) k.diagonal_entry(j) *= 1 - c;
  for (int j = 0; j < k.size(); ++j)
    for (Entry p = half->first_entry(j); p < half->first_entry(j + 1); ++p)
      k.values[static_cast<std::size_t>(p)] *= (j % 2 ? unit : 1) * (half->row(p) % 2 ? unit : 1);
  if (doubled) k = twice(k, pair);
  Factorisation factor(k.pattern);
  REQUIRE(factor.factor(k).done());
  const VectorXd scale = k.diagonal();
  const auto pairs = softest(k, factor, scale);
  REQUIRE(pairs.settled);
  CHECK(pairs.multiplicity == (doubled ? 2 : 1));
  CHECK_DIGITS(pairs.values[0], left / (1 - c), 4, "the value left over");
  CHECK(std::abs(pairs.values[0]) <= std::abs(pairs.values[1]));
  CHECK(pairs.residuals[0] < 1e-5 * std::sqrt(scale.maxCoeff()));
  const VectorXd x = pairs.shapes.col(0);
  CHECK_DIGITS(x.dot(scale.cwiseProduct(x)), 1.0, 10, "normalised");
  const VectorXd rest = VectorXd(k.times(x)) - pairs.values[0] * scale.cwiseProduct(x);
  CHECK(std::abs(rest.norm() - pairs.residuals[0]) < 1e-12 * scale.maxCoeff());
}

TEST_CASE("eigenpairs: the caller can stop the search", "[algebra][fast]") {
  const auto pattern = std::make_shared<SymmetricPattern>(grid(20, 20, 2));
  Factorisation factor(pattern);
  PencilOptions options;
  int calls = 0;
  options.go_on = [&](int) { return ++calls < 2; };
  const auto result = smallest_positive(random_matrix(pattern, 20, 3), random_matrix(pattern, 0, 4), factor, options);
  CHECK(result.ending == PencilEnding::stopped);
  CHECK(calls == 2);
}
