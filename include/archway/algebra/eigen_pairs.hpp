#pragma once
#include <functional>
#include <string>
#include <vector>

#include "archway/algebra/factorisation.hpp"

namespace archway::algebra {

struct PencilOptions {
  /// Number of smallest positive factors wanted. At least 1.
  int count = 4;
  /// A pair is accepted when |K x + f G x| <= residual_tolerance * |K x| (2-norms), measured again at the end.
  double residual_tolerance = 1e-6;
  /// Factors closer than this (relative) to the last wanted one are brought along, so that pairs come out whole.
  double cluster_tolerance = 1e-5;
  int block_size = 4;
  int max_block_steps = 400;
  bool k_is_factored = false;  ///< the factorisation holds K already, known to be definite
  /// Called after every block step with the number of converged pairs; false stops with what there is.
  std::function<bool(int converged)> go_on;
};

struct PencilPair {
  double factor = 0;
  double residual = 0;    ///< |K x + f G x| / |K x|, recomputed from the matrices
  Eigen::VectorXd shape;  ///< x^T K x = 1
};

enum class PencilEnding {
  not_run,
  proved,        ///< as many as asked, residuals good, and the inertia count agrees
  none,          ///< no positive factor exists (below the horizon searched)
  fewer_exist,   ///< all positive factors there are, fewer than asked; proved
  not_definite,  ///< K itself has negative eigenvalues
  incomplete,    ///< step limit or count never agreed; pairs are valid, some may be missing
  stopped
};

struct PencilResult {
  PencilEnding ending = PencilEnding::not_run;
  std::string message = "the eigenvalue problem was not solved";
  std::vector<PencilPair> pairs;  ///< rising factors
  double shift = 0;               ///< shift used for the iteration; 0 = inverse iteration about K
  int negatives_at_shift = 0;
  double cut = 0;              ///< K + cut G was factorised for the count
  int counted_below_cut = -1;  ///< negative eigenvalues found there = positive factors below the cut
  int block_steps = 0;
  int negatives_of_k = 0;
};

/// Smallest positive f with (K + f G) x = 0, K positive definite, G symmetric, both on one pattern.
/// Method: block Lanczos in the K inner product with thick restarts, first about zero shift for an estimate, then about
/// a shift just below the first factor whose inertia must be zero; completeness by the inertia of K + cut G just above
/// the last factor [GrimesLewisSimon1994], with full reorthogonalisation. Problems of up to 300 equations are solved
/// densely. Deterministic: the starting block has a fixed seed.
PencilResult smallest_positive(const SymmetricMatrix& k, const SymmetricMatrix& g, Factorisation& factorisation,
                               const PencilOptions& options);

}  // namespace archway::algebra
