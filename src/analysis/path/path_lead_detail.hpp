#pragma once
#include "newton/equilibrium_detail.hpp"

namespace archway::analysis::detail {

/// What leads a path: how far along it a state lies, and how a state so far along is found.
class PathLead {
 public:
  PathLead(const System& system, const PathOptions& options, Equilibrium& equilibrium)
      : system_(system),
        options_(options),
        equilibrium_(equilibrium),
        control_(options.steps.control),
        watch_(options.steps.lead) {}
  using ReadWatch = std::function<double(int watch, const Point& point)>;
  /// How watches are read that are no functions of single nodes.
  void read_with(ReadWatch read) { read_ = std::move(read); }

  bool by_arc() const { return control_ == PathControl::arc_length; }
  bool by_load() const { return control_ == PathControl::load; }
  /// The load factor falls to where it shall end.
  void fall() { sense_ = -1; }
  /// 1, or -1 where the load factor falls to where it shall end.
  double sense() const { return sense_; }
  /// Rotations a direction so that the load goes to where it shall end.
  void rotation(Direction& direction) const;

  /// A state so far along the predictor from `from`; by load control with so much more load, by a displacement where
  /// going along the predictor would bring what leads.
  AttemptReport reach(const Point& from, const Direction& bend, Point& point, double way, int number, Begin begin);
  /// In the measure that reach() takes.
  double way_between(const Point& from, const Point& to, const Direction& way) const;
  /// An increment that was accepted: what leads changes at this rate.
  void passed(const Point& from, const Point& to, const Direction& way);
  /// Where one control found no way on: the next, each once from a state. False: all have been tried.
  bool next(const Point& from, int number);
  ControlChange change(int number) const {
    return {number, control_, control_ == PathControl::displacement ? leader().name : ""};
  }
  /// A load factor or a displacement that was asked for, within an increment.
  struct Wanted {
    std::optional<double> factor;  ///< none: of a watch
    int watch = -1;
    double value = 0, share = 0;  ///< share: of the increment
    bool ends = false;            ///< the path ends there
    double start = 0, here = 0;   ///< what it is at both ends of the increment
  };
  /// In the order in which the increment passes them, up to the first that ends the path.
  std::vector<Wanted> wanted_between(const Point& from, const Point& to, const ReadWatch& read) const;
  /// The state there, found from the side: neither end of the increment changes. None: no state is found.
  /// \param wanted  a load factor, or the value of a watch of single nodes
  std::optional<Point> state_at(const Wanted& wanted, const Point& from, const Point& to, double step, int number);

 private:
  double load_target(const Point& from, double way) const;
  double per_way(const Point& from, const WatchPoint& watch) const;
  bool still_at(const Point& from) const;
  bool by_search() const { return control_ == PathControl::displacement && !leader().of_nodes(); }
  AttemptReport search(const Point& from, const Direction& bend, Point& point, double way, int number, Begin begin);
  bool choose_watch(const Point& from);
  Direction towards(const Point& from, const Point& to, const Wanted& reading) const;
  bool further(const Point& from, const Point& within, const Point& to) const;
  const WatchPoint& leader() const { return watch_ < 0 ? own_ : options_.watch[static_cast<std::size_t>(watch_)]; }

  const System& system_;
  const PathOptions& options_;
  Equilibrium& equilibrium_;
  PathControl control_;
  WatchPoint own_;  // of the node that moves most, where no watch leads
  std::vector<PathControl> tried_;
  int tried_from_ = -1, watch_;
  double sense_ = 1;
  ReadWatch read_;
  double rate_ = kUnset;  // by_search(): of what leads by arc, in the last increment. NaN: by the arc itself
};

/// Displacements of the nodes from one state to another, full.
Eigen::VectorXd displacement_between(const Point& from, const Point& to);

}  // namespace archway::analysis::detail
