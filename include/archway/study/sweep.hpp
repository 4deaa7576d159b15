#pragma once
#include "archway/study/chain.hpp"

namespace archway::study {

/// One run of a sweep.
struct SweepCase {
  int number = 0;                       ///< from 1
  std::string imperfection, design;     ///< design: empty: the study's own structure
  double amplitude = analysis::kUnset;  ///< with its sign, as the sweep says; NaN: the imperfection's own
  unsigned long long seed = 0;          ///< of a random imperfection; 0: its own
};
/// Every case of a sweep, in the order of designs, imperfections, seeds, amplitudes and signs.
std::vector<SweepCase> cases_of(const SweepSpec& sweep);
/// "bow, 0.5, wide": what reports a case from others.
std::string to_text(const SweepCase& one);

/// What a case came to.
struct CaseResult {
  SweepCase of;
  bool usable = false;
  std::string ending;              ///< why it ended, or what went wrong
  double peak = analysis::kUnset;  ///< load factor: first limit point, or largest
  bool is_limit_point = false;
  double first_loss = analysis::kUnset;  ///< load factor at which it first loses its stability; NaN: it does not
  double first_yield = analysis::kUnset;
  double critical = analysis::kUnset;        ///< of the linear buckling analysis that the path starts from
  double largest = 0, root_mean_square = 0;  ///< of the imperfection
  double thickness = 0;                      ///< where it is largest
  /// Coefficients of the branch of the mode that it is shaped like, see analysis::PostBuckling; NaN: not known.
  double branch_load = analysis::kUnset, branch_a = analysis::kUnset, branch_b = analysis::kUnset;
  int increments = 0, factorisations = 0;
  /// What decides: the first loss of stability where that comes before the peak.
  double load_factor() const { return first_loss < peak ? first_loss : peak; }
};

/// A mix of modes and the load factor that is predicted for it; infinite: no loss of stability is.
struct Mix {
  std::vector<double> factors;  ///< largest 1
  double predicted = analysis::kUnset;
};
/// The worst of a list (worst first) that are not nearly one another: their directions are 25 degrees apart or more.
std::vector<Mix> unlike(const std::vector<Mix>& mixes, int count);

/// What the cases of a sweep share: structures, and what their imperfections are made from.
class Sweep {
 public:
  /// Solves what the path leans on, for the study's own structure and every design. \throws base::InputError
  Sweep(const StudySpec& spec, const SweepSpec& sweep, const ChainWatcher& watcher);
  const std::vector<SweepCase>& cases() const { return cases_; }
  /// Runs one case. What is wrong with it is reported in the result.
  CaseResult run(const SweepCase& one);
  /// Critical load factor of the linear buckling analysis that the path starts from; NaN: there is none.
  double critical(const std::string& design) const;
  /// Looks for the mix of the first modes that leaves least of the load, of one largest displacement: from the first
  /// mode (or it reversed, or the worst that were screened, whichever is worst) along the slopes of the peak, each step
  /// a path of its own; a step that does not lower the load is halved. Elastic paths with limit points. \param reported
  /// called after every run
  struct WorstStep {
    std::vector<double> mix;  ///< factors of the modes, largest 1
    CaseResult result;
    bool better = false;
    double predicted = analysis::kUnset;  ///< load factor by the reduced model, where it was screened
  };
  /// \param screened  mixes to follow besides
  std::vector<WorstStep> worst(const std::vector<Mix>& screened, const std::function<void(const WorstStep&)>& told);
  /// What the reduced model predicts of mixes of the first modes, of the sweep's one largest displacement: so many in
  /// all directions alike (the same ones each time), those of single modes, and the worst few taken on downhill. By one
  /// path of the perfect structure up to its bifurcation. \throws base::InputError when there is no such model
  struct Screening {
    std::vector<Mix> mixes;  ///< worst first
    int modes = 0, factorisations = 0, evaluations = 0;
    double critical = analysis::kUnset;  ///< of the perfect path
  };
  Screening screened();
  /// See OpenChain::use_threads.
  void use_threads(int threads) { chain_.use_threads(threads); }

 private:
  const AnalysisSpec& path_of(const std::string& design) const;
  CaseResult carried_out(const AnalysisSpec& path, const ImperfectionSpec& imperfection,
                         std::vector<std::pair<std::string, double>>* slopes);
  /// Of those asked for, as many as there are. \throws base::InputError when they are fewer than two
  std::size_t mixed_modes() const;
  WorstStep followed(const std::vector<double>& mix, double predicted, const std::vector<WorstStep>& before,
                     std::vector<double>& slopes);
  /// Of the study's own structure, where a GNA beside the path reports them and the case has the shape of the first
  /// mode.
  void tell_branch(const ImperfectionSpec& imperfection, CaseResult& result) const;
  static StudySpec shared_part(const StudySpec& spec, const SweepSpec& sweep);

  StudySpec spec_;
  SweepSpec sweep_;
  std::vector<SweepCase> cases_;
  OpenChain chain_;
};

/// A sample of load factors: how they spread. [ISO16269-6] tolerance limit: with so much confidence 95 % lie above.
struct Spread {
  int count = 0;
  double mean = 0, deviation = 0;
  double fractile = 0;         ///< 5 %, of a normal distribution with the sample's mean and deviation
  double with_confidence = 0;  ///< the same with 75 % confidence that it is no lower
};
Spread spread_of(const std::vector<double>& load_factors);

}  // namespace archway::study
