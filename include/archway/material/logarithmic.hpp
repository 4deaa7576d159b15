#pragma once
#include "archway/material/law.hpp"

namespace archway::material {

/// A law in logarithmic strains and the stresses conjugate to them, seen by elements that measure Green strains E:
/// L = ln(1 + 2 E) / 2, S = (dL/dE)^T T, with the exact tangent. T is the Kirchhoff stress in unrotated axes: with flow
/// that keeps the volume the true stress, so a curve of true stress over logarithmic strain is followed at strains of
/// any size. Strains from -1/2 on (nothing is left) give NaN. Source: [MieheEtAl2002]
template <int N>
std::unique_ptr<Law<N>> logarithmic(std::unique_ptr<Law<N>> law);

extern template std::unique_ptr<Law<3>> logarithmic<3>(std::unique_ptr<Law<3>>);
extern template std::unique_ptr<Law<6>> logarithmic<6>(std::unique_ptr<Law<6>>);

}  // namespace archway::material
