#include "archway/analysis/mechanism.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

#include <fmt/format.h>

#include "archway/analysis/system.hpp"
#include "archway/base/dense.hpp"
#include "archway/base/disjoint_sets.hpp"
#include "linear/linear_thresholds_detail.hpp"

namespace archway::analysis {

namespace {
using detail::kFreeEnergy;
using detail::kRoundingOfPlace;
using Eigen::VectorXd;

std::string axis_name(const Vec3& direction) {
  for (int k = 0; k < 3; ++k)
    if (std::abs(direction[k]) > 0.9999) return std::string(1, "xyz"[k]);
  const auto clean = [](double v) { return std::abs(v) < 1e-9 ? 0.0 : v; };
  return fmt::format("({:.3g}, {:.3g}, {:.3g})", clean(direction.x()), clean(direction.y()), clean(direction.z()));
}

/// Least-squares rigid motion of a displacement; share of it that is not rigid in `rest`.
struct RigidFit {
  Vec3 translation = Vec3::Zero(), rotation = Vec3::Zero(), centre = Vec3::Zero();
  double rest = 1;
};
RigidFit fit_rigid(const std::vector<Vec3>& nodes, const VectorXd& u) {
  RigidFit fit;
  for (const auto& x : nodes) fit.centre += x / static_cast<double>(nodes.size());
  Eigen::Matrix<double, 6, 6> a = Eigen::Matrix<double, 6, 6>::Zero();
  Eigen::Matrix<double, 6, 1> b = Eigen::Matrix<double, 6, 1>::Zero();
  const auto rigid = [&](std::size_t n) {
    Eigen::Matrix<double, 3, 6> m;
    m << base::Mat3::Identity(), -base::skew(nodes[n] - fit.centre);
    return m;
  };
  double all = 0, rest = 0;
  for (std::size_t n = 0; n < nodes.size(); ++n) {
    const Vec3 move = u.segment<3>(model::row(n));
    a += rigid(n).transpose() * rigid(n);
    b += rigid(n).transpose() * move;
    all += move.squaredNorm();
  }
  const Eigen::Matrix<double, 6, 1> motion = base::least_squares(a, b);
  for (std::size_t n = 0; n < nodes.size(); ++n)
    rest += (rigid(n) * motion - u.segment<3>(model::row(n))).squaredNorm();
  fit.translation = motion.head<3>();
  fit.rotation = motion.tail<3>();
  fit.rest = all > 0 ? std::sqrt(rest / all) : 1;
  return fit;
}

std::string part_of_node(const model::Model& model, int node) {
  std::string name = "?";
  model.each_element([&](const int* first, const int* last, int part) {
    if (part >= 0 && std::find(first, last, node) != last) name = model.parts[static_cast<std::size_t>(part)].name;
  });
  if (name != "?") return name;
  for (const auto& tie : model.ties)  // a joint that every member is released from
    if (tie.follower != node && std::find(tie.leaders.begin(), tie.leaders.end(), node) != tie.leaders.end())
      return part_of_node(model, tie.follower);
  return name;
}

std::string describe(const System& system, const VectorXd& u, double size) {
  const auto& nodes = system.model().nodes;
  double most_move = 0, most_rotation = 0;
  int mover = 0, turner = 0;
  for (int n = 0; n < system.node_count(); ++n) {
    const double move = u.segment<3>(model::row(n)).norm(), rotation = u.segment<3>(model::row(n) + 3).norm();
    if (move > most_move * (1 + 1e-6)) most_move = move, mover = n;
    if (rotation > most_rotation * (1 + 1e-6)) most_rotation = rotation, turner = n;
  }
  const Vec3& x = nodes[static_cast<std::size_t>(turner)];
  if (most_move < 1e-6 * most_rotation * size)
    return fmt::format(
        "part '{}' can rotate about its {} axis at ({:.6g}, {:.6g}, {:.6g}) (node {}) without resistance",
        part_of_node(system.model(), turner), axis_name(u.segment<3>(model::row(turner) + 3).normalized()), x.x(),
        x.y(), x.z(), turner);
  const RigidFit fit = fit_rigid(nodes, u);
  const double rotation = fit.rotation.norm() * size, shift = fit.translation.norm();
  if (fit.rest < 1e-3 && rotation < 1e-3 * shift)
    return fmt::format("the whole structure can move along {} without resistance",
                       axis_name(fit.translation.normalized()));
  if (fit.rest < 1e-3) {
    const Vec3 axis = fit.rotation.normalized();
    const Vec3 point = (fit.centre + axis.cross(fit.translation) / fit.rotation.norm()).unaryExpr([&](double value) {
      return std::abs(value) < kRoundingOfPlace * size ? 0.0 : value;
    });
    return fmt::format(
        "the whole structure can rotate about an axis along {} through ({:.4g}, {:.4g}, {:.4g}) without resistance",
        axis_name(axis), point.x(), point.y(), point.z());
  }
  const Vec3& p = nodes[static_cast<std::size_t>(mover)];
  return fmt::format("part '{}' can move without resistance: most at node {} ({:.6g}, {:.6g}, {:.6g}), along {}",
                     part_of_node(system.model(), mover), mover, p.x(), p.y(), p.z(),
                     axis_name(u.segment<3>(model::row(mover)).normalized()));
}
}  // namespace

namespace {
/// Which piece every node belongs to: pieces hang together through elements and ties.
std::vector<int> pieces_of(const model::Model& model) {
  base::DisjointSets pieces(model.nodes.size());
  model.each_element([&](const int* first, const int* last, int) {
    for (const int* n = first; n != last; ++n) pieces.join(*first, *n);
  });
  for (const auto& tie : model.ties)
    for (const int n : tie.leaders)
      if (std::find(model.anchors.begin(), model.anchors.end(), n) == model.anchors.end()) pieces.join(tie.follower, n);
  std::vector<int> list(model.nodes.size());
  for (int n = 0; n < model.node_count(); ++n) list[static_cast<std::size_t>(n)] = pieces.find(n);
  return list;
}
}  // namespace

Mechanism find_mechanism(const model::Model& model) {
  const auto piece = pieces_of(model);
  const double size = std::max(model.size(), 1e-300);
  const Vec3 middle = model.nodes.front();
  std::map<int, Eigen::Matrix<double, 6, 6>> held;  // of (displacement, rotation x size) of every piece
  std::vector<char> used(model.nodes.size(), 0);
  model.each_element([&](const int* first, const int* last, int) {
    held.try_emplace(piece[static_cast<std::size_t>(*first)], Eigen::Matrix<double, 6, 6>::Zero());
    for (; first != last; ++first) used[static_cast<std::size_t>(*first)] = 1;
  });
  const auto hold = [&](int node, const Vec3& direction, bool rotation) {
    Eigen::Matrix<double, 6, 1> row;
    const Vec3 arm = (model.nodes[static_cast<std::size_t>(node)] - middle) / size;
    row << (rotation ? Vec3(Vec3::Zero()) : direction), rotation ? direction : Vec3(arm.cross(direction));
    const auto own = held.find(piece[static_cast<std::size_t>(node)]);
    if (own != held.end()) own->second += row * row.transpose();
  };
  for (const auto& s : model.supports)
    if (s.dof < 6) hold(s.node, Vec3::Unit(s.dof % 3), s.dof >= 3);
  for (const auto& tie : model.ties)
    if (tie.kind != model::Tie::Kind::alike &&
        std::find(model.anchors.begin(), model.anchors.end(), tie.leaders[0]) != model.anchors.end())
      for (const bool rotation : {false, true}) {
        if (!(rotation ? tie.rotations : tie.moves)) continue;
        base::Mat3 rest = base::Mat3::Identity();
        for (const Vec3& free : rotation ? tie.free_rotations : tie.free_moves) rest -= free * free.transpose();
        for (int k = 0; k < 3; ++k) hold(tie.follower, rest.col(k), rotation);
      }
  for (const auto& s : model.springs)
    for (int k = 0; s.second < 0 && k < 6; ++k)
      if (s.stiffness[static_cast<std::size_t>(k)] > 0) hold(s.first, s.axes.col(k % 3), k >= 3);
  for (const auto& [root, matrix] : held) {
    const base::SymmetricEigen modes(matrix);
    if (modes.eigenvalues()[0] > 1e-12 * std::max(1.0, modes.eigenvalues()[5])) continue;
    const Eigen::Matrix<double, 6, 1> motion = modes.eigenvectors().col(0);
    Mechanism mechanism;
    mechanism.exists = true;
    const bool shifts = motion.tail<3>().norm() < 1e-6 * motion.head<3>().norm();
    mechanism.description = fmt::format("the piece with part '{}' can {} {} without resistance",
                                        part_of_node(model, root), shifts ? "move along" : "rotate about an axis along",
                                        axis_name((shifts ? motion.head<3>() : motion.tail<3>()).normalized()));
    return mechanism;
  }
  return {};
}

namespace {
/// Diagonal of the stiffness, not below a small share of the largest of its kind (moves, rotations, warping): a degree
/// of freedom that nothing holds has none of its own to be measured by.
VectorXd own_scale(const System& system, const VectorXd& diagonal) {
  constexpr double least = 1e-10;
  const auto kind = [](int dof) {
    const int f = dof % model::kNodeDofs;
    return static_cast<std::size_t>(f < 3 ? 0 : f < 6 ? 1 : 2);
  };
  std::array<double, 3> largest{};
  for (int f = 0; f < system.full_size(); ++f)
    if (const int e = system.equation(f); e >= 0) largest[kind(f)] = std::max(largest[kind(f)], diagonal[e]);
  VectorXd scale = VectorXd::Zero(diagonal.size());  // multipliers are no displacements
  for (int f = 0; f < system.full_size(); ++f)
    if (const int e = system.equation(f); e >= 0) scale[e] = std::max({diagonal[e], least * largest[kind(f)], 1e-300});
  return scale;
}
}  // namespace

Mechanism find_mechanism(const System& system, const algebra::SymmetricMatrix& stiffness,
                         algebra::Factorisation& factorisation) {
  Mechanism mechanism;
  const VectorXd diagonal = stiffness.diagonal();
  if (diagonal.size() == 0) return mechanism;
  const auto outcome = factorisation.factor(stiffness);
  const VectorXd measure = own_scale(system, diagonal), scale = measure.cwiseSqrt();
  const bool broken = !outcome.regular() || outcome.negative_pivots > 0;
  bool solvable = true;
  if (broken) {
    // a trace of stiffness on every degree of freedom makes the matrix regular again
    algebra::SymmetricMatrix held = stiffness;
    const double trace = 1e-12;
    for (int j = 0; j < held.pattern->own(); ++j) held.diagonal_entry(j) += trace * measure[j];
    solvable = factorisation.factor(held).regular();
  }
  // inverse iteration for the smallest eigenvalue of S^-1 K S^-1, S^2 = diagonal of K
  VectorXd y = VectorXd::NullaryExpr(diagonal.size(),
                                     [](Eigen::Index i) { return 1.0 + 0.5 * std::sin(1.7 * static_cast<double>(i)); });
  VectorXd x;
  double energy = 0;
  for (int i = 1; i <= 3 && solvable; ++i) {
    Eigen::MatrixXd solved = y.cwiseProduct(scale);
    factorisation.solve(solved);
    y = solved.col(0).cwiseProduct(scale);
    if (!y.allFinite() || y.norm() == 0.0) break;
    x = solved.col(0) / y.norm();
    y.normalize();
    energy = x.dot(VectorXd(stiffness.times(x)));
    // a mechanism, were there one with a millionth of the start, would have been drawn out this far already
    if (energy > kFreeEnergy * std::pow(1e8, 1.0 / i)) break;
  }
  if (!y.allFinite()) energy = 0;
  mechanism.exists = broken || std::abs(energy) < kFreeEnergy;
  if (!mechanism.exists) return mechanism;
  mechanism.displacement = solvable && y.allFinite() && x.size() > 0
                               ? system.to_full(x, State::reference(system.model()))
                               : VectorXd::Zero(system.full_size());
  mechanism.displacement /= std::max(mechanism.displacement.cwiseAbs().maxCoeff(), 1e-300);
  mechanism.description = describe(system, mechanism.displacement, system.model().size());
  return mechanism;
}

}  // namespace archway::analysis
