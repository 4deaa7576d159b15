#pragma once
#include "archway/base/errors.hpp"
#include "archway/elements/state.hpp"

namespace archway::elements {

/// Outputs of an evaluation for a run of elements, one after the other; nullptr: do not compute.
struct Outputs {
  double* force = nullptr;      ///< internal force, n values an element (work-conjugate to translations and spins)
  double* tangent = nullptr;    ///< d force / d step, n x n, symmetric
  double* geometric = nullptr;  ///< part of the tangent linear in stress, n x n, symmetric
};

/// Where the stresses of an evaluation come from. Nothing set: from the state, as it is.
struct StressSource {
  /// Stresses of this small displacement (full) from the reference by linear theory; the state must be the
  /// reference: the everyday geometric stiffness. Concerns force, tangent and geometric alike.
  const Eigen::VectorXd* linear = nullptr;
  /// With both set, tangent and geometric use the stresses that the step before this one foresaw,
  /// C (strain(previous) + B(previous) step), while the force stays that of the state. Newton's method then converges
  /// from far larger steps, since stretching errors of its rotations do not enter the stiffness ([Magisano2017]).
  const State* previous = nullptr;
  const Eigen::VectorXd* step = nullptr;
  /// Bars that linear analyses leave out because they would be pressed (one entry a bar); nullptr: none.
  const std::vector<char>* slack = nullptr;
};

/// All elements of one kind, evaluated in runs over contiguous data. Immutable after construction; evaluate() may run
/// on many threads. Freedoms of an element: the first freedoms_per_node() of each of its nodes in order.
class Batch {
 public:
  virtual ~Batch() = default;
  virtual int size() const = 0;
  virtual int nodes_per_element() const = 0;
  virtual const int* nodes(int element) const = 0;
  /// Part of the model the element belongs to; -1: none (springs).
  virtual int part(int /*element*/) const { return -1; }
  /// 3: translations; 6: and rotations; 7: and warping.
  virtual int freedoms_per_node() const { return 6; }
  int freedom_count() const { return freedoms_per_node() * nodes_per_element(); }
  /// The element gives stiffness to this freedom of its nodes (a beam without warping has none to the seventh).
  virtual bool uses(int /*element*/, int /*freedom*/) const { return true; }

  /// Force, tangent and geometric stiffness of elements[0..count).
  /// \return recoverable when an element has folded over
  [[nodiscard]] virtual base::Verdict evaluate(const State& state, const int* elements, int count, const Outputs& out,
                                               const StressSource& source) const = 0;
};

}  // namespace archway::elements
