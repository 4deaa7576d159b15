// Contact between faces: forces and stiffness against differences, balance, uniform pressure between meshes that do not
// match, what lies opposite to what.
#include <algorithm>
#include <random>

#include <catch2/catch.hpp>

#include "archway/elements/surface_contact.hpp"

using namespace archway;
using base::Vec3;
using elements::State;
using elements::SurfaceContact;

namespace {
/// A grid of faces over a square of size 1 at a height, seen from above (or below), wavy by so much.
void add_grid(model::Model& m, std::vector<model::ContactFace>& faces, int count, int corners, double height, bool up,
              double wave, std::mt19937& random) {
  const int nodes = corners == 9 ? 2 * count : count, first = m.node_count();
  std::uniform_real_distribution<double> some(-wave, wave);
  for (int j = 0; j <= nodes; ++j)
    for (int i = 0; i <= nodes; ++i)
      m.nodes.emplace_back(static_cast<double>(i) / nodes, static_cast<double>(j) / nodes, height + some(random));
  const auto at = [&](int i, int j) { return first + j * (nodes + 1) + i; };
  for (int j = 0; j < count; ++j)
    for (int i = 0; i < count; ++i) {
      model::ContactFace face;
      face.stiffness = 50;
      face.depth = 0.1;
      face.count = corners;
      const int s = corners == 9 ? 2 : 1, a = s * i, b = s * j;
      std::array<int, 9> n = {at(a, b), at(a + s, b), at(a + s, b + s), at(a, b + s)};
      if (corners == 9)
        n = {at(a, b),         at(a + 2, b),     at(a + 2, b + 2), at(a, b + 2),    at(a + 1, b),
             at(a + 2, b + 1), at(a + 1, b + 2), at(a, b + 1),     at(a + 1, b + 1)};
      if (!up) {
        std::swap(n[1], n[3]);
        if (corners == 9) n = {n[0], n[1], n[2], n[3], n[7], n[6], n[5], n[4], n[8]};
      }
      face.nodes = n;
      if (corners == 3) {
        face.nodes = {n[0], n[1], n[2]};
        faces.push_back(face);
        face.nodes = {n[0], n[2], n[3]};
      }
      faces.push_back(face);
    }
}
model::Model two_grids(int upper, int lower, int corners, double gap, double wave, bool upper_follows = true) {
  std::mt19937 random(7);
  model::Model m;
  model::Contact contact;
  contact.name = "c";
  add_grid(m, upper_follows ? contact.followers : contact.leaders, upper, corners, gap, false, wave, random);
  add_grid(m, upper_follows ? contact.leaders : contact.followers, lower, corners, 0, true, wave, random);
  m.contacts.push_back(contact);
  return m;
}
struct Held {
  std::vector<double> knots, pairs;
};
Held memory_of(const SurfaceContact& c, const State& state, double pressure = 0) {
  Held held;
  c.start_memory(held.knots, held.pairs);
  held.pairs = c.pair(state, 0);
  const auto touches = c.touches({state, held.knots, held.pairs});
  for (std::size_t k = 0; pressure > 0 && k < touches.size(); ++k)
    held.knots[SurfaceContact::kKnot * k] = pressure * touches[k].weight,
                                       held.knots[SurfaceContact::kKnot * k + 1] = touches[k].gap;
  return held;
}
/// Forces (internal) of all nodes and their stiffness.
struct Sum {
  Eigen::VectorXd force;
  Eigen::MatrixXd tangent;
};
Sum sum_of(const SurfaceContact& c, const State& state, const Held& held) {
  const auto n = static_cast<Eigen::Index>(3 * state.position.size());
  Sum sum{Eigen::VectorXd::Zero(n), Eigen::MatrixXd::Zero(n, n)};
  const auto verdict = c.evaluate({state, held.knots, held.pairs}, true, nullptr, [&](const SurfaceContact::Group& g) {
    for (std::size_t a = 0; a < g.nodes.size(); ++a) {
      const Eigen::Index row = 3 * g.nodes[a], own = 3 * static_cast<Eigen::Index>(a);
      sum.force.segment<3>(row) += g.force.segment<3>(own);
      for (std::size_t b = 0; b < g.nodes.size(); ++b)
        sum.tangent.block<3, 3>(row, 3 * g.nodes[b]) += g.tangent.block<3, 3>(own, 3 * static_cast<Eigen::Index>(b));
    }
  });
  REQUIRE(verdict == base::Verdict::good);
  return sum;
}
}  // namespace

