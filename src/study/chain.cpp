#include "archway/study/chain.hpp"

#include <map>

#include <fmt/format.h>

#include "analyses/run_detail.hpp"
#include "archway/study/advice.hpp"
#include "archway/study/comparison.hpp"
#include "archway/study/hand_checks.hpp"
#include "archway/study/likeness.hpp"
#include "build_model_detail.hpp"

namespace archway::study {

std::string to_text(const Variant& variant) {
  std::string text;
  for (const auto& [name, value] : variant.parameters)
    text += fmt::format("{}{} = {:g}", text.empty() ? "" : ", ", name, value);
  if (variant.refine != 1) text += fmt::format("{}{:g} times the elements", text.empty() ? "" : ", ", variant.refine);
  return text;
}

bool AnalysisOutcome::usable() const {
  return (linear && linear->usable()) || (buckling && buckling->usable()) || (path && path->usable());
}

const AnalysisSpec* StudySpec::find_analysis(const std::string& name) const {
  for (const auto& analysis : analyses)
    if (analysis.name == name) return &analysis;
  return nullptr;
}
const ImperfectionSpec* StudySpec::find_imperfection(const std::string& name) const {
  for (const auto& imperfection : imperfections)
    if (imperfection.name == name) return &imperfection;
  return nullptr;
}
const AnalysisOutcome* StudyResult::find(const std::string& analysis) const {
  for (const auto& outcome : outcomes)
    if (outcome.spec.name == analysis) return &outcome;
  return nullptr;
}
bool StudyResult::complete() const {
  for (const auto& outcome : outcomes)
    if (!outcome.usable()) return false;
  return !stopped && outcomes.size() == spec.analyses.size();
}

namespace {
/// Runs the analyses one after the other.
class Chain {
 public:
  Chain(const StudySpec& spec, const ChainWatcher& watcher) : watcher_(watcher) { result_.spec = spec; }

  StudyResult run() {
    if (auto list = complaints(result_.spec); !list.empty()) throw base::InputError(std::move(list));
    result_.model = std::make_shared<model::Model>(build_model(result_.spec));
    Stage base;
    base.threads = threads_;
    base.spec = result_.spec;
    base.model = result_.model;
    base.watch = watch_points(result_.spec, *result_.model);
    result_.check = check_model(result_.spec, *result_.model, true);
    if (result_.check.has_mechanism)
      throw base::InputError(
          result_.spec.file, result_.check.mechanism,
          "add supports that stop this movement; parts 1e12 times stiffer than others also hide what those resist");
    if (watcher_.checked) watcher_.checked(result_.check);
    stages_.emplace(Variant{}, std::move(base));
    for (const auto& spec : result_.spec.analyses) {
      if (watcher_.wants_stop && watcher_.wants_stop()) result_.stopped = true;
      if (result_.stopped) break;
      step(spec);
    }
    result_.hand_checks = hand_checks(result_);
    result_.comparison = comparison(result_);
    result_.shapes = compare_shapes(result_);
    return std::move(result_);
  }

 private:
  void step(const AnalysisSpec& spec) {
    if (stages_.count(spec.variant) == 0) stages_.emplace(spec.variant, stage_of(result_.spec, spec.variant, threads_));
    stage_ = &stages_.at(spec.variant);
    AnalysisOutcome outcome;
    outcome.spec = spec;
    outcome.model = outcome.geometry = stage_->model;
    outcome.watch = stage_->watch;
    Run run(result_, *stage_, watcher_, threads_);
    const bool ready = spec.kind->prepare(run, outcome);
    if (watcher_.started) watcher_.started(spec, outcome);
    if (ready) spec.kind->carry_out(run, outcome);
    const auto advice = advice_on(stage_->spec, outcome);
    outcome.warnings.insert(outcome.warnings.end(), advice.begin(), advice.end());
    if ((outcome.buckling && outcome.buckling->ending == analysis::Ending::stopped_by_caller) ||
        (outcome.path && outcome.path->ending == analysis::Ending::stopped_by_caller))
      result_.stopped = true;
    result_.outcomes.push_back(std::move(outcome));
    if (watcher_.finished) watcher_.finished(result_.outcomes.back());
  }

  const ChainWatcher& watcher_;
  Threads threads_ = base::make_executor();  ///< of all analyses of the chain
  StudyResult result_;
  std::map<Variant, Stage> stages_;
  Stage* stage_ = nullptr;  ///< of the analysis at hand
};
}  // namespace

StudyResult run_study(const StudySpec& spec, const ChainWatcher& watcher) {
  return Chain(spec, watcher).run();
}

}  // namespace archway::study
