#pragma once
#include "archway/elements/solid.hpp"

/// Strains of solids at their points, and integrals over them.
namespace archway::elements::solids {

using Data = SolidBatch::Data;
using GaussPoint = SolidBatch::GaussPoint;
using Strain = SolidBatch::Strain;
using Matrix6 = Eigen::Matrix<double, 6, 6>;
using Rows = Eigen::Matrix<double, 6, Eigen::Dynamic, Eigen::ColMajor, 6, 60>;
constexpr std::size_t kMostPoints = 27;
constexpr std::array<std::array<int, 2>, 6> kPairs = {{{0, 0}, {1, 1}, {2, 2}, {0, 1}, {1, 2}, {0, 2}}};

/// dx/dX at points of an element, its Gauss points or others; columns: dx/dX_i.
class Deformations {
 public:
  Deformations(const Data& data, int nodes, const State& state) : Deformations(data, data.points, nodes, state) {}
  Deformations(const Data& data, const std::vector<GaussPoint>& points, int nodes, const State& state) {
    // the gradients sum to nothing: positions from the first node
    Eigen::Matrix<double, 3, Eigen::Dynamic, Eigen::ColMajor, 3, 20> from_first(3, nodes);
    for (int i = 0; i < nodes; ++i)
      from_first.col(i) = state.between(data.nodes[0], data.nodes[static_cast<std::size_t>(i)]);
    for (std::size_t p = 0; p < points.size(); ++p)
      list_[p].noalias() = from_first.lazyProduct(points[p].gradient.transpose());
  }
  const Mat3& operator[](std::size_t point) const { return list_[point]; }

 private:
  std::array<Mat3, kMostPoints> list_;
};

inline Strain green(const Mat3& f) {
  const Mat3 c = f.transpose() * f;
  Strain e;
  for (std::size_t k = 0; k < 6; ++k) {
    const auto [i, j] = kPairs[k];
    e[static_cast<Eigen::Index>(k)] = i == j ? 0.5 * (c(i, i) - 1) : c(i, j);
  }
  return e;
}

/// Derivatives of the strain by the displacements of the nodes. \param b  6 x 3 nodes
template <class Out>
void fill_strain_rows(const GaussPoint& point, const Mat3& f, Out&& b) {
  for (Eigen::Index n = 0; n < point.gradient.cols(); ++n)
    for (std::size_t k = 0; k < 6; ++k) {
      const auto [i, j] = kPairs[k];
      const auto row = static_cast<Eigen::Index>(k);
      if (i == j)
        b.template block<1, 3>(row, 3 * n) = point.gradient(i, n) * f.col(i).transpose();
      else
        b.template block<1, 3>(row, 3 * n) =
            point.gradient(i, n) * f.col(j).transpose() + point.gradient(j, n) * f.col(i).transpose();
    }
}
inline Rows strain_rows(const GaussPoint& point, const Mat3& f) {
  Rows b(6, 3 * point.gradient.cols());
  fill_strain_rows(point, f, b);
  return b;
}

/// Integrals over an element as products of matrices that hold the rows of all points: f = B^T s, K = B^T C B and
/// G^T S G, of which the lower triangles are computed. Products of that size use the processor several times better
/// than one small product a point.
class Integrals {
 public:
  Integrals(const Data& data, int nodes, const State& state)
      : data_(data), deformations_(data, nodes, state), points_(static_cast<Eigen::Index>(data.points.size())) {
    const Eigen::Index n = 3 * nodes;
    rows_.resize(6 * points_, n);
    for (Eigen::Index p = 0; p < points_; ++p)
      fill_strain_rows(point(p), deformations_[static_cast<std::size_t>(p)], rows_.middleRows<6>(6 * p));
  }

  /// \param stress  of every point
  template <class Stress>
  void force(const Stress& stress, double* out) const {
    Eigen::Matrix<double, Eigen::Dynamic, 1, Eigen::ColMajor, 6 * kMostPoints, 1> all(6 * points_);
    for (Eigen::Index p = 0; p < points_; ++p) all.segment<6>(6 * p) = point(p).weight * stress(p);
    Eigen::Map<Eigen::VectorXd>(out, rows_.cols()).noalias() = rows_.transpose() * all;
  }
  /// Adds to the lower triangle of k. \param tangent  of every point
  /// \param enhanced  modes^T C B, added to; nullptr: no modes
  template <class Tangent, class Matrix>
  void stiffness(const Tangent& tangent, Matrix& k, Eigen::Matrix<double, 21, Eigen::Dynamic>* enhanced) const {
    AllRows pulled(rows_.rows(), rows_.cols());
    for (Eigen::Index p = 0; p < points_; ++p) {
      const Matrix6 c = point(p).weight * tangent(p);
      pulled.template middleRows<6>(6 * p).noalias() = c.lazyProduct(rows_.middleRows<6>(6 * p));
      if (enhanced != nullptr) enhanced->noalias() += point(p).modes.transpose() * pulled.template middleRows<6>(6 * p);
    }
    k.template triangularView<Eigen::Lower>() += rows_.transpose() * pulled;
  }
  /// Adds the terms of the second order in the displacements to the lower triangle of k.
  template <class Stress, class Matrix>
  void geometric(const Stress& stress, Matrix& k) const {
    const Eigen::Index nodes = rows_.cols() / 3;
    AllGradients gradients(3 * points_, nodes), pulled(3 * points_, nodes);
    for (Eigen::Index p = 0; p < points_; ++p) {
      const Strain own = point(p).weight * stress(p);
      Mat3 s;
      s << own[0], own[3], own[5], own[3], own[1], own[4], own[5], own[4], own[2];
      gradients.template middleRows<3>(3 * p) = point(p).gradient;
      pulled.template middleRows<3>(3 * p).noalias() = s.lazyProduct(point(p).gradient);
    }
    Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::ColMajor, 20, 20> g(nodes, nodes);
    g.setZero();
    g.template triangularView<Eigen::Lower>() += gradients.transpose() * pulled;
    for (Eigen::Index j = 0; j < nodes; ++j)
      for (Eigen::Index i = j; i < nodes; ++i) k.template block<3, 3>(3 * i, 3 * j).diagonal().array() += g(i, j);
  }

 private:
  using AllRows = Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::ColMajor, 6 * kMostPoints, 60>;
  using AllGradients = Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::ColMajor, 3 * kMostPoints, 20>;
  const GaussPoint& point(Eigen::Index p) const { return data_.points[static_cast<std::size_t>(p)]; }

  const Data& data_;
  const Deformations deformations_;
  const Eigen::Index points_;
  AllRows rows_;
};

/// Of the stiffness of an element, lower triangle.
using Square = Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::ColMajor, 60, 60>;

inline void write_whole(const Square& lower, double* out) {
  Eigen::Map<Eigen::MatrixXd>(out, lower.rows(), lower.cols()) = lower.selfadjointView<Eigen::Lower>();
}

}  // namespace archway::elements::solids
