#pragma once
#include "archway/algebra/eigen_pairs.hpp"

/// Small problems as dense matrices.
namespace archway::algebra::detail {

/// |K x + f G x| / |K x|.
double residual_of(const SymmetricMatrix& k, const SymmetricMatrix& g, const Eigen::VectorXd& x, double factor);

/// All positive factors of a small problem, rising.
std::vector<PencilPair> solve_densely(const SymmetricMatrix& k, const SymmetricMatrix& g);

/// The same with multipliers, by the compliance: it is found without anything that cancels.
/// \param factorisation  of k
std::vector<PencilPair> solve_by_compliance(const SymmetricMatrix& k, const SymmetricMatrix& g,
                                            Factorisation& factorisation);

}  // namespace archway::algebra::detail
