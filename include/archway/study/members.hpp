#pragma once
#include <string>
#include <vector>

#include "archway/model/model.hpp"

namespace archway::study {

struct StudySpec;
struct AnalysisOutcome;

/// Members that the modes of a buckling analysis press: lengths_by_mode, and lengths with the curves of EN 1993-1-1,
/// 6.3.1.2, that the study chooses.
void read_pressed_members(const StudySpec& spec, const model::Model& model, AnalysisOutcome& outcome);

/// Largest bending moments of a pressed member under the same loads: by linear theory, by linear theory times the
/// amplification 1 / (1 - f / fcr), and of the nonlinear state. Sizes, about the section's axes. Linear theory is
/// that of the path's own geometry, imperfections in it.
struct SecondOrder {
  std::string member;
  std::string buckling;      ///< the analysis that the amplification comes from
  double load_factor = 0;    ///< of all three
  double axial = 0;          ///< by linear theory, at its most compressed place, tension positive
  double amplification = 0;  ///< 1 / (1 - load factor / critical factor)
  double linear_y = 0, linear_z = 0, nonlinear_y = 0, nonlinear_z = 0;
};

/// Amplification of the pressed members of a path with nothing held, at the increment nearest to load factor 1 before
/// it loses stability, where a buckling analysis of the same loads on the same structure stands before it.
/// \param before  outcomes of the study so far
std::vector<SecondOrder> second_order(const std::vector<AnalysisOutcome>& before, const AnalysisOutcome& path);

}  // namespace archway::study
