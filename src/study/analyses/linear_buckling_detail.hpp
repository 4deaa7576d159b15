#pragma once
#include <optional>

#include "run/run_detail.hpp"

namespace archway::study {

/// What a buckling analysis that can be used is warned of. \param spec  of the structure it was done on
void advise_on_modes(const StudySpec& spec, const AnalysisOutcome& outcome, std::vector<std::string>& list);

/// Options of a buckling analysis in the systems of a structure, which may be finer or coarser than the study's.
analysis::BucklingOptions in_systems_of(PreparedModel& stage, const AnalysisOutcome& outcome,
                                        analysis::BucklingOptions options);
const analysis::System& buckling_system(PreparedModel& stage, const AnalysisOutcome& outcome);

constexpr double kSureMatch = 0.5;  ///< MAC from which on two modes of two meshes are one

/// Modes on another mesh of the same structure beside those of the analysis.
struct OtherMesh {
  std::vector<ModeMatch> matches;
  std::vector<double> factors;  ///< of all its modes, in their order
  bool shows(std::size_t mode) const {
    return mode < matches.size() && matches[mode].other >= 0 && matches[mode].likeness > kSureMatch;
  }
};

Variant refined(Variant variant, double times);
OtherMesh modes_on(Run& run, const AnalysisOutcome& outcome, PreparedModel& stage, analysis::BucklingOptions options);
/// Writes the estimated error of every factor (ModeReading::mesh_error). \param finer  a finer mesh that was asked for
void judge_mesh(Run& run, AnalysisOutcome& outcome, const analysis::BucklingOptions& options,
                std::optional<OtherMesh> finer);

}  // namespace archway::study
