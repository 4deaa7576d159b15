// Obstacles: distances with their derivatives, forces of contact with theirs, what is remembered.
#include <catch2/catch.hpp>

#include "archway/elements/obstacle.hpp"

using namespace archway;
using base::Mat3;
using base::Vec3;
using elements::State;
using model::Obstacle;

namespace {
/// A cube from -1 to 1 in triangles, seen from outside.
std::vector<std::array<Vec3, 3>> cube() {
  std::vector<std::array<Vec3, 3>> facets;
  for (int axis = 0; axis < 3; ++axis)
    for (const double side : {-1.0, 1.0}) {
      const auto corner = [&](double a, double b) {
        Vec3 x;
        x[axis] = side, x[(axis + 1) % 3] = a, x[(axis + 2) % 3] = b;
        return x;
      };
      const std::array<Vec3, 4> c = {corner(-1, -1), corner(1, -1), corner(1, 1), corner(-1, 1)};
      for (const auto& [i, j, k] : {std::array<std::size_t, 3>{0, 1, 2}, std::array<std::size_t, 3>{0, 2, 3}})
        facets.push_back(side > 0 ? std::array<Vec3, 3>{c[i], c[j], c[k]} : std::array<Vec3, 3>{c[i], c[k], c[j]});
    }
  return facets;
}
Obstacle body(Obstacle::Kind kind, bool inside = false) {
  Obstacle o;
  o.kind = kind;
  o.place = kind == Obstacle::Kind::surface ? Vec3(0, 0, 0) : Vec3(0.3, -0.2, 0.1);
  o.axis = Vec3(1, 2, -1).normalized();
  o.radius = 1.3;
  o.inside = inside;
  if (kind == Obstacle::Kind::surface) o.facets = cube();
  return o;
}
model::Model one_touch(const Obstacle& obstacle, const Vec3& node, double reach = 0.1) {
  model::Model m;
  m.nodes = {node};
  m.obstacles = {obstacle};
  m.touches = {{0, 0, reach, 50, 0}};
  return m;
}
}  // namespace

TEST_CASE("obstacle: distances have the normals and bends that differences give", "[elements][fast]") {
  using Kind = Obstacle::Kind;
  const auto [kind, inside] = GENERATE(table<Kind, bool>({{Kind::plane, false},
                                                          {Kind::cylinder, false},
                                                          {Kind::cylinder, true},
                                                          {Kind::sphere, false},
                                                          {Kind::sphere, true},
                                                          {Kind::surface, false}}));
  const auto o = body(kind, inside);
  const auto tree = elements::facet_tree(o);
  for (const Vec3& x :
       {Vec3(0.9, 1.7, -0.4), Vec3(2.1, 1.8, 1.3), Vec3(0.2, -0.4, 1.6), Vec3(-0.3, 0.5, 0.9), Vec3(1.4, -1.9, 0.3)}) {
    CAPTURE(static_cast<int>(kind), inside, x.transpose());
    const auto d = elements::distance_from(o, tree.get(), x);
    constexpr double h = 1e-5;
    for (int k = 0; k < 3; ++k) {
      const Vec3 step = h * Vec3::Unit(k);
      const auto plus = elements::distance_from(o, tree.get(), x + step),
                 minus = elements::distance_from(o, tree.get(), x - step);
      CHECK(d.normal[k] == Approx((plus.value - minus.value) / (2 * h)).margin(1e-8));
      for (int i = 0; i < 3; ++i)
        CHECK(d.bend(i, k) == Approx((plus.normal[i] - minus.normal[i]) / (2 * h)).margin(1e-6));
    }
  }
}

TEST_CASE("obstacle: a surface knows its inside at faces, edges and corners", "[elements][fast]") {
  const auto o = body(Obstacle::Kind::surface);
  const auto tree = elements::facet_tree(o);
  const auto at = [&](const Vec3& x) { return elements::distance_from(o, tree.get(), x).value; };
  CHECK(at({0.2, 0.3, 1.5}) == Approx(0.5));
  CHECK(at({0.2, 0.3, 0.6}) == Approx(-0.4));
  CHECK(at({0.2, 1.3, 1.4}) == Approx(0.5));
  CHECK(at({1.2, 1.2, 1.1}) == Approx(0.3));
  CHECK(at({-1.2, -1.2, -1.1}) == Approx(0.3));
  CHECK(at({0.95, 0.95, 0.95}) == Approx(-0.05));
  CHECK(at({0.5, -0.25, 1}) == Approx(0).margin(1e-15));
}

