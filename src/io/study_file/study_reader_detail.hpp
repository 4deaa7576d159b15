#pragma once
#include "archway/study/spec.hpp"
#include "study_file/toml_reader_detail.hpp"

namespace archway::io::detail {

using study::Vec3;

/// What all parts of a study file are read with: positions, selections, degrees of freedom. Holds the study as far as
/// it is read.
class SpotReader {
 public:
  explicit SpotReader(Reading& reading) : reading_(reading) {}
  /// at = "name", or a table of rules that must all hold.
  study::Spot spot(TableReader& t, const std::string& key);
  /// Two points, by numbers or by name: of an axis, or opposite corners of a box.
  std::pair<Vec3, Vec3> two_points(TableReader& t, const std::string& key);
  /// So many numbers; zeros after a complaint.
  std::vector<double> numbers(TableReader& t, const std::string& key, std::size_t count);

 protected:
  /// The point that a text names; nothing when the node is no text.
  std::optional<Vec3> point_named(const toml::node& node);
  /// A position: three numbers, or the name of a point.
  Vec3 position(TableReader& t, const std::string& key);
  model::Selection selection(TableReader& rules);
  /// A name or a table of rules.
  model::Selection selection_of(const toml::node& node, const std::string& key);
  void positive(TableReader& t, const std::string& key, double value);
  /// axes = { along, up }, or those of a cylinder.
  study::AxesSpec axes(TableReader& t);
  static int dof_of(const std::string& name);

  Reading& reading_;
  study::StudySpec spec_;
};

/// Materials, profiles, members, bars, panels, solids. \param spec  holds the points; receives what is read
void read_structure(Reading& reading, TableReader& root, study::StudySpec& spec);
/// Springs, fasteners, couplings, bonds. \param spec  as above
void read_joints(Reading& reading, TableReader& root, study::StudySpec& spec);

/// Obstacles.
/// Coulomb's coefficient of what touches.
double read_friction(TableReader& t);
void read_contacts(TableReader& root, study::StudySpec& spec);
void read_obstacles(Reading& reading, TableReader& root, study::StudySpec& spec);

/// Words of kinds, in their order.
template <class Kinds>
std::vector<std::string> words_of(const Kinds& kinds) {
  std::vector<std::string> words;
  for (const auto* kind : kinds) words.emplace_back(kind->word());
  return words;
}

/// Imperfections, analyses and hand checks. \param spec  holds the parameters; receives what is read
void read_analyses(Reading& reading, TableReader& root, study::StudySpec& spec);

}  // namespace archway::io::detail