namespace {
/// Forces in a state a little beside that in which the pairs were found: in balance, and the stiffness their
/// derivative.
/// \param rubs  the friction acts in the faces, whose gap has a lever, and its stiffness lacks how these rotation
void check_forces(const model::Model& m, bool rubs = false) {
  const SurfaceContact contact(m);
  State state = State::reference(m);
  const Held held = memory_of(contact, state, 3);
  std::mt19937 random(3);
  std::uniform_real_distribution<double> some(-0.01, 0.01);
  for (auto& x : state.position) x += Vec3(some(random), some(random), some(random));
  const Sum own = sum_of(contact, state, held);
  Vec3 force = Vec3::Zero(), moment = Vec3::Zero();
  double pushed = 0;
  for (std::size_t n = 0; n < state.position.size(); ++n) {
    const Vec3 f = own.force.segment<3>(3 * static_cast<Eigen::Index>(n));
    force += f, moment += state.position[n].cross(f), pushed += f.norm();
  }
  CHECK(pushed > 1);
  CHECK(force.norm() < 1e-13 * pushed);
  CHECK(moment.norm() < (rubs ? 0.01 : 1e-12) * pushed);
  CHECK((own.tangent - own.tangent.transpose()).norm() < 1e-11 * own.tangent.norm());
  const double h = 1e-6;
  Eigen::MatrixXd differed = Eigen::MatrixXd::Zero(own.force.size(), own.force.size());
  for (Eigen::Index i = 0; i < own.force.size(); ++i) {
    State up = state, down = state;
    up.position[static_cast<std::size_t>(i / 3)][i % 3] += h;
    down.position[static_cast<std::size_t>(i / 3)][i % 3] -= h;
    differed.col(i) = (sum_of(contact, up, held).force - sum_of(contact, down, held).force) / (2 * h);
  }
  CHECK((differed - own.tangent).norm() < (rubs ? 0.02 : 1e-6) * own.tangent.norm());
}
/// A chain of round lines.
void add_chain(model::Model& m, std::vector<model::ContactFace>& list, const Vec3& from, const Vec3& to, int count,
               double reach, int part) {
  const int first = m.node_count();
  for (int i = 0; i <= count; ++i) m.nodes.push_back(from + static_cast<double>(i) / count * (to - from));
  for (int i = 0; i < count; ++i) {
    model::ContactFace piece;
    piece.count = 2;
    piece.nodes = {first + i, first + i + 1};
    piece.reach = reach;
    piece.stiffness = 50;
    piece.part = part;
    list.push_back(piece);
  }
}
/// Gaps that count.
std::vector<double> gaps_of(const model::Model& m) {
  const SurfaceContact contact(m);
  const State state = State::reference(m);
  const Held held = memory_of(contact, state);
  std::vector<double> gaps;
  for (const auto& t : contact.touches({state, held.knots, held.pairs}))
    if (t.weight > 0) gaps.push_back(t.gap);
  return gaps;
}
}  // namespace

TEST_CASE("surfaces: forces balance, and the stiffness is their derivative", "[elements][fast]") {
  const int corners = GENERATE(3, 4, 9);
  const double reach = GENERATE(0.0, 0.03);
  auto m = two_grids(2, 3, corners, 2 * reach + 0.001, 0.02);
  for (auto* faces : {&m.contacts[0].followers, &m.contacts[0].leaders})
    for (auto& f : *faces) f.reach = reach;
  check_forces(m);
}

