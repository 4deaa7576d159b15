#pragma once
#include <cmath>
#include <functional>
#include <vector>

#include <Eigen/Dense>

/// Closed forms and the differential equation of the inextensible elastica, for paths in a plane: what tests compare
/// with, written without anything of the library.
namespace archway::test {

/// Pinned strut of E I = 1, L = 1 whose ends are inclined by `slope`: load over pi^2 and end shortening.
/// [TimoshenkoGere1961] 2.7
struct Elastica {
  double load = 0, shortening = 0, middle = 0;
};
inline Elastica pinned_elastica(double slope) {
  const double k = std::sin(slope / 2), first = std::comp_ellint_1(k), second = std::comp_ellint_2(k);
  return {std::pow(2 * first / M_PI, 2), 2 - 2 * second / first, k / first};
}

/// x, y, angle and curvature excess m = E I (angle' - angle0') along the arc, under end forces (h, v) at its start.
struct ArcState {
  double x = 0, y = 0, angle = 0, moment = 0;
};
/// Runge-Kutta of fourth order from a start along an arc. \param curvature  of the unloaded rod; E I = 1
/// \param h, v  force on the start of the rod
inline ArcState along_arc(ArcState s, double length, double curvature, double h, double v, int steps = 400) {
  const auto rate = [&](const Eigen::Vector4d& y) {
    return Eigen::Vector4d(std::cos(y[2]), std::sin(y[2]), curvature + y[3], h * std::sin(y[2]) - v * std::cos(y[2]));
  };
  Eigen::Vector4d y(s.x, s.y, s.angle, s.moment);
  const double d = length / steps;
  for (int i = 0; i < steps; ++i) {
    const Eigen::Vector4d a = rate(y), b = rate(y + d / 2 * a), c = rate(y + d / 2 * b), e = rate(y + d * c);
    y += d / 6 * (a + 2 * b + 2 * c + e);
  }
  return {y[0], y[1], y[2], y[3]};
}

/// Newton's method with differences, from a start. \return the root, NaN where none is found
inline Eigen::VectorXd root_of(const std::function<Eigen::VectorXd(const Eigen::VectorXd&)>& f, Eigen::VectorXd x) {
  for (int i = 0; i < 60; ++i) {
    const Eigen::VectorXd value = f(x);
    if (value.norm() < 1e-11) return x;
    Eigen::MatrixXd slope(value.size(), x.size());
    for (Eigen::Index k = 0; k < x.size(); ++k) {
      Eigen::VectorXd there = x;
      there[k] += 1e-6;
      slope.col(k) = (f(there) - value) / 1e-6;
    }
    Eigen::VectorXd step = slope.partialPivLu().solve(value);
    if (step.norm() > 0.5) step *= 0.5 / step.norm();
    x -= step;
  }
  return Eigen::VectorXd::Constant(x.size(), NAN);
}

}  // namespace archway::test
