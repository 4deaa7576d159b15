// Laws: stress and tangent from strain, free strain and memory; walls of layers.
#include <random>

#include "archway/material/wall.hpp"
#include "support/digits.hpp"

using namespace archway::material;

namespace {
const Elastic kMetal{200000, 0.3};

template <int N>
std::vector<double> virgin(const Law<N>& law) {
  std::vector<double> memory;
  for (const auto& field : law.memory()) memory.push_back(field.start);
  return memory;
}

template <int N>
Eigen::Matrix<double, N, N> by_differences(const Law<N>& law, const Eigen::Matrix<double, N, 1>& strain,
                                           const std::vector<double>& before) {
  std::vector<double> after(before.size());
  Eigen::Matrix<double, N, N> k;
  for (int j = 0; j < N; ++j) {
    const Eigen::Matrix<double, N, 1> step = 1e-8 * Eigen::Matrix<double, N, 1>::Unit(j);
    k.col(j) = (law.respond(strain + step, 0, before.data(), after.data()).stress -
                law.respond(strain - step, 0, before.data(), after.data()).stress) /
               2e-8;
  }
  return k;
}

/// Random walks of strain: the tangent is the derivative, work is never given back by flow, the answer repeats.
template <int N>
void check_law(const Law<N>& law) {
  using Vector = Eigen::Matrix<double, N, 1>;
  std::mt19937 random(5);
  std::uniform_real_distribution<double> uniform(-1, 1);
  int flowed = 0, elastic = 0;
  for (int walk = 0; walk < 6; ++walk) {
    auto before = virgin(law), after = before;
    Vector strain = Vector::Zero();
    for (int step = 0; step < 12; ++step) {
      strain += Vector::NullaryExpr([&] { return 1.5e-3 * uniform(random); });
      const auto answer = law.respond(strain, 0, before.data(), after.data());
      auto again = before;
      const auto other = law.respond(0.3 * strain, 1e-4, before.data(), again.data());
      (void)other;
      const auto repeated = law.respond(strain, 0, before.data(), again.data());
      CHECK(repeated.stress == answer.stress);
      CHECK(repeated.tangent == answer.tangent);
      CHECK(again == after);
      CHECK((answer.tangent - answer.tangent.transpose()).norm() <= 1e-9 * answer.tangent.norm());
      CHECK((answer.tangent - by_differences(law, strain, before)).norm() < 1e-5 * law.stiffness().norm());
      const Eigen::Map<const Vector> slip_before(before.data()), slip_after(after.data());
      const Eigen::Map<const Vector> back(after.data() + N);
      CHECK((answer.stress - back).dot(slip_after - slip_before) >= 0);  // dissipation
      const double grown = after[2 * N] - before[2 * N];
      CHECK(grown >= 0);
      (grown > 0 ? flowed : elastic) += 1;
      if (grown == 0.0) CHECK(answer.tangent == law.stiffness());
      before = after;
      // the accepted state again: on the surface, and nothing moves
      const auto still = law.respond(strain, 0, before.data(), after.data());
      CHECK((still.stress - answer.stress).norm() <= 1e-10 * answer.stress.norm());
      CHECK(after[2 * N] - before[2 * N] <= 1e-12);
    }
  }
  CHECK(flowed > 20);
  CHECK(elastic > 3);
}
}  // namespace

TEST_CASE("flow: consistent tangent, dissipation and repeated bits in fibre, plane stress and solid",
          "[material][fast]") {
  const auto flow = GENERATE(Flow{250, 0, 0}, Flow{250, 3000, 0}, Flow{250, 0, 5000}, Flow{250, 2000, 4000});
  check_law(*flow_law<1>(kMetal, flow));
  check_law(*flow_law<3>(kMetal, flow));
  check_law(*flow_law<6>(kMetal, flow));
}

namespace {
/// Strain along 11 with the other stresses held at nothing: lateral strains by Newton's method on the law itself.
template <int N>
double uniaxial(const Law<N>& law, double strain, Eigen::Matrix<double, N, 1>& all, std::vector<double>& memory) {
  std::vector<double> after(memory.size());
  all[0] = strain;
  for (int i = 0;; ++i) {
    const auto answer = law.respond(all, 0, memory.data(), after.data());
    if constexpr (N == 1) {
      memory = after;
      return answer.stress[0];
    } else {
      const Eigen::Matrix<double, N - 1, 1> rest = answer.stress.template tail<N - 1>();
      if (rest.norm() < 1e-10 * 250 || i == 40) {
        CHECK(i < 40);
        memory = after;
        return answer.stress[0];
      }
      all.template tail<N - 1>() -= answer.tangent.template bottomRightCorner<N - 1, N - 1>().fullPivLu().solve(rest);
    }
  }
}
}  // namespace

