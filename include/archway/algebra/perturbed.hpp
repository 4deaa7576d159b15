#pragma once
#include <functional>

#include "archway/algebra/factorisation.hpp"

namespace archway::algebra {

/// Solves (K - L) x = b for every column of b, in place, where K is factorised and L is small or of low rank and need
/// not be symmetric: minimal residuals ([SaadSchultz1986]) on x - K^-1 L x = K^-1 b.
/// \param times_l  L times a vector \param b  free_count x any, overwritten by x
/// \return false when sixty steps do not reach a relative residual of 1e-10; b then holds K^-1 b
bool solve_perturbed(Factorisation& k, const std::function<Eigen::VectorXd(const Eigen::VectorXd&)>& times_l,
                     Eigen::MatrixXd& b);

}  // namespace archway::algebra
