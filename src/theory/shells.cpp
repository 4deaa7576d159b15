#include "archway/theory/shells.hpp"

#include <algorithm>
#include <cmath>
#include <complex>

#include "archway/base/errors.hpp"
#include "line_basis_detail.hpp"

namespace archway::theory {

namespace {
constexpr double kPi_shells = 3.14159265358979323846;

void must_be_positive(std::initializer_list<double> sizes) {
  for (double s : sizes)
    if (!(s > 0)) throw base::InputError("", "the shell has no size or no stiffness", "make them larger than zero");
}

struct Walls {
  double membrane, bending;
  explicit Walls(const Cylinder& c)
      : membrane(c.youngs_modulus * c.thickness / (1 - c.poisson_ratio * c.poisson_ratio)),
        bending(membrane * c.thickness * c.thickness / 12) {}
};

/// Strains and rotations of u = U cos(a x) cos(n s), v = V sin(a x) sin(n s), w = W sin(a x) cos(n s), w outwards, as
/// rows over (U, V, W): what goes with sin(a x) cos(n s), and with cos(a x) sin(n s).
struct WaveStrains {
  Eigen::Matrix<double, 1, 3> along, around, shear, bend_along, bend_around, twist;  // strains
  Eigen::Matrix<double, 1, 3> rotation_along, rotation_around, slide_along, slide_around;
  WaveStrains(const Cylinder& c, double a, int n) {
    const double r = c.radius, k = n / r;
    const double full = c.theory == ShellTheory::sanders ? 1 : 0;
    along << -a, 0, 0;
    around << 0, k, 1 / r;
    shear << -k, a, 0;
    bend_along << 0, 0, a * a;
    bend_around << 0, full * k / r, k * k;
    twist << full * k / (2 * r), full * 1.5 * a / r, 2 * a * k;
    rotation_along << 0, 0, -a;
    rotation_around << 0, full / r, k;
    slide_along << 0, full * a, 0;   // v by x
    slide_around << full * k, 0, 0;  // u by s
  }
};

template <typename Row>
Eigen::Matrix3d square(const Row& row) {
  return row.transpose() * row;
}

Eigen::Matrix3d stiffness_of(const Cylinder& c, const WaveStrains& s) {
  const Walls wall(c);
  const double nu = c.poisson_ratio;
  const auto law = [nu](const auto& x, const auto& y, const auto& g) -> Eigen::Matrix3d {
    return square(x) + square(y) + nu * (x.transpose() * y + y.transpose() * x) + (1 - nu) / 2 * square(g);
  };
  return wall.membrane * law(s.along, s.around, s.shear) + wall.bending * law(s.bend_along, s.bend_around, s.twist);
}

/// Second variation of the enclosed volume per radius, for u, v, w as above.
Eigen::Matrix3d volume_of(double r, double a, int n) {
  Eigen::Matrix3d v = Eigen::Matrix3d::Zero();
  // [R (u_x w - u w_x) + w (v_s + w) - v (w_s - v)] / R, both end terms vanish since w does
  v(0, 2) = v(2, 0) = -a;
  v(1, 2) = v(2, 1) = n / r;
  v(2, 2) = v(1, 1) = 1 / r;
  return v;
}

/// Work of stresses per length (compression) along, around, and of pressure that rotates with the wall.
Eigen::Matrix3d work_of(const Cylinder& c, const WaveStrains& s, double a, int n, CylinderLoad load, bool dead) {
  const double r = c.radius;
  if (load == CylinderLoad::axial) return square(s.rotation_along) + square(s.slide_along);
  Eigen::Matrix3d g = r * (square(s.rotation_around) + square(s.slide_around));
  if (load == CylinderLoad::all_round_pressure) g += r / 2 * (square(s.rotation_along) + square(s.slide_along));
  if (!dead && c.theory == ShellTheory::sanders) g -= volume_of(r, a, n);
  return g;
}

int most_waves_around(const Cylinder& c) {
  // the circle of short waves reaches to n = R / sqrt(R t) [12 (1 - nu^2)]^(1/4); twice that is beyond every minimum
  return static_cast<int>(4 * std::sqrt(c.radius / c.thickness)) + 8;
}
int most_waves_along(const Cylinder& c) {
  return static_cast<int>(1.5 * c.length / std::sqrt(c.radius * c.thickness)) + 4;
}

void keep_lowest(std::vector<ShellMode>& modes, int count) {
  std::sort(modes.begin(), modes.end(), [](const auto& x, const auto& y) { return x.load < y.load; });
  if (static_cast<int>(modes.size()) > count) modes.resize(static_cast<std::size_t>(count));
}

/// 2 / L times the integral of sin(p pi x / L) cos(q pi x / L).
double crossed(int p, int q) {
  return (p + q) % 2 == 0 ? 0 : 4.0 * p / (kPi_shells * (p * p - q * q));
}

/// Torsion with n waves around: shapes with cos(n s) and sin(n s) meet, so the geometric stiffness is i times an
/// antisymmetric matrix.
double torsion_load(const Cylinder& c, int n) {
  constexpr int terms = 40;
  const int size = 3 * terms;
  Eigen::MatrixXd k = Eigen::MatrixXd::Zero(size, size), skew = k;
  std::vector<WaveStrains> waves;
  for (int m = 1; m <= terms; ++m) waves.emplace_back(c, m * kPi_shells / c.length, n);
  for (int p = 1; p <= terms; ++p) {
    const auto& sp = waves[static_cast<std::size_t>(p - 1)];
    k.block<3, 3>(3 * p - 3, 3 * p - 3) = stiffness_of(c, sp);
    for (int q = 1; q <= terms; ++q) {
      const auto& sq = waves[static_cast<std::size_t>(q - 1)];
      // rotation along goes with cos(a x), rotation around with sin(a x); a quarter wave around lies between them
      skew.block<3, 3>(3 * p - 3, 3 * q - 3) = crossed(q, p) * sp.rotation_along.transpose() * sq.rotation_around -
                                               crossed(p, q) * sp.rotation_around.transpose() * sq.rotation_along;
    }
  }
  return detail::lowest_skew_factor(k, skew);
}
}  // namespace

std::vector<ShellMode> cylinder_modes(const Cylinder& c, CylinderLoad load, int count, bool fixed_direction) {
  must_be_positive({c.youngs_modulus, c.radius, c.thickness, c.length});
  std::vector<ShellMode> modes;
  if (load == CylinderLoad::torsion) {
    for (int n = 2; n <= most_waves_around(c); ++n) {
      modes.push_back({torsion_load(c, n), 0, n});
      const std::size_t last = modes.size() - 1;  // one valley: two rises in a row and it is behind us
      if (last > 1 && modes[last].load > modes[last - 1].load && modes[last - 1].load > modes[last - 2].load) break;
    }
    keep_lowest(modes, count);
    return modes;
  }
  for (int m = 1; m <= most_waves_along(c); ++m)
    for (int n = load == CylinderLoad::axial ? 0 : 2; n <= most_waves_around(c); ++n) {
      const double a = m * kPi_shells / c.length;
      const WaveStrains strains(c, a, n);
      Eigen::MatrixXd k = stiffness_of(c, strains), g = -work_of(c, strains, a, n, load, fixed_direction);
      if (n == 0) k = detail::reduced(k, {1}), g = detail::reduced(g, {1});  // no displacement around
      const auto factors = detail::lowest_factors(k, g, 1);
      if (!factors.empty()) modes.push_back({factors[0], m, n});
    }
  keep_lowest(modes, count);
  return modes;
}

ShellMode cylinder_bending(const Cylinder& c) {
  must_be_positive({c.youngs_modulus, c.radius, c.thickness, c.length});
  const int size = 2 * most_waves_around(c);
  const Walls wall(c);
  ShellMode best{HUGE_VAL, 0, 0};
  for (int m = 1; m <= most_waves_along(c); ++m) {
    const double a = m * kPi_shells / c.length;
    Eigen::MatrixXd k = Eigen::MatrixXd::Zero(size, size), g = k;
    for (int n = 0; n < size; ++n) {
      const double b = n / c.radius, sum = a * a + b * b;
      k(n, n) = wall.bending * sum * sum +
                c.youngs_modulus * c.thickness * std::pow(a, 4) / (c.radius * c.radius * sum * sum);
      if (n > 0) g(n, n - 1) = g(n - 1, n) = -a * a * (n == 1 ? std::sqrt(0.5) : 0.5);
    }
    const auto factors = detail::lowest_factors(k, g, 1);
    if (!factors.empty() && factors[0] < best.load) best = {factors[0], m, 0};
  }
  return best;
}

double cone_axial_force(const Cone& c) {
  const double cosine = std::cos(c.half_angle_degrees * kPi_shells / 180);
  return 2 * kPi_shells * c.youngs_modulus * c.thickness * c.thickness * cosine * cosine /
         std::sqrt(3 * (1 - c.poisson_ratio * c.poisson_ratio));
}

double cone_moment(const Cone& c) {
  must_be_positive({c.small_radius});
  return 0.5 * c.small_radius * cone_axial_force(c);
}

ShellMode cone_pressure(const Cone& c) {
  const double angle = c.half_angle_degrees * kPi_shells / 180, cosine = std::cos(angle);
  must_be_positive({c.small_radius, c.large_radius - c.small_radius, std::sin(angle)});
  const Cylinder equal{c.youngs_modulus,
                       c.poisson_ratio,
                       (c.small_radius + c.large_radius) / (2 * cosine),
                       c.thickness,
                       (c.large_radius - c.small_radius) / std::sin(angle),
                       ShellTheory::sanders};
  return cylinder_modes(equal, CylinderLoad::all_round_pressure, 1)[0];
}

double sphere_pressure(double youngs_modulus, double poisson_ratio, double radius, double thickness) {
  const double slender = thickness / radius;
  return 2 * youngs_modulus * slender * slender / std::sqrt(3 * (1 - poisson_ratio * poisson_ratio));
}

double arch_pressure(double bending_rigidity, double radius, double opening_degrees, bool fixed_ends) {
  const double a = opening_degrees * kPi_shells / 360;
  must_be_positive({bending_rigidity, radius, a, kPi_shells - a});
  double k = kPi_shells / a;
  if (fixed_ends) {
    // k tan a = tan k a, first root beyond pi / a, where tan k a has come back to zero and rises to infinity
    double low = kPi_shells / a * (1 + 1e-12), high = 1.5 * kPi_shells / a * (1 - 1e-12);
    if (std::tan(a) < 0) low = 0.5 * kPi_shells / a * (1 + 1e-12), high = kPi_shells / a;
    const auto miss = [a](double at) { return std::tan(at * a) - at * std::tan(a); };
    for (int step = 0; step < 200; ++step) {
      const double middle = (low + high) / 2;
      (miss(middle) < 0 ? low : high) = middle;
    }
    k = low;
  }
  return (k * k - 1) * bending_rigidity / std::pow(radius, 3);
}

}  // namespace archway::theory
