#include "archway/theory/columns.hpp"

#include <cmath>

#include <Eigen/Core>

#include "archway/base/errors.hpp"
#include "line_basis_detail.hpp"

namespace archway::theory {

namespace {
using detail::LineBasis;
constexpr double kPi_columns = 3.14159265358979323846;
constexpr int kDegree = 11;

void hold(std::vector<int>& held, LineEnd end, int joint) {
  if (end == LineEnd::fixed || end == LineEnd::pinned) held.push_back(LineBasis::value_at(joint));
  if (end == LineEnd::fixed || end == LineEnd::guided) held.push_back(LineBasis::slope_at(joint));
}

/// Pieces cut in `kCuts` each, and what varies along them.
class Line {
 public:
  static constexpr int kCuts = 4;
  explicit Line(const Column& column) : column_(column) {
    joints_.push_back(0);
    for (const auto& piece : column.pieces) {
      if (!(piece.length > 0) || !(piece.bending_start > 0) || piece.bending_end < 0)
        throw base::InputError("", "a piece of the column has no length or no stiffness", "make them larger than zero");
      starts_.push_back(joints_.back());
      for (int cut = 1; cut <= kCuts; ++cut) joints_.push_back(starts_.back() + piece.length * cut / kCuts);
    }
  }
  const std::vector<double>& joints() const { return joints_; }
  double bending(double x) const {
    const auto& p = piece(x);
    if (!(p.bending_end > 0)) return p.bending_start;
    const double share = (x - start(x)) / p.length, power = 1 / p.taper_power;
    const double root = (1 - share) * std::pow(p.bending_start, power) + share * std::pow(p.bending_end, power);
    return std::pow(root, p.taper_power);
  }
  double axial(double x) const {
    const auto& p = piece(x);
    return p.axial + p.axial_spread * (start(x) + p.length - x);
  }
  double held(double x) const { return piece(x).held_axial; }

