#include "archway/theory/beams.hpp"

#include <Eigen/Core>

#include "archway/base/errors.hpp"
#include "line_basis_detail.hpp"

namespace archway::theory {

namespace {
using detail::LineBasis;

double moment(const LateralBeam& b, double x) {
  const double l = b.length;
  const bool cantilever = b.ends == BeamEnds::cantilever;
  switch (b.loading) {
    case BeamLoading::moments:
      return 1 + (b.end_ratio - 1) * x / l;
    case BeamLoading::uniform:
      return cantilever ? -(l - x) * (l - x) / 2 : x * (l - x) / 2;
    case BeamLoading::point:
      return cantilever ? -(l - x) : x < l / 2 ? x / 2 : (l - x) / 2;
  }
  return 0;
}

std::vector<int> held_dofs(const LateralBeam& b, int last, int twist) {
  std::vector<int> held = {LineBasis::value_at(0), twist + LineBasis::value_at(0)};
  const bool cantilever = b.ends == BeamEnds::cantilever;
  if (!cantilever) {
    held.push_back(LineBasis::value_at(last));
    held.push_back(twist + LineBasis::value_at(last));
  }
  if (b.ends == BeamEnds::fixed || cantilever) held.push_back(LineBasis::slope_at(0));
  if (b.ends == BeamEnds::fixed) held.push_back(LineBasis::slope_at(last));
  if (b.ends != BeamEnds::forks) held.push_back(twist + LineBasis::slope_at(0));
  if (b.ends == BeamEnds::fixed || b.ends == BeamEnds::forks_no_warp) held.push_back(twist + LineBasis::slope_at(last));
  return held;
}

/// Without warping stiffness there is no moment to stop it with.
void release_warping(const LateralBeam& b, std::vector<int>& held, int last, int twist) {
  if (b.warping > 0) return;
  std::vector<int> rest;
  for (int f : held)
    if (f != twist + LineBasis::slope_at(0) && f != twist + LineBasis::slope_at(last)) rest.push_back(f);
  held = rest;
}
}  // namespace

double lateral_buckling(const LateralBeam& b) {
  if (!(b.length > 0) || !(b.lateral_bending > 0) || !(b.torsion > 0) || b.warping < 0)
    throw base::InputError("", "the beam has no length or no stiffness", "make them larger than zero");
  constexpr int pieces = 8, degree = 11;
  std::vector<double> joints;
  for (int j = 0; j <= pieces; ++j) joints.push_back(b.length * j / pieces);
  const LineBasis basis(joints, degree);
  const int n = basis.size(), last = basis.last_joint();
  const auto at = [&](double x) { return moment(b, x); };
  Eigen::MatrixXd stiffness = Eigen::MatrixXd::Zero(2 * n, 2 * n), geometric = stiffness;
  stiffness.topLeftCorner(n, n) = basis.integrate(2, 2, b.lateral_bending);
  stiffness.bottomRightCorner(n, n) = basis.integrate(1, 1, b.torsion) + basis.integrate(2, 2, b.warping);
  geometric.topRightCorner(n, n) = basis.integrate(2, 0, at);
  geometric.bottomLeftCorner(n, n) = geometric.topRightCorner(n, n).transpose();
  Eigen::MatrixXd twist = -b.monosymmetry * basis.integrate(1, 1, at);
  if (b.loading == BeamLoading::uniform) twist -= basis.integrate(0, 0, b.load_height);
  if (b.loading == BeamLoading::point) {
    const int place = LineBasis::value_at(b.ends == BeamEnds::cantilever ? last : last / 2);
    twist(place, place) -= b.load_height;
  }
  geometric.bottomRightCorner(n, n) = twist;
  auto held = held_dofs(b, last, n);
  release_warping(b, held, last, n);
  const auto factors = detail::lowest_factors(detail::reduced(stiffness, held), detail::reduced(geometric, held), 1);
  if (factors.empty()) throw base::InputError("", "this load never buckles the beam", "reverse it");
  return factors[0];
}

}  // namespace archway::theory