TEST_CASE("surfaces: friction balances, and what sticks has its derivative for a stiffness", "[elements][fast]") {
  const int corners = GENERATE(3, 4, 9);
  auto m = two_grids(2, 3, corners, 0.001, 0);
  m.contacts[0].friction = 1e3;
  check_forces(m, true);
}

TEST_CASE("surfaces: forces of lines balance, and their stiffness is the derivative", "[elements][fast]") {
  std::mt19937 random(5);
  model::Model m;
  model::Contact contact;
  const double reach = 0.05;
  SECTION("over faces, whichever side is said to lead") {
    const int corners = GENERATE(3, 4, 9);
    const bool leads = GENERATE(false, true);
    add_chain(m, leads ? contact.leaders : contact.followers, {0.1, 0.2, reach}, {0.9, 0.7, reach}, 3, reach, 0);
    add_grid(m, leads ? contact.followers : contact.leaders, 2, corners, 0, true, 0.02, random);
  }
  SECTION("other lines, from side by side to right across") {
    const double rotated = GENERATE(0.0, 0.02, 0.06, 0.4, 1.6);
    const Vec3 way(std::cos(rotated), std::sin(rotated), 0.01), middle(0.5, 0.03, 2.05 * reach);
    add_chain(m, contact.followers, {0, 0, 0}, {1, 0, 0}, 2, reach, 0);
    add_chain(m, contact.leaders, middle - 0.5 * way, middle + 0.5 * way, 3, reach, 1);
  }
  SECTION("the tip of one of them") {
    const bool leads = GENERATE(false, true);
    add_chain(m, leads ? contact.leaders : contact.followers, {0, 0, 0}, {1, 0, 0}, 2, reach, leads ? 1 : 0);
    add_chain(m, leads ? contact.followers : contact.leaders, {0.4, 0.1, 2.05 * reach}, {0.5, 0.9, 0.7}, 3, reach,
              leads ? 0 : 1);
  }
  m.contacts = {contact};
  check_forces(m);
}

TEST_CASE("surfaces: gaps of lines are those of what they touch", "[elements][fast]") {
  std::mt19937 random(5);
  model::Model m;
  model::Contact contact;
  add_chain(m, contact.followers, {0.1, 0.5, 0.2}, {0.9, 0.5, 0.2}, 4, 0.05, 0);
  SECTION("a face below, and one above as well, each by itself") {
    add_grid(m, contact.leaders, 2, 4, 0, true, 0, random);
    for (auto& f : contact.leaders) f.part = 1, f.depth = 0.01;
    m.contacts = {contact};
    const auto one = gaps_of(m);
    CHECK(one.size() == 5);
    for (const double gap : one) CHECK(gap == Approx(0.15).epsilon(1e-12));
    const auto below = contact.leaders.size();
    add_grid(m, contact.leaders, 2, 4, 0.26, false, 0, random);
    for (auto f = contact.leaders.begin() + static_cast<std::ptrdiff_t>(below); f != contact.leaders.end(); ++f)
      f->part = 2;
    m.contacts = {contact};
    const auto both = gaps_of(m);
    CHECK(std::count_if(both.begin(), both.end(), [](double g) { return std::abs(g - 0.15) < 1e-12; }) == 5);
    CHECK(std::count_if(both.begin(), both.end(), [](double g) { return std::abs(g - 0.01) < 1e-12; }) == 5);
  }
  SECTION("a line beside, across, and past its end") {
    const auto [from, to, gap] = GENERATE(std::tuple(Vec3(0, 0.5, 0.06), Vec3(1, 0.5, 0.06), 0.06),
                                          std::tuple(Vec3(0.35, 0, 0.05), Vec3(0.35, 0.9, 0.05), 0.07),
                                          std::tuple(Vec3(0.2, 0.1, 0.02), Vec3(0.8, 0.9, 0.02), 0.1),
                                          std::tuple(Vec3(1.2, 0, 0.2), Vec3(1.2, 0.9, 0.2), -1.0));
    add_chain(m, contact.leaders, from, to, 3, 0.03, 1);
    m.contacts = {contact};
    const auto gaps = gaps_of(m);
    CHECK(gaps.empty() == (gap < 0));
    for (const double g : gaps) CHECK(g == Approx(gap).epsilon(1e-9));
  }
}

