#pragma once
#include <memory>
#include <vector>

#include "archway/analysis/vocabulary.hpp"
#include "archway/elements/batch.hpp"

namespace archway::elements {
class BarBatch;
class BeamBatch;
struct ContactTrial;
class ObstacleBatch;
class ShellKind;
class SolidBatch;
class SpringBatch;
class SurfaceContact;
class Ties;
}  // namespace archway::elements

namespace archway::analysis {

enum class ElementKind { line, bar, spring, solid, shell, touch };

/// A batch and what its elements are in the model.
struct ElementSet {
  std::unique_ptr<elements::Batch> batch;
  ElementKind kind;
  std::vector<int> in_model;  ///< number of each element among those of its kind in the model
};

/// Elements and ties of a model for the positions of its nodes: everything that changes when nodes are moved, walls
/// made thicker or materials exchanged. A new element kind is added here and nowhere else in this room.
class Geometry {
 public:
  /// \param standing  see elements::Ties
  explicit Geometry(const model::Model& model, const State* standing = nullptr);
  ~Geometry();

  const std::vector<ElementSet>& sets() const { return sets_; }
  const elements::Ties& ties() const { return *ties_; }
  const elements::BeamBatch& beams() const { return *beams_; }
  const elements::BarBatch& bars() const { return *bars_; }
  const elements::SpringBatch& springs() const { return *springs_; }
  const elements::ObstacleBatch& touches() const { return *touches_; }
  const elements::SolidBatch& solids(int nodes) const { return nodes == 8 ? *solids8_ : *solids20_; }
  /// What all points remember before anything has happened: a block a batch, in the order of sets().
  elements::Memory virgin_memory() const;
  /// A state and what the elements of a batch of this geometry remember in it. \param memory  nullptr: they are virgin
  elements::Trial trial(const State& state, const elements::Memory* memory, const elements::Batch& batch) const;
  /// Faces of parts that may touch each other; they have the last two blocks of a memory.
  const elements::SurfaceContact& surfaces() const { return *surfaces_; }
  std::vector<double>& surface_knots(elements::Memory& memory) const { return memory[sets_.size()]; }
  std::vector<double>& surface_pairs(elements::Memory& memory) const { return memory[sets_.size() + 1]; }
  elements::ContactTrial surface_trial(const State& state, const elements::Memory& memory) const;
  /// Anything remembers at all.
  bool remembers() const;
  /// Materials or springs remember, not only contacts.
  bool flows() const;
  int shell_count() const { return static_cast<int>(shells_.size()); }
  /// The batch of a shell element of the model and its place there.
  const std::pair<const elements::ShellKind*, int>& shell(int element) const {
    return shells_[static_cast<std::size_t>(element)];
  }
  const std::pair<const elements::SolidBatch*, int>& solid(int element) const {
    return solids_[static_cast<std::size_t>(element)];
  }

 private:
  template <class Kind>
  Kind* add(std::unique_ptr<Kind> batch, ElementKind kind);
  void set_initial(const model::Model& model);

  /// A number that is remembered from the beginning.
  struct Initial {
    std::size_t set, place;
    double value;
  };
  std::vector<Initial> initial_;

  std::unique_ptr<const elements::Ties> ties_;
  std::vector<ElementSet> sets_;
  std::unique_ptr<elements::SurfaceContact> surfaces_;
  elements::BeamBatch* beams_ = nullptr;
  elements::BarBatch* bars_ = nullptr;
  elements::SpringBatch* springs_ = nullptr;
  elements::ObstacleBatch* touches_ = nullptr;
  elements::SolidBatch *solids8_ = nullptr, *solids20_ = nullptr;
  std::vector<std::pair<const elements::ShellKind*, int>> shells_;
  std::vector<std::pair<const elements::SolidBatch*, int>> solids_;
};

}  // namespace archway::analysis
