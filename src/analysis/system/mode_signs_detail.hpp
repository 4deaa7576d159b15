#pragma once
#include "archway/algebra/eigen_pairs.hpp"
#include "archway/analysis/system.hpp"
#include "archway/elements/outline.hpp"

namespace archway::analysis::detail {

/// Signs of modes, and axes of modes that share a load factor, by a rule that neither rounding nor small changes of the
/// mesh decide. Of all nodes that move nine tenths of the largest displacement or more (rotation, where rotations move
/// the outline more) those with the largest x are taken, of these those with the largest y, of these those with the
/// largest z, to 2 % of the structure's size each (1e-6 for groups), and of what is left the one that moves most: the
/// reporting node. There the first of the components x, y, z that has nine tenths of the largest component or more is
/// positive.
class ModeSigns {
 public:
  ModeSigns(const System& system, const State& state) : system_(system), state_(state), outline_(system.model()) {}

  /// Largest displacement of the outline 1, signs by the rule. \param full  a shape
  Eigen::VectorXd settled(Eigen::VectorXd full) const;
  /// Pairs whose factors agree to 1e-5 become those mixes of themselves of which the first has all that the group can
  /// move along the reporting component at the reporting node of all of them together, the second all that is left at
  /// the reporting node of the rest, and so on. Factors stay in their order; residuals grow by what the factors differ.
  void settle_groups(std::vector<algebra::PencilPair>& pairs) const;

 private:
  int offset_of(const std::vector<Eigen::VectorXd>& shapes) const;
  int telling_node(const Eigen::VectorXd& sizes, double as_far) const;
  static int telling_component(const Eigen::Vector3d& sizes);
  void settle_group(algebra::PencilPair* first, int count) const;

  const System& system_;
  const State& state_;
  elements::Outline outline_;
};

}  // namespace archway::analysis::detail