TEST_CASE("surfaces: a uniform pressure passes through meshes that do not match", "[elements][fast]") {
  const int corners = GENERATE(3, 4, 9);
  const auto [upper, lower] = GENERATE(std::pair(2, 3), std::pair(1, 7), std::pair(7, 1));
  const bool upper_follows = GENERATE(true, false);
  const auto m = two_grids(upper, lower, corners, 0, 0, upper_follows);
  const SurfaceContact contact(m);
  const State state = State::reference(m);
  const Held held = memory_of(contact, state, 2);
  const Sum sum = sum_of(contact, state, held);
  // nodal forces of a uniform pressure 2, by the faces alone
  Eigen::VectorXd wanted = Eigen::VectorXd::Zero(sum.force.size());
  for (const auto* faces : {&m.contacts[0].followers, &m.contacts[0].leaders})
    for (const auto& f : *faces) {
      const auto x = [&](std::size_t k) { return m.nodes[static_cast<std::size_t>(f.nodes[k])]; };
      const Vec3 push = f.count == 3 ? Vec3((x(1) - x(0)).cross(x(2) - x(0))) : Vec3((x(2) - x(0)).cross(x(3) - x(1)));
      for (std::size_t k = 0; k < static_cast<std::size_t>(f.count); ++k) {
        const double share = f.count == 3 ? 1. / 3 : f.count == 4 ? 0.25 : k < 4 ? 1. / 36 : k < 8 ? 1. / 9 : 4. / 9;
        wanted.segment<3>(3 * f.nodes[k]) += share * push;  // half the product is the area, twice the pressure
      }
    }
  CHECK((sum.force - wanted).norm() < 1e-12 * wanted.norm());
}

TEST_CASE("surfaces: only what faces each other and is nearest lies opposite", "[elements][fast]") {
  std::mt19937 random(1);
  model::Model m;
  model::Contact contact;
  add_grid(m, contact.followers, 2, 4, 0.1, false, 0, random);
  add_grid(m, contact.leaders, 2, 4, 0, true, 0, random);
  SECTION("a second sheet behind the first is not seen") {
    add_grid(m, contact.leaders, 2, 4, -0.1, true, 0, random);
    m.contacts = {contact};
    const SurfaceContact both(m);
    const State state = State::reference(m);
    const Held held = memory_of(both, state);
    for (const auto& t : both.touches({state, held.knots, held.pairs})) CHECK(t.gap == Approx(0.1).epsilon(1e-12));
  }
  SECTION("a back is not seen") {
    for (auto& f : contact.leaders) std::swap(f.nodes[1], f.nodes[3]);
    m.contacts = {contact};
    const SurfaceContact backs(m);
    CHECK(backs.pair(State::reference(m), 0).empty());
  }
  SECTION("half covered, the area is half") {
    for (std::size_t n = 9; n < 18; ++n) m.nodes[n].x() *= 0.5;
    m.contacts = {contact};
    const SurfaceContact half(m);
    const State state = State::reference(m);
    const Held held = memory_of(half, state);
    double area = 0;
    for (const auto& t : half.touches({state, held.knots, held.pairs})) area += t.weight;
    CHECK(area == Approx(0.5).epsilon(1e-12));
  }
  SECTION("within one surface each pair counts once, and neighbours do not touch") {
    model::Contact own;
    own.followers = contact.followers;
    own.followers.insert(own.followers.end(), contact.leaders.begin(), contact.leaders.end());
    m.contacts = {own};
    const SurfaceContact within(m);
    const State state = State::reference(m);
    const Held held = memory_of(within, state);
    double area = 0;
    for (const auto& t : within.touches({state, held.knots, held.pairs})) area += t.weight;
    CHECK(area == Approx(1).epsilon(1e-12));
  }
}

