#pragma once
#include "archway/analysis/path.hpp"

namespace archway::analysis {

/// What comes just after a bifurcation, by the full model: f / f_c = 1 + a w + b w^2 on the branch, w the largest
/// displacement of the buckling mode's part of the state, a length ([Koiter1945], [Budiansky1974]). Found from states
/// of the branch at small amplitudes to both sides, not from an expansion of the energy, so that nothing is omitted;
/// what it predicts of imperfections holds while the higher terms are small.
struct PostBuckling {
  bool found = false;
  std::string message = "it was not looked for";
  int increment = -1;  ///< of the bifurcation
  double load_factor = kUnset;
  double a = kUnset, b = kUnset;                  ///< per length, per length squared
  double span = 0;                                ///< largest amplitude that they were found from
  std::vector<std::pair<double, double>> points;  ///< amplitude and load factor of the states on the branch
  Eigen::VectorXd shape;                          ///< of the mode, full, largest displacement 1
  int factorisations = 0;
};

/// At the first bifurcation of a path. \param system  that it was followed on \param path  with states kept and
/// critical points located, from the perfect structure
PostBuckling post_buckling(const System& system, const PathOptions& options, const PathResult& path);

/// Share of the critical load that is left with an imperfection of the mode's shape and this largest displacement: the
/// lower for either sense. a not 0: (1 - l)^2 = 4 |a| w l; a = 0, b below 0: (1 - l)^(3/2) = 3/2 sqrt(3) sqrt(-b) w l;
/// else 1: the branch rises. \param w  not negative
double predicted_share(double a, double b, double w);

}  // namespace archway::analysis
