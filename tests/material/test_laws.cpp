// Laws: stress and tangent from strain, free strain and memory; walls of layers.
#include <random>

#include <Eigen/LU>

#include "archway/material/logarithmic.hpp"
#include "archway/material/stress_strain.hpp"
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

/// Work along a straight way of strain in many steps: what is stored and lost at its end has grown by it.
template <int N>
void check_energy(const Law<N>& law, const Eigen::Matrix<double, N, 1>& from, const Eigen::Matrix<double, N, 1>& to,
                  const std::vector<double>& before) {
  constexpr int kSteps = 400;
  auto memory = before, after = before;
  const Energy start = law.energy(from, 0, memory.data());
  Eigen::Matrix<double, N, 1> stress = law.respond(from, 0, memory.data(), after.data()).stress;
  double work = 0;
  for (int k = 1; k <= kSteps; ++k) {
    const Eigen::Matrix<double, N, 1> strain = from + static_cast<double>(k) / kSteps * (to - from);
    const auto next = law.respond(strain, 0, memory.data(), after.data()).stress;
    work += 0.5 * (stress + next).dot(to - from) / kSteps;
    stress = next, memory = after;
  }
  const Energy end = law.energy(to, 0, memory.data());
  CHECK(end.dissipated >= start.dissipated);
  const double flipped = std::max({std::abs(work), end.stored, start.stored, end.dissipated});
  CHECK(std::abs(work - (end.stored + end.dissipated - start.stored - start.dissipated)) <= 1e-4 * flipped);
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
      const Vector last = strain;
      strain += Vector::NullaryExpr([&] { return 1.5e-3 * uniform(random); });
      check_energy(law, last, strain, before);
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
  const auto flow =
      GENERATE(Flow{250, 0, 0, {}}, Flow{250, 3000, 0, {}}, Flow{250, 0, 5000, {}}, Flow{250, 2000, 4000, {}},
               Flow{250, 0, 0, {{0.001, 300}, {0.003, 330}}}, Flow{250, 100, 900, {{0.002, 250}, {0.004, 310}}});
  check_law(*flow_law<1>(kMetal, flow));
  check_law(*flow_law<3>(kMetal, flow));
  check_law(*flow_law<6>(kMetal, flow));
}

