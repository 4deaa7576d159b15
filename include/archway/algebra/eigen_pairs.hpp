#pragma once
#include <functional>
#include <limits>
#include <string>
#include <vector>

#include "archway/algebra/factorisation.hpp"

namespace archway::algebra {

struct PencilOptions {
  /// Number of smallest positive factors wanted. At least 1.
  int count = 4;
  /// A pair is accepted when |K x + f G x| <= residual_tolerance * |K x| (2-norms), measured again at the end, or when
  /// what is left of it is the rounding of K x (4 eps ||K| |x|| / |K x|).
  double residual_tolerance = 1e-6;
  /// Factors closer than this (relative) to the last wanted one are brought along, so that pairs come out whole.
  double cluster_tolerance = 1e-5;
  double lower = 0;                                        ///< only factors above this; not below zero
  double upper = std::numeric_limits<double>::infinity();  ///< when given: all factors below it, whatever `count` says
  int block_size = 4;
  int max_block_steps = 2000;
  bool k_is_factored = false;                ///< the factorisation holds K already, known to be definite
  const base::Executor* executor = nullptr;  ///< for products and orthogonalisation; nullptr: one thread
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
  double shift = 0;               ///< the last one used; 0 = inverse iteration about K alone
  int negatives_at_shift = 0;
  double cut = 0;              ///< lies at or below a shift where K + shift G was factorised
  int counted_below_cut = -1;  ///< factors above the lower bound and below the cut, by the inertia there
  int block_steps = 0;
  int negatives_of_k = 0;
};

/// Smallest positive f with (K + f G) x = 0, K positive definite, G symmetric, both on one pattern.
/// Method: block Lanczos in the K inner product, first about zero shift, then by slices of the spectrum: a
/// factorisation at a shift counts the factors below it, iteration about it finds those on both sides, clear of what is
/// known; everything below a shift is proved when as many are known as its inertia counts [GrimesLewisSimon1994]. Full
/// reorthogonalisation. Problems of up to 300 equations are solved densely. Deterministic: starting blocks have fixed
/// seeds, and no sum hangs on the number of threads. \throws base::OutOfMemory, SolverError
PencilResult smallest_positive(const SymmetricMatrix& k, const SymmetricMatrix& g, Factorisation& factorisation,
                               const PencilOptions& options);

}  // namespace archway::algebra
