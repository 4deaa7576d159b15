#pragma once
#include <vector>

#include "newton/equilibrium_detail.hpp"

namespace archway::analysis::detail {

/// Where two modes lose their stability together: in which directions branches leave. Around the bifurcation states of
/// a small amplitude are found for every mix of both modes, each restrained at its mix by a push across it; where that
/// push vanishes a branch passes (the method of Lyapunov and Schmidt, [GolubitskySchaeffer1985], ch. VII, by numbers).
class Crossroads {
 public:
  /// \param shapes  both null vectors, full, one a column  \throws base::InputError as a path does
  Crossroads(const System& system, const PathOptions& options, const Point& at, const Eigen::MatrixXd& shapes);
  /// Displacements of unit mixes: at right angles and of one size by the displacements of all nodes.
  const Eigen::MatrixXd& axes() const { return axes_; }
  /// Mixes, as far around as they were found. Empty: every mix is one (a ring may buckle in any phase), or states
  /// around are not found.
  std::vector<Eigen::Vector2d> branches();

 private:
  struct Around {
    double push = 0, uncertainty = 0;
    bool found = false;
  };
  Around push_at(double angle);
  static std::vector<double> likely(const std::vector<double>& pushes);
  double root(double low, double high, double push_low, double push_high);

  const System& system_;
  PathOptions options_;
  PathWatcher quiet_;
  Equilibrium equilibrium_;
  const Point& at_;
  Eigen::MatrixXd axes_, planes_;
  double amplitude_ = 0;
};

}  // namespace archway::analysis::detail