namespace {
/// Strain along 11 with the other stresses restrained at nothing: lateral strains by Newton's method on the law itself.
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
  const Flow flow{250, 1000, 3000, {}};
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

TEST_CASE("flow: bar, strip and block follow a curve of straight pieces through its corners", "[material][fast]") {
  const double modulus = 200000;
  const StressStrain curve{{{0, 0}, {0.00125, 250}, {0.004, 250}, {0.01, 310}, {0.02, 330}}, false, false};
  const Flow flow = table_flow(modulus, curve);
  const auto fibre = flow_law<1>(kMetal, flow);
  const auto plane = flow_law<3>(kMetal, flow);
  const auto solid = flow_law<6>(kMetal, flow);
  // at corners, within pieces, over several pieces in one step, and level beyond the end
  const auto strains = GENERATE(std::vector<double>{0.001, 0.003, 0.004, 0.006, 0.01, 0.015, 0.02, 0.03},
                                std::vector<double>{0.015}, std::vector<double>{0.025});
  std::vector<double> a = virgin(*fibre), b = virgin(*plane), c = virgin(*solid);
  Eigen::Matrix<double, 1, 1> ea = Eigen::Matrix<double, 1, 1>::Zero();
  Eigen::Vector3d eb = Eigen::Vector3d::Zero();
  Eigen::Matrix<double, 6, 1> ec = Eigen::Matrix<double, 6, 1>::Zero();
  for (const double strain : strains) {
    double wanted = 330;
    for (std::size_t k = 1; k < curve.points.size(); ++k) {
      const auto [e0, s0] = curve.points[k - 1];
      const auto [e1, s1] = curve.points[k];
      if (strain >= e0 && strain <= e1) wanted = s0 + (strain - e0) / (e1 - e0) * (s1 - s0);
    }
    INFO("strain " << strain);
    CHECK_DIGITS(uniaxial(*fibre, strain, ea, a), wanted, 9, "fibre");
    CHECK_DIGITS(uniaxial(*plane, strain, eb, b), wanted, 8, "plane stress");
    CHECK_DIGITS(uniaxial(*solid, strain, ec, c), wanted, 8, "solid");
  }
}

TEST_CASE("curves: true and plastic values come back to engineering ones, faults are reported by point",
          "[material][fast]") {
  const double e = 200000;
  const Flow plain = table_flow(e, {{{0.00125, 250}, {0.01, 300}, {0.05, 350}}, false, false});
  // the same curve as true values, and as plastic strains
  StressStrain same{{}, true, false}, plastic{{}, false, true};
  for (const auto& [strain, stress] : {std::pair(0.00125, 250.0), std::pair(0.01, 300.0), std::pair(0.05, 350.0)}) {
    same.points.emplace_back(std::log1p(strain), stress * (1 + strain));
    plastic.points.emplace_back(strain - stress / e, stress);
  }
  for (const auto& other : {table_flow(e, same), table_flow(e, plastic)}) {
    CHECK(other.yield_stress == archway::test::but_for_rounding(250));
    // pieces that are straight in one measure are bent in the other, so that they meet at the points that are given
    for (const auto& [strain, stress] : plain.corners)
      CHECK(yield_stress_at(other, strain).value == Approx(stress).epsilon(1e-9));
  }
  // a true curve whose force falls is level from its largest engineering stress
  const Flow necks = table_flow(e, {{{0.00125, 250}, {0.2, 350}, {0.5, 360}}, true, false});
  CHECK(necks.corners.back().second == Approx(350 / std::exp(0.2)).epsilon(1e-2));
  CHECK(yield_stress_at(necks, 1).value == necks.corners.back().second);
  CHECK(necks.isotropic == 0);
  const auto [points, told] = GENERATE(table<std::vector<std::pair<double, double>>, std::string>(
      {{{{0.00125, 250}, {0.01, 240}}, "point 2 (0.01, 240): the stress falls"},
       {{{0.00125, 250}, {0.001, 260}}, "strains must grow"},
       {{{0.002, 250}, {0.01, 300}}, "point 1 (0.002, 250) is where yield begins, so its strain must be"},
       {{{0.00125, 250}, {0.0013, 300}}, "rises more steeply than"},
       {{{0, 0}}, "no point with a stress"},
       {{{-1.5, 250}}, "strains must grow"}}));
  CHECK_THROWS_WITH(table_flow(e, {points, false, false}), Catch::Contains(told));
  const Flow smooth = power_flow(200, 6);
  for (const double p : {1e-5, 3.3e-4, 0.002, 0.017, 0.15})
    CHECK(yield_stress_at(smooth, p).value / (200 * std::pow(p / 0.002, 1.0 / 6)) == Approx(1).epsilon(2e-4));
  CHECK_THROWS_WITH(power_flow(200, 0.9), Catch::Contains("above one"));
  CHECK_THROWS_WITH(bilinear_flow(e, 250, 3e5), Catch::Contains("tangent modulus"));
}

TEST_CASE("laws: free strain is free of stress, and what is remembered has names", "[material][fast]") {
  const Flow flow{250, 1000, 0, {}};
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

TEST_CASE("curves: what a spring holds and has lost adds up to the work on it", "[material][fast]") {
  const bool slips = GENERATE(false, true);
  const auto law = curve_law({{{-2, -90}, {-0.3, -50}, {0, 0}, {0.1, 30}, {0.8, 30}, {2, 100}}, slips});
  auto memory = virgin(*law), after = memory;
  double at = 0;
  for (const double to : {1.2, 0.9, -1.1, -0.2, 1.6}) {
    using Vector = Eigen::Matrix<double, 1, 1>;
    check_energy<1>(*law, Vector(at), Vector(to), memory);
    constexpr int steps = 400;  // to where the work was summed up
    for (int k = 1; k <= steps; ++k) {
      law->respond(Vector(at + (to - at) * k / steps), 0, memory.data(), after.data());
      memory = after;
    }
    at = to;
  }
  CHECK((law->energy(Eigen::Matrix<double, 1, 1>(at), 0, memory.data()).dissipated > 0) == slips);
}

TEST_CASE("wall: closed form while elastic, plastic moment by its layers", "[material][fast]") {
  const double t = 8;
  const Wall elastic(elastic_law<3>(kMetal), t);
  CHECK(elastic.elastic());
  CHECK(elastic.memory_size() == 0);
  Wall::Vec6 strain;
  strain << 1e-4, -2e-4, 3e-4, 2e-5, 1e-5, -3e-5;
  const int cells = GENERATE(2, 4, 6, 8);
  const Wall high(flow_law<3>(kMetal, {1e9, 0, 0, {}}), t, cells);  // layers that never flow give the same
  std::vector<double> before(static_cast<std::size_t>(high.memory_size())), after = before;
  high.start(before.data());
  const auto closed = elastic.respond(strain, 2e-5, nullptr, nullptr),
             summed = high.respond(strain, 2e-5, before.data(), after.data());
  CHECK((closed.stress - summed.stress).norm() < 1e-12 * closed.stress.norm());
  CHECK((closed.tangent - summed.tangent).norm() < 1e-12 * closed.tangent.norm());
  CHECK(high.heights().front() == -t / 2);
  CHECK(high.heights().back() == t / 2);
  // a strip bent far: 2 / sqrt 3 x yield in plane strain across, moment t^2 / 4 of it
  const Wall flows(flow_law<3>(kMetal, {250, 0, 0, {}}), t, cells);
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

namespace {
/// Strains of any size, with principal values that meet or nearly do: tangent by differences, symmetric.
template <int N>
void check_logarithmic(const std::vector<Eigen::Matrix<double, N, 1>>& strains) {
  const Flow flow{250, 1500, 0, {}};
  for (const bool flows : {false, true}) {
    const auto law = logarithmic<N>(flows ? flow_law<N>(kMetal, flow) : elastic_law<N>(kMetal));
    const auto before = virgin(*law);
    auto after = before;
    for (const auto& strain : strains) {
      INFO(strain.transpose());
      const auto answer = law->respond(strain, 0, before.data(), after.data());
      CHECK((answer.tangent - answer.tangent.transpose()).norm() <= 1e-9 * answer.tangent.norm());
      CHECK((answer.tangent - by_differences(*law, strain, before)).norm() < 3e-5 * law->stiffness().norm());
    }
  }
}
}  // namespace

TEST_CASE("laws: in logarithmic strains, tangent and what a in tension bar answers", "[material][fast]") {
  using V3 = Eigen::Vector3d;
  using V6 = Eigen::Matrix<double, 6, 1>;
  check_logarithmic<3>({V3(0.05, -0.02, 0.03), V3(0.05, 0.05, 0), V3(0.05, 0.05 + 2e-4, 1e-5), V3(-0.1, 0.2, 0.1),
                        V3(1e-9, 0, 1e-9), V3(0.3, 0.3 + 4e-3, 0)});
  V6 a, b, c, d;
  a << 0.05, -0.03, 0.01, 0.02, -0.04, 0.03;
  b << 0.04, 0.04, 0.04, 0, 0, 0;
  c << 0.04, 0.04 + 1e-4, -0.1, 1e-5, 0, 0;
  d << 0.2, 0.2, -0.1, 0.3, 0.1, 0;
  check_logarithmic<6>({a, b, c, d});
  // perfectly plastic: the true stress is the yield stress at any stretch, the force falls with the area
  const Flow perfect{250, 0, 0, {}};
  const auto plane = logarithmic<3>(flow_law<3>(kMetal, perfect));
  for (const double stretch : {1.05, 1.3, 0.8}) {
    // free to contract across: found by Newton's method
    V3 strain(0.5 * (stretch * stretch - 1), 0, 0);
    const auto before = virgin(*plane);
    auto after = before;
    Answer<3> answer;
    for (int k = 0; k < 60; ++k) {
      answer = plane->respond(strain, 0, before.data(), after.data());
      if (std::abs(answer.stress[1]) < 1e-9) break;
      strain[1] -= std::clamp(answer.stress[1] / answer.tangent(1, 1), -0.02, 0.02);
    }
    const double sense = stretch > 1 ? 1 : -1, across = std::sqrt(1 + 2 * strain[1]);
    CHECK(plane->told(strain, answer)[0] == Approx(sense * 250).epsilon(1e-9));
    // force over the first area = S x stretch; the volume is kept by flow: true stress x (area / first area) of it
    CHECK(answer.stress[0] * stretch == Approx(sense * 250 / stretch).epsilon(1e-9));
    const double elastic = 250 / kMetal.youngs_modulus;
    CHECK(std::log(across) == Approx(-0.5 * std::log(stretch) + sense * elastic * (0.5 - 0.3)).epsilon(1e-6));
  }
}

namespace {
/// After a step a law answers to the same strain with the same stress from what it remembers then, and flows no more.
template <int N>
void check_repeats(const Flow& flow) {
  const auto law = flow_law<N>(kMetal, flow);
  using Vector = Eigen::Matrix<double, N, 1>;
  std::mt19937 random(11);
  std::uniform_real_distribution<double> uniform(-1, 1);
  for (int walk = 0; walk < 200; ++walk) {
    auto before = virgin(*law), after = before, again = before;
    Vector strain = Vector::Zero();
    for (int step = 0; step < 8; ++step) {
      strain += Vector::NullaryExpr([&] { return 4e-3 * uniform(random); });
      const auto first = law->respond(strain, 0, before.data(), after.data());
      const auto second = law->respond(strain, 0, after.data(), again.data());
      const double most = flow.yield_stress + first.stress.norm();
      CHECK((first.stress - second.stress).norm() <= 1e-9 * most);
      CHECK(std::abs(again.back() - after.back()) <= 1e-12);
      before = after;
    }
  }
}
}  // namespace

TEST_CASE("flow: a state that was reached answers with its own stress, on curves of one and of many pieces",
          "[material][fast]") {
  for (const Flow& flow : {power_flow(240, 8), power_flow(240, 30), bilinear_flow(kMetal.youngs_modulus, 240, 2000),
                           bilinear_flow(kMetal.youngs_modulus, 240, 2000, 1)}) {
    check_repeats<1>(flow);
    check_repeats<3>(flow);
    check_repeats<6>(flow);
  }
}

TEST_CASE("laws: a table in either measure is one curve", "[material][fast]") {
  const double e = 200000;
  const StressStrain engineering{{{0.00125, 250}, {0.02, 300}, {0.1, 380}}, false, false};
  StressStrain as_true = engineering;
  as_true.true_measure = true;
  for (auto& [strain, stress] : as_true.points) stress *= 1 + strain, strain = std::log(1 + strain);
  const Flow a = table_flow(e, engineering, Measure::true_stress), b = table_flow(e, as_true, Measure::true_stress);
  const Flow c = table_flow(e, engineering), d = table_flow(e, as_true);
  CHECK(b.corners.size() == 2);
  CHECK(c.corners.size() == 2);
  for (std::size_t k = 0; k < 2; ++k) {  // at the points that are given all four agree
    CHECK(yield_stress_at(a, b.corners[k].first).value == Approx(as_true.points[k + 1].second).epsilon(1e-9));
    CHECK(yield_stress_at(d, c.corners[k].first).value == Approx(engineering.points[k + 1].second).epsilon(1e-9));
  }
  // between them a is the engineering line in true values: at 6 %, half-way
  const double stress = 340 * 1.06, strain = std::log(1.06);
  CHECK(yield_stress_at(a, strain - stress / e).value == Approx(stress).epsilon(1e-4));
  CHECK(yield_stress_at(b, strain - stress / e).value != Approx(stress).epsilon(1e-4));
}
