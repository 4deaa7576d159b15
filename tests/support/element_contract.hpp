#pragma once
#include <random>

#include "archway/elements/batch.hpp"
#include "support/digits.hpp"

/// What every element must keep, whatever its formulation. A new element registers with one line in test_contract.cpp.
namespace archway::test {

using base::Vec3;
using Eigen::MatrixXd;
using Eigen::VectorXd;
using elements::State;

struct Evaluation {
  VectorXd force;
  MatrixXd tangent, geometric;
};

inline Evaluation evaluate(const elements::Batch& batch, const State& state, int element,
                           const VectorXd* linear = nullptr) {
  const int n = batch.dof_count();
  Evaluation e{VectorXd::Constant(n, NAN), MatrixXd::Constant(n, n, NAN), MatrixXd::Constant(n, n, NAN)};
  (void)batch.evaluate(state, &element, 1, {e.force.data(), e.tangent.data(), e.geometric.data()},
                       {linear, nullptr, nullptr});
  return e;
}

inline VectorXd random_step(Eigen::Index size, double move, double rotation, std::mt19937& random) {
  std::uniform_real_distribution<double> uniform(-1, 1);
  VectorXd step(size);
  for (Eigen::Index i = 0; i < size; ++i) step[i] = uniform(random) * (i % model::kNodeDofs < 3 ? move : rotation);
  return step;
}

/// Rotations the whole state about the origin and shifts it.
inline State moved_rigidly(State state, const Vec3& spin, const Vec3& shift) {
  const Eigen::Quaterniond r = base::exponential(spin);
  for (std::size_t n = 0; n < state.position.size(); ++n) {
    state.position[n] = r * state.position[n] + shift;
    state.rotation[n] = r * state.rotation[n];
  }
  return state;
}

/// Difference tangent: columns by central differences of a force over multiplicative steps. Its skew part on the
/// spins (half the moments) belongs to the order of finite rotations, not to the energy, so the symmetric part is
/// compared.
/// \param force_at  the force in a state \param share  of the length, and of a radian, that a step has
template <class Force>
MatrixXd difference_tangent(const elements::Batch& batch, const State& state, int element, double length,
                            const Force& force_at, double share = 1e-6) {
  const int n = batch.dof_count();
  MatrixXd k(n, n);
  for (int j = 0; j < n; ++j) {
    const int width = batch.dofs_per_node();
    const double h = j % width < 3 ? share * length : share;
    VectorXd step = VectorXd::Zero(model::row(state.position.size()));
    step[model::row(batch.nodes(element)[j / width]) + j % width] = h;
    State plus = state, minus = state;
    plus.advance(step);
    minus.advance(-step);
    k.col(j) = (force_at(plus) - force_at(minus)) / (2 * h);
  }
  return 0.5 * (k + k.transpose());
}
inline MatrixXd difference_tangent(const elements::Batch& batch, const State& state, int element, double length) {
  return difference_tangent(batch, state, element, length,
                            [&](const State& at) { return evaluate(batch, at, element).force; });
}

/// Change of an element's energy with every degree of freedom of its own, what its points remember held.
inline VectorXd difference_force(const elements::Batch& batch, const State& state, int element, double length,
                                 const double* memory) {
  const int n = batch.dof_count(), width = batch.dofs_per_node();
  VectorXd f(n);
  for (int j = 0; j < n; ++j) {
    const double h = 1e-6 * (j % width < 3 ? length : 1);
    VectorXd step = VectorXd::Zero(model::row(state.position.size()));
    step[model::row(batch.nodes(element)[j / width]) + j % width] = h;
    State plus = state, minus = state;
    plus.advance(step);
    minus.advance(-step);
    f[j] = (batch.energy({plus, memory, nullptr}, element).stored -
            batch.energy({minus, memory, nullptr}, element).stored) /
           (2 * h);
  }
  return f;
}

inline double digits_between(const MatrixXd& a, const MatrixXd& b) {
  return matching_digits((a - b).norm() / b.norm() + 1, 1);
}

/// \param length  a typical length of the element
inline void check_element_contract(const elements::Batch& batch, const State& reference, double length, unsigned seed) {
  std::mt19937 random(seed);
  INFO("seed " << seed);
  for (int element = 0; element < batch.size(); ++element) {
    INFO("element " << element);
    State state = reference;
    state.advance(random_step(model::row(state.position.size()), 0.1 * length, 0.4, random));
    const Evaluation e = evaluate(batch, state, element);
    REQUIRE(e.force.allFinite());
    REQUIRE(e.tangent.allFinite());
    REQUIRE(e.geometric.allFinite());
    CHECK(e.tangent.isApprox(e.tangent.transpose(), 1e-12));
    CHECK(e.geometric.isApprox(e.geometric.transpose(), 1e-12));
    CHECK(digits_between(e.tangent, difference_tangent(batch, state, element, length)) >= 6);

    CHECK(digits_between(e.force, difference_force(batch, state, element, length, nullptr)) >= 6);
    CHECK(batch.energy(state, element).stored > 0);
    CHECK(batch.energy(state, element).dissipated == 0);

    // a rotation of 300 degrees rotations the force and changes nothing else
    const Vec3 spin = Vec3(1, -2, 0.5).normalized() * (300.0 * M_PI / 180.0);
    const Evaluation rotated = evaluate(batch, moved_rigidly(state, spin, Vec3(3, 1, -2) * length), element);
    const Eigen::Matrix3d r = base::exponential(spin).toRotationMatrix();
    const int width = batch.dofs_per_node();
    for (int i = 0; i < batch.nodes_per_element(); ++i)
      for (int k = 0; k + 3 <= width; k += 3) {
        const int at = width * i + k;
        CHECK((rotated.force.segment<3>(at) - r * e.force.segment<3>(at)).norm() <= 1e-9 * e.force.norm());
      }

    // rigid motion of the reference leaves it free of force
    const Evaluation rigid = evaluate(batch, moved_rigidly(reference, spin, Vec3(1, 2, 3) * length), element);
    CHECK(rigid.force.norm() <= 1e-9 * e.force.norm());

    // the forces of any state balance
    Vec3 force = Vec3::Zero(), moment = Vec3::Zero();
    for (int i = 0; i < batch.nodes_per_element(); ++i) {
      const Vec3 f = e.force.segment<3>(width * i);
      force += f;
      moment += state.position[static_cast<std::size_t>(batch.nodes(element)[i])].cross(f);
      if (width >= 6) moment += e.force.segment<3>(width * i + 3);
    }
    CHECK(force.norm() <= 1e-9 * e.force.norm());
    CHECK(moment.norm() <= 1e-9 * e.force.norm() * length * 10);

    // geometric stiffness is linear in the stress: double the small displacement, double the matrix
    const VectorXd small = random_step(model::row(state.position.size()), 1e-3 * length, 1e-3, random);
    const VectorXd twice = 2 * small;
    const MatrixXd once = evaluate(batch, reference, element, &small).geometric;
    CHECK(evaluate(batch, reference, element, &twice).geometric.isApprox(2 * once, 1e-9));
    // and is what the tangent gains to first order in that displacement, material tangent changes apart: see laws
  }
}

/// What elements keep besides when their points remember: tangents of flow and of unloading by differences, partial
/// outputs, runs of several, the same trial twice, and a committed memory that nothing touches.
/// \param size  of displacements that make the points flow
inline void check_memory_contract(const elements::Batch& batch, const State& reference, double size, double length,
                                  unsigned seed) {
  std::mt19937 random(seed);
  INFO("seed " << seed);
  REQUIRE(batch.memory_size() > 0);
  const int n = batch.dof_count();
  std::vector<double> committed(batch.memory_size());
  batch.start_memory(committed.data());
  const auto virgin = committed;
  State state = reference;
  const auto force_at = [&](const State& at, int element) {
    VectorXd f(n);
    (void)batch.evaluate(elements::Trial(at, committed.data(), nullptr), &element, 1, {f.data(), nullptr, nullptr}, {});
    return f;
  };
  for (int step = 0; step < 4; ++step) {
    // on, further on, half way back, on again
    const double way = step == 2 ? -0.4 : 1.0;
    std::mt19937 same(seed);
    state.advance(way * random_step(model::row(state.position.size()), size, size / length, same));
    std::vector<double> next = committed, again = committed;
    const auto untouched = committed;
    std::vector<int> all(static_cast<std::size_t>(batch.size()));
    for (int e = 0; e < batch.size(); ++e) all[static_cast<std::size_t>(e)] = e;
    std::vector<double> together(static_cast<std::size_t>(n) * all.size()), other = together;
    REQUIRE(batch.evaluate(elements::Trial(state, committed.data(), next.data()), all.data(), batch.size(),
                           {together.data(), nullptr, nullptr}, {}) == base::Verdict::good);
    REQUIRE(batch.evaluate(elements::Trial(state, committed.data(), again.data()), all.data(), batch.size(),
                           {other.data(), nullptr, nullptr}, {}) == base::Verdict::good);
    CHECK(together == other);
    CHECK(next == again);
    CHECK(committed == untouched);
    if (way > 0) CHECK(next != committed);  // a fastener let go does not slip back
    for (const int element : all) {
      INFO("element " << element << ", step " << step);
      MatrixXd tangent(n, n), geometric(n, n), alone(n, n);
      VectorXd f(n);
      const elements::Trial trial(state, committed.data(), nullptr);
      (void)batch.evaluate(trial, &element, 1, {f.data(), tangent.data(), geometric.data()}, {});
      CHECK(f == Eigen::Map<VectorXd>(together.data() + static_cast<std::ptrdiff_t>(n) * element, n));
      (void)batch.evaluate(trial, &element, 1, {nullptr, alone.data(), nullptr}, {});
      CHECK(alone == tangent);
      CHECK(tangent.isApprox(tangent.transpose(), 1e-9));
      const auto force = [&](const State& at) { return force_at(at, element); };
      CHECK(digits_between(tangent, difference_tangent(batch, state, element, length, force, 1e-7)) >= 4);
    }
    for (const int element : all) {
      // from the accepted state a small step is elastic: its energy is that of the force; what is lost stays lost
      INFO("energy of element " << element << ", step " << step);
      const auto then = batch.energy({state, next.data(), nullptr}, element);
      CHECK(then.dissipated >= batch.energy({state, committed.data(), nullptr}, element).dissipated);
      VectorXd f(n);
      (void)batch.evaluate({state, next.data(), nullptr}, &element, 1, {f.data(), nullptr, nullptr}, {});
      CHECK(digits_between(f, difference_force(batch, state, element, length, next.data())) >= 5);
    }
    committed = next;
  }
  CHECK(committed != virgin);
}

}  // namespace archway::test
