#pragma once
#include "archway/study/imperfection_kind.hpp"
#include "run/run_detail.hpp"

namespace archway::study {

/// What is wrong with the imperfections that an analysis names.
void check_imperfections_of(const AnalysisSpec& analysis, References& references);
/// What is wrong with an imperfection by itself.
void check_imperfection(const ImperfectionSpec& imperfection, References& references);
/// Makes the imperfections of an analysis and its geometry. \return false: they cannot be made, `skip_reason` says why
bool seed(Run& run, AnalysisOutcome& outcome);

const MemberSpec* member_named(const StudySpec& spec, const std::string& name);

/// amplitude: how large an imperfection is.
void read_amplitude(Keys& keys, ImperfectionSpec& imperfection);
/// What is wrong with it.
void check_amplitude(const ImperfectionSpec& imperfection, References& references);
/// Factor of the raw shape, with a note of the rule. \param largest  of the raw shape, displacement of the outline
struct Size {
  double factor = 1;
  std::string note;
};
Size size_of(const ShapeSite& site, const imperfection::ShapeField& field, double largest);
/// Amplitude as a length; of modes each with its own too.
double amplitude_of(const ShapeSite& site, std::string& note);

/// A mix of modes, made of the program's own accord. \param largest  displacement of the mix
ImperfectionSpec mode_mix(const std::string& analysis, const std::vector<double>& factors, double largest);

/// By file.
const ImperfectionKind& mode_imperfection();
std::vector<const ImperfectionKind*> surface_imperfections();
std::vector<const ImperfectionKind*> member_imperfections();
std::vector<const ImperfectionKind*> measured_imperfections();

}  // namespace archway::study
