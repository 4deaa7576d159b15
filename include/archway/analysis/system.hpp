#pragma once
#include <memory>

#include "archway/algebra/pattern.hpp"
#include "archway/elements/beam.hpp"
#include "archway/elements/loads.hpp"
#include "archway/elements/shell.hpp"

namespace archway::analysis {

using base::Vec3;
using elements::State;

/// What to assemble; nullptr: not wanted. Full vectors have 6 values a node.
struct AssemblyRequest {
  Eigen::VectorXd* internal_force = nullptr;      ///< full
  algebra::SymmetricMatrix* tangent = nullptr;    ///< free freedoms
  algebra::SymmetricMatrix* geometric = nullptr;  ///< free freedoms
  elements::StressSource source;                  ///< where stresses come from
  const Eigen::VectorXd* direction = nullptr;     ///< full; asks for tangent_times
  Eigen::VectorXd* tangent_times = nullptr;       ///< full: tangent (all freedoms) times direction
};

/// A model made ready for solving: element batches, equation numbers, pattern. Elements are assembled in colours that
/// share no node, so both threads write without locks and sums are made in one fixed order.
class System {
 public:
  /// \throws base::InputError with everything model::check_mesh finds
  explicit System(const model::Model& model);

  const model::Model& model() const { return model_; }
  const elements::BeamBatch& beams() const { return *beams_; }
  const elements::ShellBatch& shells() const { return *shells_; }
  int node_count() const { return model_.node_count(); }
  int full_size() const { return 6 * node_count(); }
  int free_count() const { return pattern_->size(); }
  /// Equation of a freedom (6 * node + freedom), or -1 when it is held or has no element.
  int equation(int freedom) const { return equation_[static_cast<std::size_t>(freedom)]; }
  std::shared_ptr<const algebra::SymmetricPattern> pattern() const { return pattern_; }

  [[nodiscard]] base::Verdict assemble(const State& state, const AssemblyRequest& request) const;

  /// Nodal loads, full: sum of factor x pattern in a state. \param factors  one a pattern
  Eigen::VectorXd loads(const std::vector<double>& factors, const State& state) const;
  /// Adds scale x (load stiffness of the patterns) to a matrix; the tangent of the equilibrium takes it with scale -1.
  void add_load_stiffness(const std::vector<double>& factors, const State& state, double scale,
                          algebra::SymmetricMatrix& matrix) const;
  /// Prescribed movements of the patterns, full; zero elsewhere.
  Eigen::VectorXd movements(const std::vector<double>& factors) const;
  /// One factor a pattern from a combination.
  std::vector<double> factors(const model::Combination& combination) const;

  Eigen::VectorXd free_part(const Eigen::VectorXd& full) const;
  Eigen::VectorXd to_full(const Eigen::VectorXd& free) const;
  /// Values at held freedoms, zero elsewhere.
  Eigen::VectorXd held_part(const Eigen::VectorXd& full) const;

 private:
  struct Run {  // elements of one batch and one colour
    const elements::Batch* batch;
    const std::vector<std::vector<int>>* scatter;
    std::vector<int> elements;
    bool crowded = false;  // elements of this run may share nodes: one thread
  };
  void number_equations();
  void make_pattern();
  void make_colours();
  base::Verdict assemble_run(const Run& run, int begin, int end, const State& state,
                             const AssemblyRequest& request) const;
  std::vector<const elements::Batch*> batches() const { return {beams_.get(), shells_.get()}; }

  const model::Model model_;
  std::unique_ptr<elements::BeamBatch> beams_;
  std::unique_ptr<elements::ShellBatch> shells_;
  std::vector<int> equation_;
  std::shared_ptr<const algebra::SymmetricPattern> pattern_;
  std::vector<std::vector<int>> beam_scatter_, shell_scatter_;  // lower triangle, place in the pattern or -1
  std::vector<Run> runs_;
};

}  // namespace archway::analysis