TEST_CASE("obstacle: the tangent is the derivative of the force, with and without friction", "[elements][fast]") {
  using Kind = Obstacle::Kind;
  const auto kind = GENERATE(Kind::plane, Kind::cylinder, Kind::sphere, Kind::surface);
  // so rough that it sticks: sliding lacks its skew part; along round surfaces that of the rotation normal as well
  const double friction = kind == Kind::plane ? GENERATE(0.0, 50.0) : 0.0;
  auto o = body(kind);
  o.friction = friction;
  const auto tree = elements::facet_tree(o);
  const Vec3 outside(1.5, 1.8, 1.6);
  const auto far = elements::distance_from(o, tree.get(), outside);
  const Vec3 start = outside - (far.value - 0.1) * far.normal;  // lies against it
  const auto m = one_touch(o, start);
  const elements::ObstacleBatch batch(m);
  std::vector<double> memory(batch.memory_size());
  batch.start_memory(memory.data());
  State state = State::reference(m);
  const int element = 0;
  const auto evaluate = [&](const Vec3& x, Mat3* tangent) {
    State s = state;
    s.position[0] = x;
    Vec3 force;
    elements::Outputs out{force.data(), tangent == nullptr ? nullptr : tangent->data(), nullptr};
    REQUIRE(batch.evaluate({s, memory.data(), nullptr}, &element, 1, out, {}) == base::Verdict::good);
    return force;
  };
  const Vec3 x = start - 0.02 * far.normal + 0.003 * Vec3(1, -1, 0.5).cross(far.normal);
  Mat3 tangent;
  (void)evaluate(x, &tangent);
  constexpr double h = 1e-6;
  for (int k = 0; k < 3; ++k) {
    const Vec3 by = (evaluate(x + h * Vec3::Unit(k), nullptr) - evaluate(x - h * Vec3::Unit(k), nullptr)) / (2 * h);
    for (int i = 0; i < 3; ++i) CHECK(tangent(i, k) == Approx(by[i]).margin(2e-5));
  }
}

TEST_CASE("obstacle: what is remembered holds the force of the state, and is improved until no gap is left",
          "[elements][fast]") {
  const auto m = one_touch(body(Obstacle::Kind::plane), Vec3(0.3, -0.2, 0.1) + 0.5 * Vec3(1, 2, -1).normalized());
  const elements::ObstacleBatch batch(m);
  std::vector<double> memory(batch.memory_size()), next(memory);
  batch.start_memory(memory.data());
  State state = State::reference(m);
  const int element = 0;
  const auto force = [&](const std::vector<double>& committed, std::vector<double>* after) {
    Vec3 f;
    elements::Outputs out{f.data(), nullptr, nullptr};
    REQUIRE(batch.evaluate({state, committed.data(), after == nullptr ? nullptr : after->data()}, &element, 1, out,
                           {}) == base::Verdict::good);
    return f;
  };
  CHECK(force(memory, nullptr).norm() == 0);  // 0.4 away
  const Vec3 n = m.obstacles[0].axis;
  state.position[0] = m.obstacles[0].place + 0.08 * n;  // 0.02 inside
  CHECK(force(memory, &next).dot(-n) == Approx(50 * 0.02));
  CHECK(force(next, nullptr).dot(-n) == Approx(50 * 0.02));  // accepted: in balance as it is
  std::vector<double> better(memory);
  CHECK(batch.improve({state, memory.data(), better.data()}, 1e-6));
  CHECK(force(better, nullptr).dot(-n) == Approx(2 * 50 * 0.02));  // in compression harder, until it moves out
  state.position[0] = m.obstacles[0].place + 0.1 * n;
  CHECK(force(better, nullptr).dot(-n) == Approx(50 * 0.02));
  CHECK_FALSE(batch.improve({state, better.data(), next.data()}, 1e-6));
  state.position[0] = m.obstacles[0].place + 0.3 * n;  // in tension away
  CHECK(force(next, nullptr).dot(-n) < 0);  // it sticks while a round lasts, is no state to accept, and then lets go
  CHECK(batch.pulls({state, next.data(), nullptr}, 1e-6));
  CHECK(batch.improve({state, next.data(), better.data()}, 1e-6));
  CHECK(force(better, nullptr).norm() == 0);
  Eigen::VectorXd still = Eigen::VectorXd::Zero(model::kNodeDofs);
  Vec3 f;
  elements::Outputs out{f.data(), nullptr, nullptr};
  elements::StressSource linear;
  linear.linear = &still;
  state.position[0] = m.obstacles[0].place;
  REQUIRE(batch.evaluate({state, memory.data(), nullptr}, &element, 1, out, linear) == base::Verdict::good);
  CHECK(f.norm() == 0);  // linear theory does not see it
}

TEST_CASE("obstacle: friction sticks, slides with its share of the force and loses what it slides",
          "[elements][fast]") {
  Obstacle o;  // the ground
  o.friction = 0.25;
  const auto m = one_touch(o, {0, 0, 0.1});
  const elements::ObstacleBatch batch(m);
  std::vector<double> memory(batch.memory_size()), next(memory);
  batch.start_memory(memory.data());
  State state = State::reference(m);
  const int element = 0;
  const auto go_to = [&](const Vec3& x) {
    state.position[0] = x;
    Vec3 f;
    elements::Outputs out{f.data(), nullptr, nullptr};
    REQUIRE(batch.evaluate({state, memory.data(), next.data()}, &element, 1, out, {}) == base::Verdict::good);
    memory = next;
    return Vec3(-f);  // on the node
  };
  const double normal = go_to({0, 0, 0.06}).z();
  CHECK(normal == Approx(50 * 0.04));
  CHECK(go_to({0.005, 0, 0.06}).x() == Approx(-50 * 0.005));  // sticks
  const Vec3 slid = go_to({0.105, 0, 0.06});
  CHECK(slid.x() == Approx(-0.25 * normal));
  CHECK(batch.energy({state, memory.data(), nullptr}, 0).dissipated ==
        Approx(0.25 * normal * (0.105 - 0.25 * normal / 50)));
  CHECK(batch.contact({state, memory.data(), nullptr}, 0).sticks);  // as it is
  const Vec3 back = go_to({0.1, 0, 0.06});
  CHECK(back.x() == Approx(-0.25 * normal + 50 * 0.005));
}
