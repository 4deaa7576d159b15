#pragma once
#include <memory>

#include "archway/base/shape_functions.hpp"
#include "archway/elements/shell_measured.hpp"
#include "core/arms_detail.hpp"
#include "core/material_detail.hpp"

/// Measures of deformation of shells with three or nine nodes, and their derivatives: products of positions and
/// directors.
namespace archway::elements::measured {

using Eigen::Matrix2d;
using Eigen::Matrix3d;
using Eigen::MatrixXd;
using Eigen::Vector2d;
using Eigen::Vector3d;
using Eigen::VectorXd;

/// Measures of an element with three or nine nodes: what follows is of fixed size and asks for no memory.
template <int N>
constexpr int kMostMeasures = N == 9 ? 65 : 12;
template <int N>
using Measures = Eigen::Matrix<double, Eigen::Dynamic, 1, Eigen::ColMajor, kMostMeasures<N>, 1>;
template <int N>
using MeasureRows = Eigen::Matrix<double, Eigen::Dynamic, 6 * N, Eigen::ColMajor, kMostMeasures<N>, 6 * N>;
template <int N>
using Step = Eigen::Matrix<double, 6 * N, 1>;

/// What a product pairs the positions with: positions, directors, first or second in-plane axes.
enum class With { position, director, first, second };

/// factor * (sum p_i x_i) . (sum q_j v_j); part of a measure.
template <int N>
struct Product {
  using Weights = Eigen::Matrix<double, N, 1>;
  int measure = 0;
  With with = With::position;
  double factor = 1;
  Weights p = Weights::Zero(), q = Weights::Zero();
};

/// sum C_ij x_i . v_j; part of a measure.
template <int N>
struct Form {
  int measure = 0;
  With with = With::position;
  Eigen::Matrix<double, N, N> c = Eigen::Matrix<double, N, N>::Zero();
};

/// Measures first .. first + stiffness.rows() work together; one column: the diagonal, they do not.
struct Block {
  int first = 0;
  MatrixXd stiffness;
  template <class Vector>
  auto times(const Vector& strain) const {
    Eigen::Matrix<double, Eigen::Dynamic, 1, Eigen::ColMajor, 32, 1> stress(stiffness.rows());
    if (stiffness.cols() == 1)
      stress = stiffness.col(0).cwiseProduct(strain);
    else
      stress.noalias() = stiffness * strain;
    return stress;
  }
};

/// An integration point: strains of the middle surface and curvatures from the measures of membrane and bending.
struct Point {
  double weight = 0;  // area
  Eigen::Matrix<double, 3, Eigen::Dynamic> membrane, bending;
};

template <int N>
struct Element {
  std::array<int, N> nodes{};
  std::array<std::array<Vec3, N>, 3> carried;  // reference directors, first and second in-plane axes at the nodes
  std::shared_ptr<const std::vector<Product<N>>> common;  // products that all elements have; nullptr: none
  std::vector<Product<N>> products;
  std::vector<Form<N>> forms;
  /// Elastic walls: all measures. Walls whose points remember: shear, drilling and what else is stabilisation.
  std::vector<Block> blocks;
  std::vector<Point> points;                   // of elastic walls: for their stresses only
  Matrix3d membrane, bending;                  // stiffness of the elastic wall
  std::shared_ptr<const material::Wall> wall;  // that remembers; nullptr: elastic
  std::size_t memory = 0;                      // where its memory begins, point after point
  VectorXd reference;                          // measures in the reference state
  VectorXd growth;  // of the measures when the element grows freely, directors unturned, by the unit of strain
  int part = -1, measures = 0;
  double offset = 0, thickness = 0;
  Mat3 axes = Mat3::Identity();  // at the middle
  /// From measures to the resultants at the middle: N11 N22 N12 M11 M22 M12 Q1 Q2.
  Eigen::Matrix<double, 8, Eigen::Dynamic> middle;
};

template <int N>
struct Nodes {
  std::array<std::array<Vec3, N>, 4> v;  // by With; positions from the first node
  std::array<Vec3, N> arms;
};

template <int N>
Nodes<N> gather(const Element<N>& e, const State& state) {
  Nodes<N> n;
  for (std::size_t i = 0; i < N; ++i) {
    const auto node = static_cast<std::size_t>(e.nodes[i]);
    const Mat3 rotation = state.rotation[node].toRotationMatrix();
    for (std::size_t k = 0; k < 3; ++k) n.v[k + 1][i] = rotation * e.carried[k][i];
    n.arms[i] = e.offset * n.v[1][i];
    n.v[0][i] = state.between(e.nodes[0], e.nodes[i]) + n.arms[i];
  }
  return n;
}

template <int N>
Vec3 blend(const Eigen::Matrix<double, N, 1>& w, const std::array<Vec3, N>& v) {
  Vec3 sum = Vec3::Zero();
  for (int i = 0; i < N; ++i) sum += w[i] * v[static_cast<std::size_t>(i)];
  return sum;
}

/// sum over i of C_ij x_i for every j, and sum over j of C_ij v_j for every i.
template <int N>
struct FormSides {
  std::array<Vec3, N> left, right;
  FormSides(const Form<N>& form, const Nodes<N>& n) {
    const auto& with = n.v[static_cast<std::size_t>(form.with)];
    for (int i = 0; i < N; ++i) {
      left[static_cast<std::size_t>(i)] = blend<N>(form.c.col(i), n.v[0]);
      right[static_cast<std::size_t>(i)] = blend<N>(form.c.row(i).transpose(), with);
    }
  }
};

/// use(product) of all products.
template <int N, class Use>
void each_product(const Element<N>& e, const Use& use) {
  if (e.common)
    for (const auto& t : *e.common) use(t);
  for (const auto& t : e.products) use(t);
}

template <int N>
Measures<N> measures(const Element<N>& e, const Nodes<N>& n) {
  Measures<N> m = Measures<N>::Zero(e.measures);
  each_product(e, [&](const Product<N>& t) {
    m[t.measure] += t.factor * blend<N>(t.p, n.v[0]).dot(blend<N>(t.q, n.v[static_cast<std::size_t>(t.with)]));
  });
  for (const auto& form : e.forms) {
    const FormSides<N> sides(form, n);
    for (std::size_t j = 0; j < N; ++j)
      m[form.measure] += sides.left[j].dot(n.v[static_cast<std::size_t>(form.with)][j]);
  }
  return m;
}

/// d measures / d (move, spin) of the nodes.
template <int N>
MeasureRows<N> rows(const Element<N>& e, const Nodes<N>& n) {
  MeasureRows<N> b = MeasureRows<N>::Zero(e.measures, 6 * N);
  each_product(e, [&](const Product<N>& t) {
    const auto& with = n.v[static_cast<std::size_t>(t.with)];
    const Vec3 left = t.factor * blend<N>(t.p, n.v[0]), right = t.factor * blend<N>(t.q, with);
    for (int i = 0; i < N; ++i) {
      if (t.p[i] != 0.0) b.template block<1, 3>(t.measure, 6 * i) += t.p[i] * right.transpose();
      if (t.q[i] == 0.0) continue;
      if (t.with == With::position)
        b.template block<1, 3>(t.measure, 6 * i) += t.q[i] * left.transpose();
      else
        b.template block<1, 3>(t.measure, 6 * i + 3) +=
            t.q[i] * with[static_cast<std::size_t>(i)].cross(left).transpose();
    }
  });
  for (const auto& form : e.forms) {
    const FormSides<N> sides(form, n);
    for (int i = 0; i < N; ++i) {
      const auto k = static_cast<std::size_t>(i);
      b.template block<1, 3>(form.measure, 6 * i) += sides.right[k].transpose();
      if (form.with == With::position)
        b.template block<1, 3>(form.measure, 6 * i) += sides.left[k].transpose();
      else
        b.template block<1, 3>(form.measure, 6 * i + 3) +=
            n.v[static_cast<std::size_t>(form.with)][k].cross(sides.left[k]).transpose();
    }
  }
  return b;
}

template <int N>
using NodeSquare = Eigen::Matrix<double, 6 * N, 6 * N>;

/// Second-order terms of all products for given stresses.
template <int N>
void add_geometric(const Element<N>& e, const Nodes<N>& n, const Measures<N>& stress, NodeSquare<N>& k) {
  using Square = Eigen::Matrix<double, N, N>;
  std::array<Square, 4> c;
  for (auto& m : c) m.setZero();
  each_product(e, [&](const Product<N>& t) {
    c[static_cast<std::size_t>(t.with)].noalias() += (stress[t.measure] * t.factor) * t.p * t.q.transpose();
  });
  for (const auto& form : e.forms) c[static_cast<std::size_t>(form.with)] += stress[form.measure] * form.c;
  const Square both = c[0] + c[0].transpose();
  for (int i = 0; i < N; ++i)
    for (int j = 0; j < N; ++j) k.template block<3, 3>(6 * i, 6 * j).diagonal().array() += both(i, j);
  for (std::size_t w = 1; w < 4; ++w)
    for (int j = 0; j < N; ++j) {
      const Vec3& v = n.v[w][static_cast<std::size_t>(j)];
      const Mat3 rotation = base::skew(v);
      Vec3 a = Vec3::Zero();
      for (int i = 0; i < N; ++i) {
        a += c[w](i, j) * n.v[0][static_cast<std::size_t>(i)];
        k.template block<3, 3>(6 * i, 6 * j + 3) -= c[w](i, j) * rotation;
        k.template block<3, 3>(6 * j + 3, 6 * i) += c[w](i, j) * rotation;
      }
      k.template block<3, 3>(6 * j + 3, 6 * j + 3) += detail::arm_term(a, v);
    }
}

template <int N>
Step<N> step_of(const Element<N>& e, const Nodes<N>& n, const VectorXd& u) {
  Step<N> step;
  for (int i = 0; i < N; ++i) {
    const auto at = static_cast<std::size_t>(i);
    step.template segment<6>(6 * i) = u.segment<6>(model::row(e.nodes[at]));
    step.template segment<3>(6 * i) += Vec3(step.template segment<3>(6 * i + 3)).cross(n.arms[at]);
  }
  return step;
}

}  // namespace archway::elements::measured
