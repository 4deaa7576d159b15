#include "archway/analysis/stages.hpp"

#include <cmath>
#include <map>

#include <fmt/format.h>

#include "archway/analysis/system.hpp"
#include "archway/base/index.hpp"
#include "archway/elements/tie.hpp"

namespace archway::analysis {

namespace {
using base::at;

class Stages {
 public:
  Stages(const std::vector<PathStage>& stages, const PathWatcher& watcher) : stages_(stages), watcher_(watcher) {}

  PathResult run() {
    for (std::size_t k = 0; k < stages_.size(); ++k)
      if (!follow(k)) break;
    return std::move(whole_);
  }

 private:
  struct InPlace {
    model::Combination load;
    double factor = 0;
  };

  /// False: the path ends with this stage.
  bool follow(std::size_t k) {
    const PathStage& stage = stages_[k];
    PathOptions options = stage.options;
    if (k == 0)
      constant_ = options.constant;
    else
      go_on(k, options);
    auto system = stage.system;
    if (k > 0 && system != stages_[k - 1].system && !system->ties().empty())
      system = system->standing_at(options.start->kept->state);
    PathResult own = follow_path(*system, options, watcher_for(k));
    const bool arrived = !stage.must_arrive || reached(own, stage);
    add(k, std::move(own), options);
    if (whole_.ending != Ending::done) return false;
    in_place_[stage.load] = {stage.options.variable, whole_.increments.back().load_factor};
    if (k + 1 < stages_.size() && !arrived) {
      whole_.stop_reason +=
          fmt::format("; stage '{}' did not arrive, so '{}' was not begun", stage.name, stages_[k + 1].name);
      return false;
    }
    return true;
  }

  static bool reached(const PathResult& own, const PathStage& stage) {
    const auto& end = stage.options.stop.load_factor;
    return !end || (!own.increments.empty() &&
                    std::abs(own.increments.back().load_factor - *end) <= 1e-9 * std::max(1.0, std::abs(*end)));
  }

  void go_on(std::size_t k, PathOptions& options) const {
    const PathStage& stage = stages_[k];
    options.constant = constant_;
    double factor = 0;
    for (const auto& [name, load] : in_place_) {
      if (name == stage.load)
        factor = load.factor;
      else
        for (const auto& [action, share] : load.load.terms)
          options.constant.terms.emplace_back(action, share * load.factor);
    }
    auto kept = std::make_shared<KeptState>(*whole_.increments.back().kept);
    kept->load_factor = factor;
    kept->preload = 1;
    PathStart start;
    start.kept = std::move(kept);
    start.let_go = stage.system != stages_[k - 1].system;
    options.start = std::make_shared<const PathStart>(std::move(start));
  }

  PathWatcher watcher_for(std::size_t k) const {
    if (!watcher_) return {};
    return [this, k, offset = offset_()](const PathProgress& progress) {
      PathProgress own = progress;
      own.attempt_number += offset;
      if (progress.increment == nullptr) return watcher_(own);
      Increment told = *progress.increment;
      place(told, k, offset);
      own.increment = &told;
      return watcher_(own);
    };
  }

  int offset_() const { return static_cast<int>(whole_.increments.size()); }

  void place(Increment& increment, std::size_t k, int offset) const {
    if (increment.number == 0 && k > 0) increment.event = PathEvent::stage;
    increment.number += offset;
    increment.parent = increment.parent < 0 ? offset - 1 : increment.parent + offset;
    if (k == 0 && increment.number == 0) increment.parent = -1;
    increment.stage = static_cast<int>(k);
    if (whole_.increments.empty()) return;
    increment.external_work += whole_.increments.back().external_work;
    increment.energy_gap += whole_.increments.back().energy_gap;
  }

  void add(std::size_t k, PathResult own, const PathOptions& options) {
    const int offset = offset_();
    StageRecord record{stages_[k].name, stages_[k].load,  offset,          0,
                       own.stop_reason, options.constant, options.variable};
    for (auto& i : own.increments) place(i, k, offset);
    for (auto& point : own.critical_points) point.increment += offset;
    for (auto& change : own.control_changes) change.increment += offset;
    for (auto& swing : own.swings) swing.increment += offset;
    for (auto& crossing : own.crossings) crossing.increment += offset;
    for (auto& branch : own.branches) branch.increment += offset;
    if (own.first_loss >= 0) own.first_loss += offset;
    if (own.peak >= 0) own.peak += offset;
    if (own.first_yield.part >= 0) own.first_yield.increment += offset;
    record.last = offset + static_cast<int>(own.increments.size()) - 1;
    record.peak_is_limit_point = own.peak_is_limit_point;
    record.peak = own.peak;
    PathResult before = std::move(whole_);
    whole_ = std::move(own);
    if (k == 0) {
      whole_.stages = {record};
      return;
    }
    join(std::move(before));
    whole_.stages.push_back(std::move(record));
  }

  /// What came before goes in front of what is in `whole_`; the first peak, loss and yield count.
  void join(PathResult before) {
    if (!std::isfinite(whole_.first_attempt)) whole_.first_attempt = before.first_attempt;
    auto& now = whole_;
    for (auto& i : now.increments) before.increments.push_back(std::move(i));
    now.increments = std::move(before.increments);
    for (auto& c : now.control_changes) before.control_changes.push_back(std::move(c));
    now.control_changes = std::move(before.control_changes);
    now.swings.insert(now.swings.begin(), before.swings.begin(), before.swings.end());
    for (auto& c : now.critical_points) before.critical_points.push_back(std::move(c));
    now.critical_points = std::move(before.critical_points);
    for (auto& c : now.crossings)
      if (std::none_of(before.crossings.begin(), before.crossings.end(),
                       [&](const Crossing& b) { return b.part == c.part && b.other == c.other; }))
        before.crossings.push_back(c);
    now.crossings = std::move(before.crossings);
    for (auto& b : now.branches) before.branches.push_back(std::move(b));
    now.branches = std::move(before.branches);
    now.stages = std::move(before.stages);
    if (before.first_loss >= 0) now.first_loss = before.first_loss;
    if (before.first_yield.part >= 0) now.first_yield = before.first_yield;
    if (before.peak_is_limit_point || now.peak < 0) {
      now.peak = before.peak;
      now.peak_is_limit_point = before.peak_is_limit_point;
      now.peak_load_factor = before.peak_load_factor;
    }
    now.branched = now.branched || before.branched;
    now.unsymmetric = now.unsymmetric || before.unsymmetric;
    now.factorisations += before.factorisations;
  }

  const std::vector<PathStage>& stages_;
  const PathWatcher& watcher_;
  model::Combination constant_;
  std::map<std::string, InPlace> in_place_;
  PathResult whole_;
};
}  // namespace

PathResult follow_stages(const std::vector<PathStage>& stages, const PathWatcher& watcher) {
  if (stages.empty()) throw base::InputError("stages", "there are none", "give at least one");
  for (const auto& stage : stages)
    if (!stage.options.record.states && stages.size() > 1)
      throw base::InputError("stages", "states must be kept, as the next stage goes on from the last one", "");
  return Stages(stages, watcher).run();
}

}  // namespace archway::analysis
