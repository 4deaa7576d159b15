#pragma once
#include "archway/analysis/path.hpp"

namespace archway::analysis {

/// Modes that a reduced model is made of at most: pairs and threes of them are looked at.
constexpr int kMostReducedModes = 12;

/// The full structure near its first bifurcation, with the amplitudes of a few buckling modes for unknowns
/// ([Koiter1945], [Budiansky1974]; several modes: [ByskovHutchinson1977]): energy V(a) = 1/2 a K(f) a + terms of third
/// and fourth order, and a F(f) b of imperfections b. K and F are the full model's at three load factors of the
/// perfect path, the modes those of the tangent just below the bifurcation against what the load has changed it by; the
/// terms come from the forces at small amplitudes at the bifurcation, all else brought to balance at right angles to
/// the modes. Asymptotic: imperfections enter to first order, and modes that are omitted only follow.
struct ReducedModel {
  bool found = false;
  std::string message = "it was not looked for";
  double critical = kUnset;                ///< load factor at which the perfect structure bifurcates
  double state_factor = kUnset;            ///< of the state that the terms were found at: the bifurcation
  std::vector<double> mode_factors;        ///< load factors at which each mode alone would buckle, rising
  Eigen::MatrixXd shapes;                  ///< of the modes, full, one a column; largest displacement 1
  std::vector<double> at;                  ///< load factors of the three states
  std::vector<Eigen::MatrixXd> stiffness;  ///< K at each; a force a displacement
  std::vector<Eigen::MatrixXd> forcing;    ///< F at each; a column an imperfection
  /// Products of amplitudes and their coefficients: modes in rising order, three or four of them.
  struct Term {
    std::vector<int> modes;
    double coefficient = 0;
  };
  std::vector<Term> terms;
  Eigen::VectorXd reach;   ///< amplitude of each mode that the terms were found from
  double misfit = kUnset;  ///< of the terms and the forces they were found from, relative
  int factorisations = 0, evaluations = 0;

  int modes() const { return static_cast<int>(mode_factors.size()); }
  Eigen::MatrixXd stiffness_at(double load_factor) const;
  Eigen::MatrixXd forcing_at(double load_factor) const;
  /// Coefficients of a mode alone as post_buckling reports them: f / f_i = 1 + a w + b w^2.
  std::pair<double, double> coefficients(int mode) const;
};

/// \param system   that the path was followed on \param options, perfect  the path of the perfect elastic structure,
/// with states kept and critical points located \param modes  how many of them to take, 1 to
/// kMostReducedModes
/// \param imperfections  shapes for a unit of each amplitude, full, displacements and rotations as elements::moved
/// takes them
ReducedModel reduced_model(const System& system, const PathOptions& options, const PathResult& perfect, int modes,
                           const std::vector<Eigen::VectorXd>& imperfections);

/// Where the reduced structure first loses its stability.
struct ReducedPeak {
  bool found = false;  ///< false: it does not, within 1.5 of the highest mode's load or 40 of the reach
  double load_factor = kUnset;
  Eigen::VectorXd amplitude;  ///< of the modes there
};
/// \param imperfection  amplitudes of the shapes that the model was made with
ReducedPeak reduced_peak(const ReducedModel& model, const Eigen::VectorXd& imperfection);

}  // namespace archway::analysis
