#include <cmath>

#include "analyses/linear_buckling_detail.hpp"
#include "archway/base/index.hpp"
#include "archway/study/likeness.hpp"

/// What a mesh is worth: the error of the load factors, from coarser and finer meshes of the same structure.
namespace archway::study {

Variant refined(Variant variant, double times) {
  variant.refine *= times;
  return variant;
}

OtherMesh modes_on(Run& run, const AnalysisOutcome& outcome, PreparedModel& stage, analysis::BucklingOptions options) {
  options.negative = analysis::Negative::leave_out;
  options.mode_count += 2;  // modes that change places near the end of the list
  const auto result = analysis::linear_buckling(buckling_system(stage, outcome), in_systems_of(stage, outcome, options),
                                                run.watch.buckling);
  OtherMesh other;
  if (!result.usable()) return other;
  other.matches = match_modes(*run.stage.model, outcome.buckling->modes, *stage.model, result.modes);
  for (const auto& mode : result.modes) other.factors.push_back(mode.load_factor);
  return other;
}

namespace {
/// The same structure with half the elements, held and loaded at the same places; nothing where that cannot be had.
std::optional<PreparedModel> coarser_stage(Run& run, const AnalysisOutcome& outcome) {
  const Variant half = refined(outcome.spec.variant, 0.5);
  if (!run.result.spec.vary) return {};
  try {
    PreparedModel stage = run.variant(half);
    const auto& system = buckling_system(stage, outcome);
    if (system.free_count() < 6 || !same_problem(*run.stage.model, *stage.model)) return {};
    if (system.free_count() > 0.9 * buckling_system(run.stage, outcome).free_count()) return {};
    return stage;
  } catch (const base::InputError&) {
    return {};  // the coarser mesh has no nodes where the study wants some
  }
}

/// How many times the elements of half the mesh a part has along the direction in which that is least: half of three
/// elements is two, half of one is one (which reports nothing of that direction).
double ratio_to_half(const StudySpec& spec, const std::string& part) {
  double least = 2;
  const auto count = [&](int n) {
    if (n > 1) least = std::min(least, n / std::ceil(0.5 * n));
  };
  const auto is_of = [&](const std::string& name) { return part == name || part.rfind(name + ".", 0) == 0; };
  for (const auto& m : spec.members)
    if (is_of(m.name)) count(m.elements), count(m.plates);
  for (const auto& p : spec.panels)
    if (is_of(p.name)) count(p.divisions[0]), count(p.divisions[1]);
  for (const auto& s : spec.solids)
    if (is_of(s.name))
      for (const int n : s.divisions) count(n);
  return least;
}

/// What a factor is off by, from that of another mesh. \param ratio  of the elements along a line, fine to coarse
double error_from(double coarse, double fine, double ratio, int order, bool of_the_fine) {
  const double power = std::pow(ratio, order), change = std::abs(coarse / fine - 1);
  return change * (of_the_fine ? 1 : power) / (power - 1);
}

/// Judges a mesh by two others.
class MeshJudge {
 public:
  MeshJudge(Run& run, AnalysisOutcome& outcome, const analysis::BucklingOptions& options)
      : run_(run), outcome_(outcome), options_(options) {}

  /// The error of every factor. What half the elements change reports it (of preload and curved surfaces too) where
  /// that mesh still shows the mode; else, and where it is large, twice the elements, as long as that is a small
  /// problem. Stresses of the mode see only what is smooth, and report least. \param finer  a finer mesh that was asked
  /// for
  void judge(std::optional<OtherMesh> finer) {
    const bool doubtful = by_half();
    double times = outcome_.spec.second_mesh;
    if (!finer && doubtful) finer = twice(), times = 2;
    if (finer) by_finer(*finer, times);
    for (auto& reading : outcome_.readings) reading.mesh_error = std::min(reading.mesh_error, 1.0);  // and more
  }

 private:
  // Measured on plates, cylinders, blocks and frames (docs/verification.md): the order that theory gives elements of
  // second degree is reached on meshes finer than anybody has, so all but members are taken to be of the second.
  static constexpr double kFromStresses = 1.3, kFromStressesAlone = 3, kFromOther = 1.3, kDoubtful = 0.02,
                          kUnseen = 0.1;
  static constexpr int kSmall = 6000;  // equations of the mesh as it is, to be solved with twice the elements

  int order_of(std::size_t m) const {
    return analysis::error_order(*run_.stage.model, outcome_.readings[m].leading_part) == 6 ? 4 : 2;
  }
  double factor(std::size_t m) const { return outcome_.buckling->modes[m].load_factor; }

  /// \return some mode is not shown by half the elements, or changes much
  bool by_half() {
    OtherMesh half;
    if (auto stage = coarser_stage(run_, outcome_)) half = modes_on(run_, outcome_, *stage, options_);
    bool doubtful = false;
    for (std::size_t m = 0; m < outcome_.readings.size(); ++m) {
      const auto& reading = outcome_.readings[m];
      double& error = outcome_.readings[m].mesh_error;
      if (half.shows(m)) {
        const auto& parts = run_.stage.model->parts;
        const double ratio =
            ratio_to_half(run_.result.spec, reading.leading_part < 0 ? "" : parts[base::at(reading.leading_part)].name);
        error = std::max(kFromStresses * error, kFromOther * error_from(half.matches[m].other_load_factor, factor(m),
                                                                        ratio, order_of(m), true));
      } else {
        error = std::max(kFromStressesAlone * error, kUnseen);
      }
      doubtful = doubtful || !half.shows(m) || error > kDoubtful;
    }
    return doubtful;
  }

  std::optional<OtherMesh> twice() {
    if (!run_.result.spec.vary || buckling_system(run_.stage, outcome_).free_count() > kSmall) return {};
    try {
      PreparedModel stage = run_.variant(refined(outcome_.spec.variant, 2));
      if (!same_problem(*run_.stage.model, *stage.model)) return {};
      return modes_on(run_, outcome_, stage, options_);
    } catch (const base::InputError&) {
      return {};  // the finer mesh cannot be had
    }
  }

  /// A mode that the finer mesh does not show may be none; the factors in their order still fall as meshes become
  /// finer.
  void by_finer(const OtherMesh& finer, double times) {
    for (std::size_t m = 0; m < outcome_.readings.size(); ++m) {
      const bool shown = finer.shows(m);
      if (!shown && m >= finer.factors.size()) continue;
      const double fine = shown ? finer.matches[m].other_load_factor : finer.factors[m];
      outcome_.readings[m].mesh_error = kFromOther * error_from(factor(m), fine, times, order_of(m), false);
    }
  }

  Run& run_;
  AnalysisOutcome& outcome_;
  const analysis::BucklingOptions& options_;
};
}  // namespace

void judge_mesh(Run& run, AnalysisOutcome& outcome, const analysis::BucklingOptions& options,
                std::optional<OtherMesh> finer) {
  MeshJudge(run, outcome, options).judge(std::move(finer));
}

}  // namespace archway::study
