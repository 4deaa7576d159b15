#pragma once
#include "archway/imperfection/shapes.hpp"
#include "archway/study/spec.hpp"

namespace archway::study {

struct AnalysisOutcome;

/// Where a shape is to be made: the structure it goes on and what has been computed so far.
struct ShapeSite {
  const StudySpec& study;  ///< of this structure, with its parameters
  const ImperfectionSpec& spec;
  const model::Model& model;
  /// An analysis done on this structure before; nullptr: there is none of that name.
  std::function<const AnalysisOutcome*(const std::string&)> find;
  std::vector<int> parts, carried;  ///< numbers in the model of `on` and `carry`

  /// Own coordinates of `parts`, with what the study says about them. \throws base::InputError
  imperfection::PartFrame frame() const;
  /// What heights are counted from: the parts' thickness where they give thicknesses, else zero.
  /// \throws base::InputError when the parts differ in thickness
  double counted_from() const;
  imperfection::ShapeField put_on(const imperfection::PartFrame& frame, const imperfection::Height& height) const {
    return imperfection::put_on(model, frame, parts, carried, height, spec.direction);
  }
};

/// A kind of imperfection: how a study asks for it. Each family has one file in src/study/imperfections.
class ImperfectionKind {
 public:
  virtual ~ImperfectionKind() = default;
  virtual const char* word() const = 0;  ///< "waves"
  /// A key that says this kind without `shape`; nullptr: none.
  virtual const char* key() const { return nullptr; }
  /// It lies on parts that `on` must name.
  virtual bool on_parts() const { return true; }
  /// It has a size of its own, and needs no amplitude.
  virtual bool has_size() const { return false; }
  /// Its heights may be whole thicknesses of walls.
  virtual bool may_give_thickness() const { return false; }
  /// Reads what is its own and gives how it is made, with whatever size.
  virtual ShapeMaker read(Keys& keys, ImperfectionSpec& spec) const = 0;
};
const std::vector<const ImperfectionKind*>& imperfection_kinds();

/// Reads one table of [[imperfections]].
ImperfectionSpec read_imperfection(Keys& keys);

/// One imperfection made ready for a structure.
struct SeededShape {
  std::string name;
  double factor = 1;  ///< with which it is taken
  std::shared_ptr<const imperfection::Imperfection> shape;
  imperfection::Measured measured;
  std::vector<double> height;      ///< of walls: at the nodes, before the mean over elements; NaN outside of the parts
  std::vector<std::string> notes;  ///< how large it is by which rule, how a table was brought over
  std::vector<std::string> warnings;  ///< what one should look at
};
/// Makes one imperfection with its amplitude. \throws base::InputError with its place
SeededShape make_shape(const StudySpec& study, const ImperfectionSpec& spec, const model::Model& model,
                       const std::function<const AnalysisOutcome*(const std::string&)>& find);

}  // namespace archway::study
