#include <Eigen/Eigenvalues>

#include "archway/elements/shell.hpp"
#include "archway/elements/spring.hpp"
#include "support/batches.hpp"
#include "support/element_contract.hpp"
#include "support/models.hpp"

using namespace archway;
using test::Vec3;

namespace {
/// Every element there is, in the variants that change its kernel.
model::Model everything(const std::string& variant) {
  model::Model m = test::with_material();
  const bool off_axis = variant == "offset";
  m.profiles.push_back(
      test::profile_of("zed", theory::section_properties("zed", {{"width", 40}, {"height", 90}, {"thickness", 5}})));
  m.profiles.push_back(test::profile_of(
      "channel", theory::section_properties("channel", {{"width", 45}, {"height", 90}, {"flange", 6}, {"web", 4}})));
  m.profiles.push_back(
      test::profile_of("bar", theory::section_properties("rectangle", {{"width", 20}, {"height", 45}})));
  const auto member = [&](const std::string& name, const model::Line& line, const Vec3& up, int profile) {
    model::Part part = test::member_part(name, up);
    part.profile = profile;
    part.warping = variant == "warping";
    if (off_axis) part.offset_y = 12, part.offset_z = -30;
    model::add_member(m, part, line, 2);
  };
  member("straight", {Vec3(0, 0, 0), Vec3(300, 40, 20), {}}, Vec3::UnitZ(), 0);
  member("curved", {Vec3(0, 0, 0), Vec3(400, 0, 0), Vec3(200, 0, 150)}, Vec3(0, 1, 0.2), 1);
  member("solid", {Vec3(0, 0, 0), Vec3(0, 250, 0), {}}, Vec3::UnitZ(), 2);
  if (variant == "tapered")
    for (auto& e : m.line_elements) e.profiles = {0, 1, 2};
  const double t = variant == "thin" ? 0.1 : 20.0;
  for (const auto faces : {model::Faces::four, model::Faces::three, model::Faces::nine}) {
    model::Part flat = test::panel_part("flat", t), curved = test::panel_part("curved", t);
    if (off_axis) flat.offset_z = 15, curved.offset_z = -10;
    model::add_rectangle(m, flat, Vec3(1, 2, 3), Vec3(200, 30, 0), Vec3(-20, 150, 10), 2, 1, faces);
    model::add_cylinder_strip(m, curved, Vec3(0, 0, 0), Vec3(0, 300, 0), Vec3(250, 0, 0), 1.0, 2, 2, faces);
  }
  // distort and warp the shells a little; middles of nine-node elements stay near the middle
  std::mt19937 random(5);
  std::uniform_real_distribution<double> uniform(-6, 6);
  for (std::size_t n = static_cast<std::size_t>(m.groups.at("flat").front()); n < m.nodes.size(); ++n)
    m.nodes[n] += Vec3(uniform(random), uniform(random), uniform(random));
  test::add_brick(m, "eight", false);
  test::add_brick(m, "twenty", true);
  model::Part stay = test::member_part("stay");
  stay.kind = model::PartKind::bar;
  model::add_bar(m, stay, {Vec3(0, 0, 0), Vec3(90, 50, 30), {}}, 2);
  const base::Mat3 axes = base::exponential(Vec3(0.3, 0.2, 1)).toRotationMatrix();
  m.springs.push_back({"across", 0, 3, {3, 4, 5, 2e4, 3e4, 4e4}, axes});
  m.nodes.push_back(m.nodes[3]);
  m.springs.push_back({"in one point", 3, m.node_count() - 1, {3, 4, 5, 2e4, 3e4, 4e4}, axes});
  return m;
}
}  // namespace

TEST_CASE("contract: every element in every variant", "[elements][fast]") {
  const std::string variant = GENERATE("plain", "warping", "offset", "tapered", "thin");
  INFO("variant " << variant);
  const auto m = everything(variant);
  int kinds = 0;
  for (const auto& batch : test::batches_of(m)) {
    INFO("batch " << kinds);
    ++kinds;
    REQUIRE(batch->size() > 0);
    test::check_element_contract(*batch, elements::State::reference(m), 100, 3u + static_cast<unsigned>(kinds));
  }
  CHECK(kinds == 8);
}

