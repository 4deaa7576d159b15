#include "archway/material/logarithmic.hpp"

#include <array>
#include <cmath>
#include <type_traits>

#include "archway/base/dense.hpp"

namespace archway::material {

namespace {
/// Half the logarithm of 1 + 2 e with its divided differences, which stay smooth where arguments meet.
double value(double e) {
  return 0.5 * std::log1p(2 * e);
}
/// (value(a) - value(b)) / (a - b).
double first(double a, double b) {
  const double mean = 1 + a + b, u = (a - b) / mean, u2 = u * u;
  return (std::abs(u) < 3e-2 ? 1 + u2 * (1.0 / 3 + u2 * (1.0 / 5 + u2 * (1.0 / 7 + u2 / 9))) : std::atanh(u) / u) /
         mean;
}
/// Second divided difference of three arguments in any order.
double second(double a, double b, double c) {
  if (a > b) std::swap(a, b);
  if (b > c) std::swap(b, c);
  if (a > b) std::swap(a, b);
  const double mean = 1 + 2 * (a + b + c) / 3, spread = (c - a) / mean;
  if (std::abs(spread) > 1e-3) return (first(a, b) - first(b, c)) / (a - c);
  // the first two terms of the series about the mean
  const double x = 2 * a - mean + 1, y = 2 * b - mean + 1, z = 2 * c - mean + 1;
  return -(1 + (x * x + y * y + z * z) / (4 * mean * mean)) / (mean * mean);
}

/// In the plane the principal axes follow from one angle.
struct PlaneFrame {
  double f1 = 0, f2 = 0, f12 = 0, f111 = 0, f222 = 0, f112 = 0, f122 = 0;
  Eigen::Matrix3d rotation;  // strains with engineering shear into principal axes; its transpose brings stresses back
  Eigen::Vector3d logarithm;
  Eigen::Matrix3d derivative;

  explicit PlaneFrame(const Eigen::Vector3d& e) {
    const double middle = 0.5 * (e[0] + e[1]), half = 0.5 * (e[0] - e[1]), shear = 0.5 * e[2];
    const double radius = std::hypot(half, shear), e1 = middle + radius, e2 = middle - radius;
    const double cos2 = radius > 0 ? half / radius : 1, sin2 = radius > 0 ? shear / radius : 0;
    const double cc = 0.5 * (1 + cos2), ss = 0.5 * (1 - cos2), cs = 0.5 * sin2;
    rotation << cc, ss, cs, ss, cc, -cs, -sin2, sin2, cos2;
    Eigen::Matrix3d back;
    back << cc, ss, -cs, ss, cc, cs, sin2, -sin2, cos2;
    f1 = first(e1, e1), f2 = first(e2, e2), f12 = first(e1, e2);
    f111 = second(e1, e1, e1), f222 = second(e2, e2, e2), f112 = second(e1, e1, e2), f122 = second(e1, e2, e2);
    logarithm = back * Eigen::Vector3d(value(e1), value(e2), 0);
    derivative.noalias() = back * (Eigen::Vector3d(f1, f2, f12).asDiagonal() * rotation);
  }

  /// Stress times the second derivative of the logarithm.
  Eigen::Matrix3d curvature(const Eigen::Vector3d& stress) const {
    // stresses rotation as strains do, shear whole instead of twice
    const Eigen::Vector3d t(
        rotation(0, 0) * stress[0] + rotation(0, 1) * stress[1] + 2 * rotation(0, 2) * stress[2],
        rotation(1, 0) * stress[0] + rotation(1, 1) * stress[1] + 2 * rotation(1, 2) * stress[2],
        0.5 * (rotation(2, 0) * stress[0] + rotation(2, 1) * stress[1]) + rotation(2, 2) * stress[2]);
    Eigen::Matrix3d h;
    h << 2 * t[0] * f111, 0, t[2] * f112, 0, 2 * t[1] * f222, t[2] * f122, t[2] * f112, t[2] * f122,
        0.5 * (t[0] * f112 + t[1] * f122);
    return rotation.transpose() * h * rotation;
  }
};

/// In space by the solution of the eigenvalue problem.
struct SolidFrame {
  using Vector = Eigen::Matrix<double, 6, 1>;
  using Matrix = Eigen::Matrix<double, 6, 6>;
  using Square = Eigen::Matrix3d;
  /// Axes of a component: normal ones first, then shear 12 23 13.
  static constexpr std::array<std::pair<int, int>, 6> kAxes = {{{0, 0}, {1, 1}, {2, 2}, {0, 1}, {1, 2}, {0, 2}}};

