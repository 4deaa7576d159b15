#pragma once
#include <algorithm>

#include "archway/base/errors.hpp"
#include "archway/elements/state.hpp"
#include "archway/material/law.hpp"

namespace archway::elements {

/// A state to be tried, and what its elements remember: from a committed memory, which is only read, to the next, of
/// which every element writes its own part whenever it is evaluated. Accepting a step is a swap of the two, a cut-back
/// costs nothing, and the same trial gives the same bits whatever was tried before.
struct Trial {
  Trial(const State& tried) : state(tried) {}  // elastic batches need no more; others take their virgin memory
  Trial(const State& tried, const double* block_before, double* block_after)
      : state(tried), committed(block_before), next(block_after) {}
  const State& state;
  const double* committed = nullptr;  ///< block of the batch; nullptr: that of start_memory()
  double* next = nullptr;             ///< block of the batch; nullptr: not wanted
};

/// How much stiffer a rigid strain is than the same part would be if it were not rigid. The equations are written so
/// that this does not make them worse to solve (algebra::SymmetricPattern): what it leaves is a millionth of what the
/// strain would have given, and forces are then still reported apart by rounding in nonlinear states.
constexpr double kRigid = 1e6;

/// Outputs of an evaluation for a run of elements, one after the other; nullptr: do not compute.
struct Outputs {
  double* force = nullptr;      ///< internal force, n values an element (work-conjugate to translations and spins)
  double* tangent = nullptr;    ///< d force / d step, n x n, symmetric
  double* geometric = nullptr;  ///< part of the tangent linear in stress, n x n, symmetric
  /// Rows of what the element keeps rigid, n + 1 values a row, Batch::rigid_rows() rows an element: stiffness of the
  /// strain as if it were not rigid times its derivative by the step, and that stiffness. When wanted, the tangent is
  /// without what rows^T rows kRigid / stiffness add to it.
  double* rigid = nullptr;
};

/// Where a block of memory keeps the equivalent plastic strains of one element: `plastic` in each of points x layers
/// records of `stride` numbers, layers (of a wall, bottom to top) or fibres of one point after the other.
struct FlowRecords {
  std::size_t first = 0, points = 0, layers = 0, stride = 0, plastic = 0;
  std::size_t count() const { return points * layers; }  ///< 0: nothing there flows
  double plastic_strain(const double* block, std::size_t record) const {
    return block[first + record * stride + plastic];
  }
};

/// Where the stresses of an evaluation come from. Nothing set: from the state, as it is.
struct StressSource {
  /// Stresses of this small displacement (full) from the reference by linear theory; the state must be the
  /// reference: the everyday geometric stiffness. Concerns force, tangent and geometric alike.
  const Eigen::VectorXd* linear = nullptr;
  /// With both set, tangent and geometric use the stresses that the step before this one foresaw: those of the strains
  /// strain(previous) + B(previous) step, from the committed memory; the force stays that of the state, and so does the
  /// material tangent of points that remember (docs/design/005-material.md). Newton's method then converges
  /// from far larger steps, since stretching errors of its rotations do not enter the stiffness ([Magisano2017]).
  const State* previous = nullptr;
  const Eigen::VectorXd* step = nullptr;
  /// Bars that linear analyses omit because they would be in compression (one entry a bar); nullptr: none.
  const std::vector<char>* slack = nullptr;
};

/// All elements of one kind, evaluated in runs over contiguous data. Immutable after construction; evaluate() may run
/// on many threads. Degrees of freedom of an element: the first freedoms_per_node() of each of its nodes in order.
class Batch {
 public:
  virtual ~Batch() = default;
  virtual int size() const = 0;
  virtual int nodes_per_element() const = 0;
  virtual const int* nodes(int element) const = 0;
  /// Part of the model the element belongs to; -1: none (springs).
  virtual int part(int /*element*/) const { return -1; }
  /// Place of an element in State::expansion; -1: none.
  virtual int expands(int element) const { return part(element); }
  /// 3: translations; 6: and rotations; 7: and warping.
  virtual int dofs_per_node() const { return 6; }
  int dof_count() const { return dofs_per_node() * nodes_per_element(); }
  /// The element gives stiffness to this degree of freedom of its nodes (a beam without warping has none to the
  /// seventh).
  virtual bool uses(int /*element*/, int /*degree of freedom*/) const { return true; }

  /// Strains at points of an element that are kept rigid; rows of Outputs::rigid are as many as the most of them.
  virtual int rigid_count(int /*element*/) const { return 0; }
  int rigid_rows() const;

  /// Numbers that all elements remember together; 0: elastic, closed form.
  virtual std::size_t memory_size() const { return 0; }
  /// Fills in the virgin memory of all elements.
  virtual void start_memory(double* /*block*/) const {}
  virtual FlowRecords flow_records(int /*element*/) const { return {}; }

  /// Where a part of the memory is found by iteration (forces of contact): a better committed one for a balanced state,
  /// to `trial.next`. \param least  force that counts as none \return something has changed by more than that
  virtual bool improve(const Trial& /*trial*/, double /*least*/) const { return false; }

  /// What an element holds and has lost in a state whose points remember the trial's committed memory, i.e. after the
  /// step to it was accepted. Its derivative by the step is the force of an elastic element.
  virtual material::Energy energy(const Trial& trial, int element) const = 0;

  /// Force, tangent and geometric stiffness of elements[0..count). Linear stresses (StressSource::linear) are elastic.
  /// \return recoverable when an element has folded over, or its inner unknowns are not found
  [[nodiscard]] virtual base::Verdict evaluate(const Trial& trial, const int* elements, int count, const Outputs& out,
                                               const StressSource& source) const = 0;
};

inline int Batch::rigid_rows() const {
  int most = 0;
  for (int e = 0; e < size(); ++e) most = std::max(most, rigid_count(e));
  return most;
}

}  // namespace archway::elements