 private:
  std::size_t at(double x) const {
    std::size_t k = starts_.size() - 1;
    while (k > 0 && starts_[k] > x) --k;
    return k;
  }
  const Column::Piece& piece(double x) const { return column_.pieces[at(x)]; }
  double start(double x) const { return starts_[at(x)]; }
  const Column& column_;
  std::vector<double> joints_, starts_;
};
}  // namespace

namespace {
/// Deflection w and rotation of the section t as fields of their own: strain energy EI t'^2 + GA (w' - t)^2, work of
/// the axial force N (2 w' t - t^2), the shortening of a line whose sections rotate by t and shear by w' - t.
std::vector<double> shear_flexible_factors(const Column& column, const Line& line, const LineBasis& basis, int count) {
  if (!column.joint_sideways.empty())
    throw base::InputError("", "a shear-flexible column with an inner support is not offered",
                           "omit 'shear_rigidity' or 'support_at'");
  const Eigen::Index n = basis.size();
  const double shear = column.shear_rigidity;
  const auto work_of = [&](const std::function<double(double)>& force) {
    Eigen::MatrixXd m = Eigen::MatrixXd::Zero(2 * n, 2 * n);
    m.topRightCorner(n, n) = basis.integrate(1, 0, force);
    m.bottomLeftCorner(n, n) = m.topRightCorner(n, n).transpose();
    m.bottomRightCorner(n, n) = -basis.integrate(0, 0, force);
    return m;
  };
  Eigen::MatrixXd stiffness = Eigen::MatrixXd::Zero(2 * n, 2 * n);
  stiffness.topLeftCorner(n, n) = basis.integrate(1, 1, shear) + basis.integrate(0, 0, column.bed);
  stiffness.topRightCorner(n, n) = -basis.integrate(1, 0, shear);
  stiffness.bottomLeftCorner(n, n) = stiffness.topRightCorner(n, n).transpose();
  stiffness.bottomRightCorner(n, n) =
      basis.integrate(1, 1, [&](double x) { return line.bending(x); }) + basis.integrate(0, 0, shear);
  stiffness -= work_of([&](double x) { return line.held(x); });
  const int last = basis.last_joint();
  const Eigen::Index end = LineBasis::value_at(last);
  stiffness(n, n) += column.start_rotational_stiffness;
  stiffness(n + end, n + end) += column.end_rotational_stiffness;
  stiffness(end, end) += column.end_sideways;
  std::vector<int> held;
  for (const auto& [how, joint] : {std::pair(column.start, 0), std::pair(column.end, last)}) {
    if (how == LineEnd::fixed || how == LineEnd::pinned) held.push_back(LineBasis::value_at(joint));
    if (how == LineEnd::fixed || how == LineEnd::guided)
      held.push_back(static_cast<int>(n) + LineBasis::value_at(joint));
  }
  const Eigen::MatrixXd geometric = -work_of([&](double x) { return line.axial(x); });
  return detail::lowest_factors(detail::reduced(stiffness, held), detail::reduced(geometric, held), count);
}
}  // namespace

std::vector<double> column_factors(const Column& column, int count) {
  if (column.pieces.empty()) throw base::InputError("", "the column has no pieces", "give it a length and a stiffness");
  const Line line(column);
  const LineBasis basis(line.joints(), kDegree);
  if (column.shear_rigidity > 0) return shear_flexible_factors(column, line, basis, count);
  Eigen::MatrixXd stiffness = basis.integrate(2, 2, [&](double x) { return line.bending(x); });
  stiffness -= basis.integrate(1, 1, [&](double x) { return line.held(x); });
  if (column.bed > 0) stiffness += basis.integrate(0, 0, column.bed);
  const int last = basis.last_joint();
  const auto spring = [&](int dof, double value) { stiffness(dof, dof) += value; };
  spring(LineBasis::slope_at(0), column.start_rotational_stiffness);
  spring(LineBasis::slope_at(last), column.end_rotational_stiffness);
  spring(LineBasis::value_at(last), column.end_sideways);
  for (std::size_t j = 0; j < column.joint_sideways.size(); ++j)
    spring(LineBasis::value_at(static_cast<int>(j + 1) * Line::kCuts), column.joint_sideways[j]);
  const Eigen::MatrixXd geometric = -basis.integrate(1, 1, [&](double x) { return line.axial(x); });
  std::vector<int> held;
  hold(held, column.start, 0);
  hold(held, column.end, last);
  return detail::lowest_factors(detail::reduced(stiffness, held), detail::reduced(geometric, held), count);
}

double portal_load(const Portal& portal) {
  Column column;
  column.pieces = {{portal.height, portal.column_bending, 0, 1, 1.0, 0, 0}};
  column.start = portal.fixed_bases ? LineEnd::fixed : LineEnd::pinned;
  column.end = portal.sways ? LineEnd::free : LineEnd::pinned;
  column.end_rotational_stiffness = (portal.sways ? 6 : 2) * portal.beam_bending / portal.span;
  return column_factors(column, 1).at(0);
}

std::vector<double> flexural_torsional_loads(const TorsionalColumn& c, int half_waves) {
  const double wave = half_waves * kPi_columns / c.length, e = c.youngs_modulus * wave * wave;
  const double ys = c.shear_centre_y, zs = c.shear_centre_z;
  const double polar = (c.second_moment_y + c.second_moment_z) / c.area + ys * ys + zs * zs;
  // v (along y), w (along z) and twist of the shear centre; the axial force acts through the centroid
  Eigen::Matrix3d stiffness, geometric;
  stiffness << e * c.second_moment_z, e * c.product_moment, 0,  //
      e * c.product_moment, e * c.second_moment_y, 0,           //
      0, 0, e * c.warping_constant + c.shear_modulus * c.torsion_constant;
  geometric << 1, 0, zs, 0, 1, -ys, zs, -ys, polar;
  return detail::lowest_factors(Eigen::MatrixXd(stiffness), Eigen::MatrixXd(-geometric), 3);
}

}  // namespace archway::theory
