#pragma once
#include "archway/study/spec.hpp"

namespace archway::study {

constexpr double kMostNodes = 5e6;  ///< of a study, by its numbers of elements; estimated before anything is made
constexpr int kMostModes = 5000;    ///< of one buckling analysis
constexpr int kMostParts = 50000;   ///< copies included

/// What is too large, with the figure and the limit; nothing is made to find out.
std::vector<base::Complaint> size_complaints(const StudySpec& spec);

}  // namespace archway::study
