#include "archway/material/logarithmic.hpp"

#include <array>
#include <cmath>

#include <Eigen/Eigenvalues>

namespace archway::material {

namespace {
/// Half the logarithm of 1 + 2 e with its divided differences, which stay smooth where arguments meet.
double value(double e) {
  return 0.5 * std::log1p(2 * e);
}
/// (value(a) - value(b)) / (a - b).
double first(double a, double b) {
  const double mean = 1 + a + b, u = (a - b) / mean;
  const double u2 = u * u;
  return (std::abs(u) < 1e-2 ? 1 + u2 * (1.0 / 3 + u2 * (1.0 / 5 + u2 / 7)) : std::atanh(u) / u) / mean;
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

constexpr int components(int d) {
  return d * (d + 1) / 2;
}
/// Axes of a component: normal ones first, then shear 12 (23 13).
constexpr std::array<std::pair<int, int>, 6> kAxes6 = {{{0, 0}, {1, 1}, {2, 2}, {0, 1}, {1, 2}, {0, 2}}};
constexpr std::array<std::pair<int, int>, 3> kAxes3 = {{{0, 0}, {1, 1}, {0, 1}}};

template <int N>
class Logarithmic final : public Law<N> {
 public:
  static constexpr int D = N == 3 ? 2 : 3;
  static_assert(components(D) == N);
  using Vector = typename Law<N>::Vector;
  using Matrix = typename Law<N>::Matrix;
  using Square = Eigen::Matrix<double, D, D>;

  explicit Logarithmic(std::unique_ptr<Law<N>> law) : law_(std::move(law)) {}
  const std::vector<MemoryField>& memory() const override { return law_->memory(); }
  int plastic_strain_place() const override { return law_->plastic_strain_place(); }
  const Matrix& stiffness() const override { return law_->stiffness(); }

  Answer<N> respond(const Vector& strain, double free_strain, const double* before, double* after) const override {
    const Frame frame(strain);
    const Answer<N> own = law_->respond(frame.logarithm, free_strain, before, after);
    Answer<N> answer;
    answer.stress = frame.derivative.transpose() * own.stress;
    answer.tangent = frame.derivative.transpose() * own.tangent * frame.derivative + frame.curvature(own.stress);
    return answer;
  }
  Vector told(const Vector& strain, const Answer<N>& answer) const override {
    return Frame(strain).derivative.transpose().partialPivLu().solve(answer.stress);
  }

 private:
  static std::pair<int, int> axes(int component) {
    if constexpr (N == 3)
      return kAxes3[static_cast<std::size_t>(component)];
    else
      return kAxes6[static_cast<std::size_t>(component)];
  }
  /// Strains with engineering shear as a tensor; stresses have their shear whole.
  static Square tensor(const Vector& v, bool strain) {
    Square m;
    for (int k = 0; k < N; ++k) {
      const auto [i, j] = axes(k);
      m(i, j) = m(j, i) = i == j || !strain ? v[k] : 0.5 * v[k];
    }
    return m;
  }
  static Vector strain_of(const Square& m) {
    Vector v;
    for (int k = 0; k < N; ++k) {
      const auto [i, j] = axes(k);
      v[k] = i == j ? m(i, j) : 2 * m(i, j);
    }
    return v;
  }

  /// The logarithm of a strain and its derivatives, by principal axes.
  struct Frame {
    Eigen::Matrix<double, D, 1> e;
    Square n;
    std::array<Square, N> unit;  // strains of 1 in every component, in principal axes
    Vector logarithm;
    Matrix derivative;

    explicit Frame(const Vector& strain) {
      Eigen::SelfAdjointEigenSolver<Square> solver;
      solver.compute(tensor(strain, true));
      e = solver.eigenvalues();
      n = solver.eigenvectors();
      Square log = Square::Zero();
      for (int a = 0; a < D; ++a) log += value(e[a]) * n.col(a) * n.col(a).transpose();
      logarithm = strain_of(log);
      for (int k = 0; k < N; ++k) {
        auto& own = unit[static_cast<std::size_t>(k)];
        own = n.transpose() * tensor(Vector::Unit(k), true) * n;
        Square change;
        for (int a = 0; a < D; ++a)
          for (int b = 0; b < D; ++b) change(a, b) = first(e[a], e[b]) * own(a, b);
        derivative.col(k) = strain_of(n * change * n.transpose());
      }
    }

    /// Stress times the second derivative of the logarithm.
    Matrix curvature(const Vector& stress) const {
      const Square t = n.transpose() * tensor(stress, false) * n;
      Matrix sum;
      for (int i = 0; i < N; ++i)
        for (int j = i; j < N; ++j) {
          const Square &x = unit[static_cast<std::size_t>(i)], &y = unit[static_cast<std::size_t>(j)];
          double s = 0;
          for (int a = 0; a < D; ++a)
            for (int b = 0; b < D; ++b)
              for (int c = 0; c < D; ++c)
                s += t(a, b) * second(e[a], e[c], e[b]) * (x(a, c) * y(c, b) + y(a, c) * x(c, b));
          sum(i, j) = sum(j, i) = s;
        }
      return sum;
    }
  };

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