TEST_CASE("surfaces: what lies far from the origin is found as what lies near to it", "[elements][fast]") {
  const int corners = GENERATE(3, 4, 9);
  CAPTURE(corners);
  const auto near = two_grids(3, 4, corners, 0.05, 0.02);
  auto far = near;
  for (auto& x : far.nodes) x += Vec3(31234.567, -48765.432, 15432.109);
  const SurfaceContact one(near), other(far);
  std::vector<double> knots, pairs, far_knots, far_pairs;
  one.start_memory(knots, pairs);
  other.start_memory(far_knots, far_pairs);
  REQUIRE(!pairs.empty());
  REQUIRE(far_pairs.size() == pairs.size());
  const State here = State::reference(near), there = State::reference(far);
  CHECK(other.evaluate({there, far_knots, far_pairs}, true, nullptr, [](const SurfaceContact::Group&) {}) ==
        base::Verdict::good);
  const auto touches = one.touches({here, knots, pairs}), far_touches = other.touches({there, far_knots, far_pairs});
  for (std::size_t k = 0; k < touches.size(); ++k) {
    CHECK(far_touches[k].gap == Approx(touches[k].gap).margin(1e-9));
    CHECK(far_touches[k].weight == Approx(touches[k].weight).margin(1e-9));
  }
}

TEST_CASE("surfaces: what comes into view inside of something touches there without force", "[elements][fast]") {
  const auto m = two_grids(3, 4, 4, 0.3, 0);
  const SurfaceContact contact(m);
  std::vector<double> knots, pairs;
  contact.start_memory(knots, pairs);
  const auto lowered = [&](double gap) {
    State state = State::reference(m);
    for (std::size_t n = 0; n < 16; ++n) state.position[n].z() = gap;  // the upper grid comes first
    return state;
  };
  const State inside = lowered(-0.15);
  const auto found = contact.pair(inside, 0);
  REQUIRE(!found.empty());
  auto carried = knots;
  contact.carry_over({inside, knots, {}}, {inside, knots, found}, carried);
  for (const auto& knot : contact.touches({inside, carried, found})) {
    CHECK(knot.overlap == Approx(0.15));
    CHECK(knot.force == Approx(0).margin(1e-9));
  }
  for (const auto& knot : contact.touches({lowered(-0.16), carried, found})) CHECK(knot.force > 0);
  // pairs that were there before say that it has moved, and press
  auto seen = knots;
  contact.carry_over({inside, knots, found}, {inside, knots, found}, seen);
  for (const auto& knot : contact.touches({inside, seen, found})) CHECK(knot.force > 0);
  // apart again, nothing of it is left
  const State apart = lowered(0.05);
  std::vector<double> after;
  contact.remember({apart, carried, contact.pair(apart, 0)}, after);
  for (const auto& knot : contact.touches({apart, after, contact.pair(apart, 0)})) {
    CHECK(knot.overlap == 0.0);
    CHECK(knot.gap == Approx(0.05));
  }
}

TEST_CASE("surfaces: what goes out of view to the side opens bit by bit", "[elements][fast]") {
  const auto m = two_grids(3, 4, 4, 0, 0);
  const SurfaceContact contact(m);
  std::vector<double> knots, pairs;
  contact.start_memory(knots, pairs);
  // the last column of the upper grid is pushed beyond the edge of the lower one, a little inside of it
  double last = 0;
  for (const double beyond : {0.9, 0.95, 0.99, 0.995, 0.998, 0.9999}) {
    State state = State::reference(m);
    for (std::size_t n = 0; n < 16; ++n) state.position[n] += Vec3(beyond, 0, -1e-3);
    const auto found = contact.pair(state, 0);
    const auto touches = contact.touches({state, knots, found});
    double force = 0, least = 0;
    for (const auto& knot : touches)
      if (knot.weight > 0) force += std::max(0.0, knot.force), least = std::min(least, knot.gap);
    CHECK(least >= -1e-3 - 1e-12);
    if (last > 0) CHECK(force <= last * (1 + 1e-9));
    last = force;
  }
  CHECK(last == 0.0);
}
