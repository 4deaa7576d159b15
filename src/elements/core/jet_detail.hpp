#pragma once
#include <cmath>

#include <Eigen/Core>

namespace archway::elements::detail {

/// A number with its first and second derivatives by N variables: forward automatic differentiation for small elements.
template <int N>
struct Jet {
  using Vector = Eigen::Matrix<double, N, 1>;
  using Matrix = Eigen::Matrix<double, N, N>;
  double v = 0;
  Vector g = Vector::Zero();
  Matrix h = Matrix::Zero();

  Jet(double value = 0) : v(value) {}
  static Jet variable(double value, int index) {
    Jet j(value);
    j.g[index] = 1;
    return j;
  }
  /// f(this) from f, f' and f'' at its value.
  Jet through(double f, double df, double ddf) const {
    Jet j(f);
    j.g = df * g;
    j.h = df * h + ddf * g * g.transpose();
    return j;
  }
  Jet& operator+=(const Jet& o) {
    v += o.v, g += o.g, h += o.h;
    return *this;
  }
  Jet& operator-=(const Jet& o) {
    v -= o.v, g -= o.g, h -= o.h;
    return *this;
  }
};

template <int N>
Jet<N> operator+(Jet<N> a, const Jet<N>& b) {
  return a += b;
}
template <int N>
Jet<N> operator-(Jet<N> a, const Jet<N>& b) {
  return a -= b;
}
template <int N>
Jet<N> operator*(const Jet<N>& a, const Jet<N>& b) {
  Jet<N> j(a.v * b.v);
  j.g = a.v * b.g + b.v * a.g;
  j.h = a.v * b.h + b.v * a.h + a.g * b.g.transpose() + b.g * a.g.transpose();
  return j;
}
template <int N>
Jet<N> operator*(double a, Jet<N> b) {
  b.v *= a, b.g *= a, b.h *= a;
  return b;
}
template <int N>
Jet<N> operator/(const Jet<N>& a, const Jet<N>& b) {
  return a * b.through(1 / b.v, -1 / (b.v * b.v), 2 / (b.v * b.v * b.v));
}
template <int N>
Jet<N> sqrt(const Jet<N>& a) {
  const double r = std::sqrt(a.v);
  return a.through(r, 0.5 / r, -0.25 / (r * a.v));
}

}  // namespace archway::elements::detail
