#pragma once
#include <optional>
#include <string>

#include "archway/analysis/system.hpp"
#include "critical/critical_points_detail.hpp"
#include "critical/crossings_detail.hpp"
#include "critical/first_yield_detail.hpp"
#include "path/measures_detail.hpp"
#include "path/path_lead_detail.hpp"
#include "path/path_thresholds_detail.hpp"
#include "path/visited_detail.hpp"

namespace archway::analysis::detail {

/// The stepping strategy: predict, correct, judge, commit, record.
class Walk {
 public:
  Walk(const System& system, const PathOptions& options, const PathWatcher& watcher)
      : system_(system), options_(options), watcher_(watcher), equilibrium_(system, options, watcher), steps_(options) {
    flows_ = system.geometry().flows();
    if (flows_) steps_.without_corrections = 1.5;
    for (const auto& part : system.model().parts)
      seeks_yield_ = seeks_yield_ || system.model().materials[base::at(part.material)].yield_stress > 0;
    lead_.read_with([this](int watch, const Point& point) { return read(watch, point); });
  }

  PathResult run();

 private:
  // ---- the beginning ----

  bool begin_from_nothing();
  bool can_stand();
  bool put_constant_part();
  bool pull_a_little();
  bool go_on_from_kept();
  bool let_go();

  // ---- one increment ----

  bool advance();
  bool jump();
  void bound_by_load();
  void shorten(int cuts, double first);
  State ahead(double way) const;
  std::vector<double> force_rates();
  /// Something that touches or lets go.
  struct Ahead {
    std::size_t which = 0;  // see Equilibrium::touching
    double way = 0;
  };
  std::vector<Ahead> that_touch(double way, double beyond) const;
  std::vector<Ahead> that_let_go(double way);
  double way_to_corner(double way, bool past);
  void must_move() const;
  bool rotation_corner(double way);
  void tell_corner(const Point& before);

  struct Trial {
    Point point;  // as it is corrected
    double step = 0;
    Direction way;     // from the last state to this one
    double reach = 0;  // of that along the predictor
    double off = 0;    // of the state from what was foreseen, as a share of the way
    int iterations = 0, cuts = 0;
    bool bends = false;                   // it lies far from what was foreseen: on another path, or beyond a kink
    bool smallest = false, leap = false;  // leap: no step is so small that the state is where it was foreseen
    std::optional<Point> branch;          // left here at a bifurcation
    std::optional<Point> last;            // the path ends here, at what was asked for
  };
  void orient_at_contact(Trial& trial) const;
  Trial predict() const;
  bool correct(Trial& trial);
  bool by_arc() const { return lead_.by_arc(); }
  AttemptReport reach(Point& point, double way, Begin begin);
  bool judge(Trial& trial);
  std::optional<std::vector<Found>> critical_points(Trial& trial);
  bool is_left_at(const Found& found) const;

  // ---- whether a state is one of this path ----

  double off_predictor(const Trial& trial) const;
  bool near_enough(Trial& trial);
  bool left_on_branch(const Point& next) const;
  bool reverses(const Point& next) const;
  bool comes_back(const Trial& trial);
  bool is_return(const VisitedStates::Return& found, const Trial& trial);
  bool explained(const std::vector<Found>& events, Trial& trial);
  bool refuse(const std::string& reason);

  // ---- what was asked for on the way ----

  struct Output {
    double way = 0;
    Point point;
    int iterations = 0;
    bool ends = false;
    PathEvent event = PathEvent::none;
    std::vector<std::size_t> touches = {};  // of PathEvent::touch: see pressing()
  };
  std::optional<std::vector<Output>> outputs(const Trial& trial);
  double read(int watch, const Point& point) const;
  std::optional<Point> point_on_way(double way);
  std::optional<Point> where_watch_reads(const PathLead::Wanted& wanted, const Trial& trial);
  std::optional<Output> first_touch(const Trial& trial);
  std::vector<std::size_t> pressing(const Point& point) const;
  bool record_events(std::vector<Found>& critical, std::vector<Output>& outputs, Trial& trial);
  bool find_first_yield(const Trial& trial);
  void take(Found& found, Trial& trial);

  /// A way that leaves this path, to be followed when it is done.
  struct Leaving {
    PathBranch branch;
    Point point;
    double step = 0;
  };
  void note_branches(const Found& found);
  bool same_crossroads(const Found& found) const;
  void meet(const Found& found, Trial& trial);
  std::optional<Point> stable_way(const Found& found);
  PathOptions branch_options() const;
  void follow_branches();

 public:
  /// From a bifurcation of another path, whose measures of length it takes over.
  PathResult run_branch(const Walk& primary, Point point, double step);

 private:
  std::optional<Point> branch_from(const Found& found, const Eigen::VectorXd& shape, double sense);
  void commit(Trial trial, int cuts);
  void widen(const Trial& trial, int cuts);
  Direction bend_between(const Point& from, const Point& to, double way) const;

  // ---- what is reported ----

  struct Work {
    double step = 0;
    int iterations = 0, cuts = 0;
    double uncertainty = 0;
  };
  void record(const Point& point, PathEvent event, const Work& work);
  double softest(PathEvent event);
  Next tell_cut_back() const;
  bool stopped();
  std::string budget_spent() const;
  void end_inside();
  void end(Ending ending, const std::string& message);
  std::string stuck_message() const;
  int number() const { return static_cast<int>(result_.increments.size()); }

  PathResult finish();
  int last_index() const { return number() - 1; }

  const System& system_;
  const PathOptions& options_;
  const PathWatcher& watcher_;
  Equilibrium equilibrium_;
  YieldSearch yield_search_{system_, equilibrium_, system_.geometry().flows()};
  Measures measures_{system_, options_, equilibrium_};
  PathLead lead_{system_, options_, equilibrium_};
  VisitedStates visited_{system_, equilibrium_};
  CrossingWatch crossings_{system_.model()};
  StepRule steps_;
  PathResult result_;
  std::vector<Leaving> leaving_;
  std::pair<double, Eigen::MatrixXd> crossed_;  // load factor and modes of the last double bifurcation
  Point now_;                                   // with the direction in which the path goes on
  Direction bend_;                              // how that rotates, from the last two directions
  double step_ = 0, arc_per_factor_ = 1, highest_ = 0, branch_step_ = 0, step_before_touch_ = 0;
  int parent_ = -1, easy_ = 0, jumps_ = 0;
  double softest_at_start_ = kUnset, off_before_ = 0, gone_before_ = 0;
  std::vector<bool> touched_;  // obstacles and contacts that something has touched already
  std::string refused_;        // why the last step was not accepted; empty: no state was found
  bool to_touch_ = false;      // the step ends where something touches
  bool ended_ = false, just_branched_ = false, flows_ = false, seeks_yield_ = false;
};

}  // namespace archway::analysis::detail
