#pragma once
#include <map>
#include <memory>
#include <mutex>

#include "archway/algebra/factorisation.hpp"
#include "archway/analysis/geometry.hpp"
#include "archway/base/executor.hpp"
#include "archway/elements/local_freedoms.hpp"

namespace archway::analysis {

/// What does not change when nodes move: which degrees of freedom are equations, the pattern of the matrices with its
/// elimination order and symbolic factorisations, where every element adds to them, and which elements may be assembled
/// at the same time. Built once and shared by all analyses on one mesh (perfect and imperfect, thick and thin).
class Topology {
 public:
  Topology(const model::Model& model, const Geometry& geometry, const base::Executor& executor);
  /// The same equations on a pattern that couples more nodes. \param couplings  nodes of each
  Topology(const Topology& base, const Geometry& geometry, const base::Executor& executor,
           const std::vector<std::vector<int>>& couplings);

  int full_size() const { return static_cast<int>(equation_.size()); }
  /// Of all equations: free degrees of freedom, then the multipliers of rigid parts.
  int free_count() const { return pattern_->size(); }
  /// Equation of a degree of freedom, or -1 when it is restrained, follows others or has no element.
  int equation(int dof) const { return equation_[static_cast<std::size_t>(dof)]; }
  const std::shared_ptr<const algebra::SymmetricPattern>& pattern() const { return pattern_; }

  /// A model with these elements and ties has the same topology: nodes, elements, ties, supports, moved degrees of
  /// freedom.
  bool fits(const model::Model& model, const Geometry& geometry) const;

  /// Where the elements of a batch add to.
  struct Set {
    int nodes_per_element = 0, width = 0;
    std::vector<int> nodes;  ///< of all elements, one after the other
    /// For every element, pair of its nodes (a <= b) and degree of freedom of the one with the lower number: the entry
    /// of the first equation of the other node in the column of that degree of freedom, or -1. What follows lies next
    /// to it.
    std::vector<algebra::Entry> places;
    /// Elements with followers, or that name a node twice, and the places of the lower triangle of their matrix.
    std::map<int, elements::LocalDofs> tied;
    std::map<int, std::vector<algebra::Entry>> tied_places;
    /// Multipliers of elements that keep something rigid (algebra::SymmetricPattern): one a row of Outputs::rigid.
    struct Rigid {
      int first = -1, count = 0;  ///< among the multipliers
      std::vector<algebra::Entry>
          places;  ///< of every row: its diagonal, then its degrees of freedom, -1: not in the pattern
    };
    std::map<int, Rigid> rigid;
  };
  const Set& set(std::size_t index) const { return sets_[index]; }
  /// Full numbers of the degrees of freedom of an element.
  static std::vector<int> dofs_of(const elements::Batch& batch, int element);
  /// Places of the lower triangle of a matrix on some degrees of freedom, column by column; -1: not in the pattern.
  std::vector<algebra::Entry> places_of(const std::vector<int>& dofs) const;

  /// All nodes of each list (and what they follow) are coupled in the pattern.
  bool couples(const std::vector<std::vector<int>>& couplings, const elements::Ties& ties) const;
  /// Adds a symmetric matrix on the translations of nodes that follow no others. \throws base::InputError where the
  /// pattern does not couple them
  void scatter_blocks(const std::vector<int>& nodes, const Eigen::MatrixXd& matrix, std::vector<double>& values) const;

  /// Adds the matrix of an element (column-major, both triangles, on all its own degrees of freedom) to values of the
  /// pattern.
  void scatter(std::size_t set, int element, const double* matrix, std::vector<double>& values) const;
  /// Adds rows of what an element keeps rigid. \param row  on its degrees of freedom, followers replaced
  void scatter_rigid(std::size_t set, int element, int row, const Eigen::VectorXd& values, double stiffness,
                     std::vector<double>& matrix) const;
  /// Adds scale x the lower triangle of a matrix on any degrees of freedom.
  static void scatter(const std::vector<algebra::Entry>& places, const double* matrix, int size, double scale,
                      std::vector<double>& values);

  /// Elements of one batch that share no node, so that both threads write without locks and sums are made in one order.
  struct Run {
    std::size_t set;
    std::vector<int> elements;
    bool crowded = false;  ///< more share a node than there are colours: one thread
  };
  const std::vector<Run>& runs() const { return runs_; }

  /// A factorisation on the pattern, from those that are idle; goes back when it is dropped.
  class Lease {
   public:
    Lease(const Topology& owner, std::unique_ptr<algebra::Factorisation> own) : owner_(&owner), own_(std::move(own)) {}
    Lease(Lease&&) noexcept = default;
    Lease& operator=(Lease&&) = delete;
    ~Lease();
    algebra::Factorisation& operator*() const { return *own_; }
    algebra::Factorisation* operator->() const { return own_.get(); }

   private:
    const Topology* owner_;
    std::unique_ptr<algebra::Factorisation> own_;
  };
  Lease factorisation() const;

 private:
  std::vector<char> held_dofs(const model::Model& model) const;
  std::vector<char> attached_dofs(const Geometry& geometry) const;
  void number_equations(const model::Model& model, const Geometry& geometry);
  void find_tied(const Geometry& geometry);
  void make_pattern(const Geometry& geometry, const std::vector<std::vector<int>>& couplings);
  void find_rigid(const Geometry& geometry);
  void make_places(const base::Executor& executor);
  void place_rigid(std::size_t set);
  void place_element(Set& set, int element) const;
  void make_colours(const Geometry& geometry);
  std::vector<int> nodes_touched(const Set& set, int element) const;
  int first_equation(int node) const { return first_equation_[static_cast<std::size_t>(node)]; }

  std::vector<Set> sets_;
  std::vector<std::vector<int>> tie_columns_;
  std::vector<char> held_;
  std::vector<int> equation_, first_equation_;  // first equation of a node, or -1
  int multipliers_ = 0;
  std::shared_ptr<const algebra::SymmetricPattern> pattern_;
  std::vector<Run> runs_;
  mutable std::mutex idle_mutex_;
  mutable std::vector<std::unique_ptr<algebra::Factorisation>> idle_;
};

}  // namespace archway::analysis
