#pragma once
#include "archway/base/executor.hpp"
#include "archway/elements/internal_forces.hpp"
#include "archway/study/build_model.hpp"
#include "archway/study/fineness.hpp"

namespace archway::analysis {
class System;
class Topology;
}  // namespace archway::analysis

namespace archway::study {

/// One part as a row of a table.
struct PartRow {
  std::string name, kind, material, size;  ///< size: profile name, or thickness in words
  int elements = 0;
  double measure = 0;                   ///< length, area or volume ...
  const char* measure_name = "length";  ///< ... which of them
  double mass = 0;
  Vec3 centre = Vec3::Zero();
  Fineness fineness;   ///< panels
  std::string stands;  ///< members: where the local z axis points, "z to +x"
};

struct ActionRow {
  std::string name;
  elements::Resultant about_origin, about_mass;  ///< about_mass: about the centre of mass
  std::vector<std::string> notes;
};

/// What can be said about a study before solving it.
struct CheckReport {
  int nodes = 0, members = 0, panels = 0, beam_elements = 0, shell_elements = 0, dofs = 0, supported_nodes = 0;
  int bar_elements = 0, solid_elements = 0, springs = 0;
  int ties = 0;  ///< nodes that follow others in couplings, bonds and joints
  Vec3 low = Vec3::Zero(), high = Vec3::Zero();
  std::vector<PartRow> parts;
  double mass = 0;
  Vec3 centre_of_mass = Vec3::Zero();
  std::vector<ActionRow> actions, combinations;
  bool has_mechanism = false;
  std::string mechanism;              ///< the mechanism in words
  Eigen::VectorXd mechanism_shape;    ///< full, when there is one
  std::vector<std::string> remarks;   ///< what was done that nobody wrote down
  std::vector<std::string> warnings;  ///< suspicious numbers, in plain words
};

/// \param threads  to work with; nullptr: its own \param topology  set to the one the check made, with the factor of
/// the stiffness, so that analyses on the same equations need neither order nor factorise anew; nullptr: not wanted
CheckReport check_model(const StudySpec& spec, const model::Model& model, bool look_for_mechanism,
                        std::shared_ptr<const base::Executor> threads = nullptr,
                        std::shared_ptr<const analysis::Topology>* topology = nullptr);

}  // namespace archway::study