TEST_CASE("contract: a ground spring pulls back and does not know which way it is reported", "[elements][fast]") {
  model::Model m = test::with_material();
  m.nodes = {Vec3(10, 20, 30)};
  m.springs.push_back({"pad", 0, -1, {100, 200, 300, 1e4, 2e4, 3e4}, base::Mat3::Identity()});
  const elements::SpringBatch springs(m);
  auto state = elements::State::reference(m);
  Eigen::VectorXd step = Eigen::VectorXd::Zero(model::row(1));
  step << 0.1, 0.2, 0.3, 0, 0, 2.5, 0;
  state.advance(step);
  const auto f = springs.forces(state, 0, nullptr);
  CHECK((f.head<3>() - Vec3(10, 40, 90)).norm() < 1e-10);
  CHECK((f.tail<3>() - Vec3(0, 0, 7.5e4)).norm() < 1e-8);  // the angle itself, far beyond small rotations
  CHECK(test::digits_between(test::evaluate(springs, state, 0).tangent.bottomRightCorner(6, 6),
                             test::difference_tangent(springs, state, 0, 10).bottomRightCorner(6, 6)) >= 6);
}

namespace {
/// Every kind of element that can remember, of a metal that flows, and a fastener that slips.
model::Model flowing(double yield, double offset) {
  model::Model m = test::with_material();
  m.materials[0].flow.yield_stress = yield;
  m.materials[0].flow.isotropic = 800;
  m.materials[0].flow.kinematic = 1500;
  m.profiles.push_back(
      test::profile_of("bar", theory::section_properties("rectangle", {{"width", 20}, {"height", 45}})));
  model::Part part = test::panel_part("flat", 6);
  part.offset_z = offset;
  model::add_rectangle(m, part, Vec3(1, 2, 3), Vec3(100, 30, 0), Vec3(-20, 80, 10), 2, 1);
  m.nodes[1] += Vec3(6, -4, 5);
  test::add_brick(m, "eight", false);
  test::add_brick(m, "twenty", true);
  model::Part stay = test::member_part("stay");
  stay.kind = model::PartKind::bar;
  model::add_bar(m, stay, {Vec3(0, 0, 0), Vec3(90, 50, 30), {}}, 2);
  for (const auto faces : {model::Faces::three, model::Faces::nine}) {
    part.name = faces == model::Faces::three ? "triangles" : "nines";
    model::add_rectangle(m, part, Vec3(1, 2, 3), Vec3(100, 30, 0), Vec3(-20, 80, 10), 1, 1, faces);
  }
  m.profiles.push_back(
      test::profile_of("zed", theory::section_properties("zed", {{"width", 30}, {"height", 60}, {"thickness", 4}})));
  model::Part post = test::member_part("post");
  post.profile = 1;
  post.warping = true;
  post.offset_y = offset;
  model::add_member(m, post, {Vec3(0, 0, 0), Vec3(80, 50, 20), {}}, 1);
  m.spring_curves.push_back({"slip", {{{-2, -90}, {-0.3, -50}, {0, 0}, {0.1, 30}, {0.8, 30}, {2, 100}}, true}});
  model::SpringElement screw{"screw", 0, 5, {100, 200, 300, 1e4, 2e4, 3e4}, base::Mat3::Identity()};
  screw.curves = {-1, 0, -1, -1, -1, 0};
  m.springs.push_back(screw);
  return m;
}
bool remembers_nothing(const elements::Batch& batch) {
  return batch.size() == 0 || batch.memory_size() == 0;
}
}  // namespace

TEST_CASE("contract: elements whose points remember", "[elements][fast]") {
  const auto m = flowing(250, GENERATE(0.0, 4.0));
  int kinds = 0;
  for (const auto& batch : test::batches_of(m)) {
    if (remembers_nothing(*batch)) continue;
    INFO("kind " << ++kinds);
    test::check_memory_contract(*batch, elements::State::reference(m), 0.6, 100, 11u + static_cast<unsigned>(kinds));
  }
  CHECK(kinds == 8);
}