TEST_CASE("flow: a bar, a strip and a block in uniaxial stress walk the same loop", "[material][fast]") {
  const Flow flow{250, 1000, 3000};
  const auto fibre = flow_law<1>(kMetal, flow);
  const auto plane = flow_law<3>(kMetal, flow);
  const auto solid = flow_law<6>(kMetal, flow);
  std::vector<double> a = virgin(*fibre), b = virgin(*plane), c = virgin(*solid);
  Eigen::Matrix<double, 1, 1> ea = Eigen::Matrix<double, 1, 1>::Zero();
  Eigen::Vector3d eb = Eigen::Vector3d::Zero();
  Eigen::Matrix<double, 6, 1> ec = Eigen::Matrix<double, 6, 1>::Zero();
  double last = 0, peak = 0;
  for (const double strain : {0.001, 0.002, 0.004, 0.003, -0.001, -0.004, 0.002}) {
    const double one = uniaxial(*fibre, strain, ea, a);
    CHECK_DIGITS(uniaxial(*plane, strain, eb, b), one, 8, "plane stress");
    CHECK_DIGITS(uniaxial(*solid, strain, ec, c), one, 8, "solid");
    if (strain == 0.004) peak = one;
    last = one;
  }
  CHECK_DIGITS(peak, 250 + (0.004 - 250 / 200000.0) * 200000 * 4000 / 204000, 12, "bilinear: E H / (E + H)");
  CHECK(last > 0);
}

TEST_CASE("laws: free strain is free of stress, and what is remembered has names", "[material][fast]") {
  const Flow flow{250, 1000, 0};
  const auto law = flow_law<6>(kMetal, flow);
  CHECK(law->memory().size() == 13);
  CHECK(law->memory().back().name == "equivalent_plastic_strain");
  CHECK(law->memory()[3].name == "plastic_strain_12");
  auto before = virgin(*law), after = before;
  Eigen::Matrix<double, 6, 1> grown = Eigen::Matrix<double, 6, 1>::Zero();
  grown.head<3>().setConstant(0.01);
  CHECK(law->respond(grown, 0.01, before.data(), after.data()).stress.norm() < 1e-9);
  CHECK(elastic_law<3>(kMetal)->respond(Eigen::Vector3d(0.01, 0.01, 0), 0.01, nullptr, nullptr).stress.norm() < 1e-9);
  CHECK(elastic_law<3>(kMetal)->memory().empty());
}

TEST_CASE("wall: closed form while elastic, plastic moment by its layers", "[material][fast]") {
  const double t = 8;
  const Wall elastic(elastic_law<3>(kMetal), t);
  CHECK(elastic.elastic());
  CHECK(elastic.memory_size() == 0);
  Wall::Vec6 strain;
  strain << 1e-4, -2e-4, 3e-4, 2e-5, 1e-5, -3e-5;
  const int cells = GENERATE(2, 4, 6, 8);
  const Wall high(flow_law<3>(kMetal, {1e9, 0, 0}), t, cells);  // layers that never flow give the same
  std::vector<double> before(static_cast<std::size_t>(high.memory_size())), after = before;
  high.start(before.data());
  const auto closed = elastic.respond(strain, 2e-5, nullptr, nullptr),
             summed = high.respond(strain, 2e-5, before.data(), after.data());
  CHECK((closed.stress - summed.stress).norm() < 1e-12 * closed.stress.norm());
  CHECK((closed.tangent - summed.tangent).norm() < 1e-12 * closed.tangent.norm());
  CHECK(high.heights().front() == -t / 2);
  CHECK(high.heights().back() == t / 2);
  // a strip bent far: 2 / sqrt 3 x yield in plane strain across, moment t^2 / 4 of it
  const Wall flows(flow_law<3>(kMetal, {250, 0, 0}), t, cells);
  std::vector<double> memory(static_cast<std::size_t>(flows.memory_size())), next = memory;
  flows.start(memory.data());
  Wall::Vec6 bent = Wall::Vec6::Zero();
  const double full = 2 / std::sqrt(3.0) * 250 * t * t / 4;
  double moment = 0, curvature = 0;
  for (int k = 1; k <= 400; ++k) {
    bent[3] = curvature = 2e-4 * k;
    moment = flows.respond(bent, 0, memory.data(), next.data()).stress[3];
    memory = next;
    if (k < 10) continue;
    // elastic core up to the height where the wall flows; the ratio of stresses changes a little while it spreads
    const double core = full / (t * t / 4) / (kMetal.youngs_modulus / (1 - 0.09) * curvature);
    INFO("core " << core / (t / 2) << " of half the thickness, " << cells << " cells");
    if (core < t / 2) CHECK(std::abs(moment / (full * (1 - core * core / (0.75 * t * t))) - 1) < 0.11 / cells + 0.01);
  }
  CHECK(std::abs(moment / full - 1) < 1e-3);
  CHECK_THROWS_AS(Wall(elastic_law<3>(kMetal), t, 3), std::invalid_argument);
}
