#include <cmath>

#include "archway/analysis/reduced_model.hpp"
#include "archway/base/dense.hpp"
#include "archway/base/index.hpp"

namespace archway::analysis {

namespace {
using base::at;
using Eigen::MatrixXd;
using Eigen::VectorXd;

/// Value at a load factor of what is known at three.
MatrixXd between(const std::vector<double>& at_factors, const std::vector<MatrixXd>& known, double f) {
  const double a = at_factors[0], b = at_factors[1], c = at_factors[2];
  return (f - b) * (f - c) / ((a - b) * (a - c)) * known[0] + (f - a) * (f - c) / ((b - a) * (b - c)) * known[1] +
         (f - a) * (f - b) / ((c - a) * (c - b)) * known[2];
}
MatrixXd slope_between(const std::vector<double>& at_factors, const std::vector<MatrixXd>& known, double f) {
  const double a = at_factors[0], b = at_factors[1], c = at_factors[2];
  return (2 * f - b - c) / ((a - b) * (a - c)) * known[0] + (2 * f - a - c) / ((b - a) * (b - c)) * known[1] +
         (2 * f - a - b) / ((c - a) * (c - b)) * known[2];
}

/// Equilibrium of the reduced structure, amplitudes in units of the reach and load factors in units of the critical.
class Follower {
 public:
  Follower(const ReducedModel& model, const VectorXd& imperfection)
      : model_(model), imperfection_(imperfection), unit_(model.reach), size_(model.modes()) {}

  ReducedPeak peak() {
    ReducedPeak result;
    VectorXd now = VectorXd::Zero(size_ + 1);
    now[size_] = model_.at.front() / model_.critical;
    if (!correct(now, VectorXd::Unit(size_ + 1, size_), 0)) return result;
    VectorXd way = VectorXd::Unit(size_ + 1, size_);
    const double highest = 1.5 * model_.mode_factors.back() / model_.critical;
    double step = 0.05;
    while (step > 1e-9) {
      const VectorXd tangent = direction(now, way);
      VectorXd next = now + step * tangent;
      if (!correct(next, tangent, tangent.dot(next)) || (next - now).norm() > 2 * step ||
          direction(next, tangent).dot(tangent) < 0.9) {
        step *= 0.5;
        continue;
      }
      if (!stable(next)) return between_states(now, next);
      if (next[size_] > highest || next.head(size_).norm() > 40) return result;
      now = next;
      way = tangent;
      step = std::min(1.4 * step, 0.25);
    }
    return result;
  }

 private:
  double factor(const VectorXd& x) const { return x[size_] * model_.critical; }
  VectorXd amplitude(const VectorXd& x) const { return x.head(size_).cwiseProduct(unit_); }

  VectorXd gap(const VectorXd& x) const {
    const VectorXd a = amplitude(x);
    VectorXd g = model_.stiffness_at(factor(x)) * a + model_.forcing_at(factor(x)) * imperfection_;
    for (const auto& term : model_.terms)
      for (std::size_t k = 0; k < term.modes.size(); ++k) {
        double rest = term.coefficient;
        for (std::size_t l = 0; l < term.modes.size(); ++l)
          if (l != k) rest *= a[term.modes[l]];
        g[term.modes[k]] += rest;
      }
    return g.cwiseProduct(unit_);
  }
  MatrixXd hessian(const VectorXd& x) const {
    const VectorXd a = amplitude(x);
    MatrixXd h = model_.stiffness_at(factor(x));
    for (const auto& term : model_.terms)
      for (std::size_t k = 0; k < term.modes.size(); ++k)
        for (std::size_t l = 0; l < term.modes.size(); ++l) {
          if (l == k) continue;
          double rest = term.coefficient;
          for (std::size_t n = 0; n < term.modes.size(); ++n)
            if (n != k && n != l) rest *= a[term.modes[n]];
          h(term.modes[k], term.modes[l]) += rest;
        }
    return unit_.asDiagonal() * h * unit_.asDiagonal();
  }
  MatrixXd slopes(const VectorXd& x) const {
    MatrixXd all(size_, size_ + 1);
    all.leftCols(size_) = hessian(x);
    const double f = factor(x);
    all.col(size_) = model_.critical * unit_.cwiseProduct(slope_between(model_.at, model_.stiffness, f) * amplitude(x) +
                                                          slope_between(model_.at, model_.forcing, f) * imperfection_);
    return all;
  }
  VectorXd direction(const VectorXd& x, const VectorXd& before) const {
    MatrixXd all(size_ + 1, size_ + 1);
    all.topRows(size_) = slopes(x);
    all.topRows(size_) /= all.topRows(size_).cwiseAbs().maxCoeff();
    all.row(size_) = before.transpose();
    return VectorXd(base::solve_full_pivot(all, VectorXd::Unit(size_ + 1, size_))).normalized();
  }
  bool correct(VectorXd& x, const VectorXd& plane, double place) const {
    for (int i = 0; i < 12; ++i) {
      MatrixXd all(size_ + 1, size_ + 1);
      all.topRows(size_) = slopes(x);
      all.row(size_) = plane.transpose();
      VectorXd right(size_ + 1);
      right.head(size_) = -gap(x);
      right[size_] = i == 0 && place == 0.0 ? 0.0 : place - plane.dot(x);
      if (i > 0 && place == 0.0) right[size_] = 0;
      const double scale = all.topRows(size_).cwiseAbs().maxCoeff();
      all.topRows(size_) /= scale;
      right.head(size_) /= scale;
      const VectorXd change = base::solve_full_pivot(all, right);
      if (!change.allFinite()) return false;
      x += change;
      if (change.norm() <= 1e-11 * (1 + x.norm())) return true;
    }
    return false;
  }
  bool stable(const VectorXd& x) const { return base::SymmetricEigen(hessian(x), false).eigenvalues()[0] > 0; }
  ReducedPeak between_states(VectorXd low, VectorXd high) const {
    for (int i = 0; i < 50 && (high - low).norm() > 1e-10; ++i) {
      const VectorXd plane = (high - low).normalized();
      VectorXd middle = 0.5 * (low + high);
      if (!correct(middle, plane, plane.dot(middle))) break;
      (stable(middle) ? low : high) = middle;
    }
    return {true, factor(low), amplitude(low)};
  }

  const ReducedModel& model_;
  const VectorXd& imperfection_;
  VectorXd unit_;
  Eigen::Index size_;
};
}  // namespace

MatrixXd ReducedModel::stiffness_at(double load_factor) const {
  return between(at, stiffness, load_factor);
}
MatrixXd ReducedModel::forcing_at(double load_factor) const {
  return between(at, forcing, load_factor);
}

std::pair<double, double> ReducedModel::coefficients(int mode) const {
  // K alone is zero at the mode's factor and changes there by `slope`: slope (f - f_i) w + 3 A w^2 + 4 B w^3 = 0
  const double f = mode_factors[base::at(mode)], slope = slope_between(at, stiffness, f)(mode, mode);
  double third = 0, fourth = 0;
  for (const auto& term : terms) {
    bool own = true;
    for (const int k : term.modes) own = own && k == mode;
    if (own) (term.modes.size() == 3 ? third : fourth) = term.coefficient;
  }
  const double w = reach[mode];
  if (std::abs(third) < 1e-3 * std::abs(fourth) * w) third = 0;  // no digit of a symmetric branch is asymmetry
  return {-3 * third / (slope * f), -4 * fourth / (slope * f)};
}

ReducedPeak reduced_peak(const ReducedModel& model, const VectorXd& imperfection) {
  return Follower(model, imperfection).peak();
}

}  // namespace archway::analysis