  Eigen::Vector3d e;
  Square n;
  std::array<Square, 6> unit;  // strains of 1 in every component, in principal axes
  Vector logarithm;
  Matrix derivative;

  explicit SolidFrame(const Vector& strain) {
    const base::PrincipalAxes solver(tensor(strain, true));
    e = solver.eigenvalues();
    n = solver.eigenvectors();
    logarithm = strain_of(n * Eigen::Vector3d(value(e[0]), value(e[1]), value(e[2])).asDiagonal() * n.transpose());
    Square slope;
    for (int a = 0; a < 3; ++a)
      for (int b = a; b < 3; ++b) slope(a, b) = slope(b, a) = first(e[a], e[b]);
    for (int k = 0; k < 6; ++k) {
      auto& own = unit[static_cast<std::size_t>(k)];
      own = n.transpose() * tensor(Vector::Unit(k), true) * n;
      derivative.col(k) = strain_of(n * slope.cwiseProduct(own) * n.transpose());
    }
  }

  /// Stress times the second derivative of the logarithm.
  Matrix curvature(const Vector& stress) const {
    const Square t = n.transpose() * tensor(stress, false) * n;
    // weights of x(a, c) y(c, b), one matrix over (a, b) a c
    std::array<Square, 3> weight;
    for (int c = 0; c < 3; ++c)
      for (int a = 0; a < 3; ++a)
        for (int b = a; b < 3; ++b) {
          auto& own = weight[static_cast<std::size_t>(c)];
          own(a, b) = own(b, a) = 2 * t(a, b) * second(e[a], e[c], e[b]);
        }
    Matrix sum = Matrix::Zero();
    for (std::size_t c = 0; c < 3; ++c) {
      Eigen::Matrix<double, 3, 6> columns;
      for (std::size_t k = 0; k < 6; ++k)
        columns.col(static_cast<Eigen::Index>(k)) = unit[k].col(static_cast<Eigen::Index>(c));
      sum.noalias() += columns.transpose() * weight[c] * columns;
    }
    return sum;
  }

 private:
  /// Strains with engineering shear as a tensor; stresses have their shear whole.
  static Square tensor(const Vector& v, bool strain) {
    Square m;
    for (std::size_t k = 0; k < 6; ++k) {
      const auto [i, j] = kAxes[k];
      const double own = v[static_cast<Eigen::Index>(k)];
      m(i, j) = m(j, i) = i == j || !strain ? own : 0.5 * own;
    }
    return m;
  }
  static Vector strain_of(const Square& m) {
    Vector v;
    for (std::size_t k = 0; k < 6; ++k) {
      const auto [i, j] = kAxes[k];
      v[static_cast<Eigen::Index>(k)] = i == j ? m(i, j) : 2 * m(i, j);
    }
    return v;
  }
};

template <int N>
class Logarithmic final : public Law<N> {
 public:
  using Vector = typename Law<N>::Vector;
  using Matrix = typename Law<N>::Matrix;
  using Frame = std::conditional_t<N == 3, PlaneFrame, SolidFrame>;

  explicit Logarithmic(std::unique_ptr<Law<N>> law) : law_(std::move(law)) {}
  const std::vector<MemoryField>& memory() const override { return law_->memory(); }
  int plastic_strain_place() const override { return law_->plastic_strain_place(); }
  const Matrix& stiffness() const override { return law_->stiffness(); }

  Answer<N> respond(const Vector& strain, double free_strain, const double* before, double* after) const override {
    const Frame frame(strain);
    const Answer<N> own = law_->respond(frame.logarithm, free_strain, before, after);
    Answer<N> answer;
    answer.stress.noalias() = frame.derivative.transpose() * own.stress;
    answer.tangent = frame.derivative.transpose() * own.tangent * frame.derivative + frame.curvature(own.stress);
    return answer;
  }
  Energy energy(const Vector& strain, double free_strain, const double* memory) const override {
    return law_->energy(Frame(strain).logarithm, free_strain, memory);
  }
  Vector told(const Vector& strain, const Answer<N>& answer) const override {
    return base::solve_full_pivot(Frame(strain).derivative.transpose(), answer.stress);
  }

 private:
  std::unique_ptr<Law<N>> law_;
};
}  // namespace

template <int N>
std::unique_ptr<Law<N>> logarithmic(std::unique_ptr<Law<N>> law) {
  return std::make_unique<Logarithmic<N>>(std::move(law));
}
template std::unique_ptr<Law<3>> logarithmic<3>(std::unique_ptr<Law<3>>);
template std::unique_ptr<Law<6>> logarithmic<6>(std::unique_ptr<Law<6>>);

}  // namespace archway::material