TEST_CASE("contract: condensed modes take no negative direction out of the count of the whole", "[elements][fast]") {
  const auto m = flowing(250, 0);
  const elements::ShellBatch shells(m);
  std::mt19937 random(23);
  std::vector<double> committed(shells.memory_size()), next = committed;
  shells.start_memory(committed.data());
  auto state = elements::State::reference(m);
  int unstable = 0, flowed = 0;
  for (int step = 0; step < 40; ++step) {
    state.advance(test::random_step(model::row(m.nodes.size()), 0.6, 0.01, random));
    if (step % 8 == 7) state = elements::State::reference(m);
    const elements::Trial trial(state, committed.data(), next.data());
    for (int e = 0; e < shells.size(); ++e) {
      Eigen::MatrixXd condensed(24, 24);
      if (shells.evaluate(trial, &e, 1, {nullptr, condensed.data(), nullptr}, {}) != base::Verdict::good) continue;
      const auto whole = shells.whole_tangent(trial, e);
      const auto below = [](const Eigen::MatrixXd& k) {
        const Eigen::VectorXd values = Eigen::SelfAdjointEigenSolver<Eigen::MatrixXd>(k).eigenvalues();
        return (values.array() < -1e-13 * values.maxCoeff()).count();  // rounding leaves 1e-17
      };
      const auto lowest = [](const Eigen::MatrixXd& k) {
        const Eigen::VectorXd values = Eigen::SelfAdjointEigenSolver<Eigen::MatrixXd>(k).eigenvalues();
        return Eigen::VectorXd(values.head(7) / values.maxCoeff());
      };
      INFO("whole " << lowest(whole).transpose() << "; condensed " << lowest(condensed).transpose());
      CHECK(below(whole) == below(condensed));
      unstable += below(condensed) > 0 ? 1 : 0;
    }
    flowed += next != committed ? 1 : 0;
    committed = next;
  }
  CHECK(unstable > 20);
  CHECK(flowed > 20);
}

TEST_CASE("contract: kernels for this machine differ from those for any by rounding only", "[elements][fast]") {
  CHECK(!std::string(elements::machine_kernels()).empty());
  // a build for one machine has one copy; tools/test.sh --full makes the portable kind
  if (!elements::has_kernels(elements::Kernels::baseline)) {
    CHECK_THROWS_AS(elements::make_batches(flowing(250.0, 4.0), elements::Kernels::baseline), base::InputError);
    return;
  }
  const auto m = flowing(GENERATE(250.0, 1e9), 4.0);
  const auto own = test::batches_of(m), any = test::batches_of(m, elements::Kernels::baseline);
  std::mt19937 random(31);
  auto state = elements::State::reference(m);
  state.advance(test::random_step(model::row(m.nodes.size()), 1, 0.02, random));
  for (std::size_t k = 0; k < own.size(); ++k)
    for (int e = 0; e < own[k]->size(); ++e) {
      INFO("kind " << k);
      const auto one = test::evaluate(*own[k], state, e), other = test::evaluate(*any[k], state, e);
      CHECK((one.force - other.force).norm() <= 1e-9 * other.force.norm());
      CHECK((one.tangent - other.tangent).norm() <= 1e-9 * other.tangent.norm());
      CHECK((one.geometric - other.geometric).norm() <= 1e-9 * other.tangent.norm());
    }
}

TEST_CASE("contract: a law that never flows gives what elastic elements give", "[elements][fast]") {
  const auto strong = flowing(1e9, 4.0);
  auto elastic = strong;
  elastic.materials[0].flow.yield_stress = 0;
  const auto a = test::batches_of(strong), b = test::batches_of(elastic);
  // lines measure engineering strains either way; walls and solids that flow measure logarithmic ones, elastic ones
  // Green strains: the same but for a share of the strain
  constexpr std::size_t lines = 3;
  for (const double size : {1.0, 1e-2, 1e-4}) {
    std::mt19937 random(3);
    auto state = elements::State::reference(strong);
    state.advance(test::random_step(model::row(strong.nodes.size()), 5 * size, 0.05 * size, random));
    state.expansion.assign(strong.parts.size(), 1e-3 * size);
    for (std::size_t k = 0; k < a.size(); ++k)
      for (int e = 0; e < a[k]->size(); ++e) {
        INFO("kind " << k << ", size " << size);
        const auto one = test::evaluate(*a[k], state, e), other = test::evaluate(*b[k], state, e);
        const double off = k < lines ? 1e-9 : size;
        CHECK((one.force - other.force).norm() <= off * other.force.norm());
        CHECK((one.tangent - other.tangent).norm() <= off * other.tangent.norm());
        CHECK((one.geometric - other.geometric).norm() <= off * other.tangent.norm());
      }
  }
}
