#pragma once
#include "archway/study/outcome.hpp"
#include "archway/theory/catalogue.hpp"

namespace archway::study {

/// Inputs of a formula that a material and a profile of the study give: youngs_modulus, poisson_ratio; area,
/// second_moment (about the axis asked for, or the weaker), second_moment_y, torsion_constant and so on.
/// \throws base::InputError when there is no such material or profile
std::map<std::string, double> inputs_from_study(const StudySpec& spec, const theory::Formula& formula,
                                                const HandCheckSpec& check);

/// The section axis about which a member would bend first, "y" or "z": the one that is not held all along it (as in a
/// plane frame), else the weaker. Empty: both alike.
std::string bending_axis_of_member(const model::Model& model, const std::string& member);

/// How the two ends of a member are restrained for bending about an axis ("y", "z"; empty: see above), in the words of
/// the formulas: "pinned-fixed", "fixed-free". Empty where supports and released ends alone do not say: other parts,
/// springs or couplings hold it too, or it lies askew to the axes.
std::string ends_of_member(const model::Model& model, const std::string& member, const std::string& about);

/// What is wrong with the hand checks of a study, at their places in the file.
std::vector<base::Complaint> hand_check_complaints(const StudySpec& spec);

/// Every hand check beside the analysis it names. With at_factor_one below zero the formula is about the reversed load,
/// and is compared with the modes of negative factors.
std::vector<HandCheck> hand_checks(const StudyResult& result);

}  // namespace archway::study
