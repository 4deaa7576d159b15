#include "archway/study/chain.hpp"

#include <map>
#include <set>

#include <fmt/format.h>

#include "archway/study/advice.hpp"
#include "archway/study/comparison.hpp"
#include "archway/study/hand_checks.hpp"
#include "archway/study/likeness.hpp"
#include "archway/study/load_as_given.hpp"
#include "build/build_model_detail.hpp"
#include "run/run_detail.hpp"

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

/// Runs the analyses one after the other.
class OpenChain::Chain {
 public:
  Chain(const StudySpec& spec, const ChainWatcher& watcher) : watcher_(watcher) {
    result_.spec = spec;
    if (auto list = complaints(result_.spec); !list.empty()) throw base::InputError(std::move(list));
    result_.model = std::make_shared<model::Model>(build_model(result_.spec));
    PreparedModel base;
    base.threads = threads_;
    base.spec = result_.spec;
    base.model = result_.model;
    base.watch = watch_points(result_.spec, *result_.model);
    result_.check = check_model(result_.spec, *result_.model, true, threads_, &base.checked);
    if (result_.check.has_mechanism)
      throw base::InputError(
          result_.spec.file, result_.check.mechanism,
          "add supports that prevent this mechanism; parts 1e12 times stiffer than others also hide what those resist");
    if (watcher_.checked) watcher_.checked(result_.check);
    stages_.emplace(Variant{}, std::move(base));
  }

  void run_all() {
    const auto list = result_.spec.analyses;
    for (const auto& spec : list) {
      if (watcher_.wants_stop && watcher_.wants_stop()) result_.stopped = true;
      if (result_.stopped) break;
      step(spec);
    }
  }

  StudyResult close() {
    result_.load_findings = load_findings(result_);
    result_.hand_checks = hand_checks(result_);
    result_.comparison = comparison(result_);
    result_.shapes = compare_shapes(result_);
    result_.cost = algebra::work_done() - before_;
    return std::move(result_);
  }

  void step(const AnalysisSpec& spec) {
    AnalysisOutcome outcome = carried_out(spec, stage_of_variant(spec.variant));
    if ((outcome.buckling && outcome.buckling->ending == analysis::Ending::stopped_by_caller) ||
        (outcome.path && outcome.path->ending == analysis::Ending::stopped_by_caller))
      result_.stopped = true;
    result_.outcomes.push_back(std::move(outcome));
    if (watcher_.finished) watcher_.finished(result_.outcomes.back());
  }

  AnalysisOutcome with(AnalysisSpec path, const ImperfectionSpec& imperfection) {
    PreparedModel& stage = stage_of_variant(path.variant);
    stage.spec.imperfections.push_back(imperfection);
    path.imperfections = {{imperfection.name, 1.0}};
    try {
      auto outcome = carried_out(path, stage);
      stage.spec.imperfections.pop_back();
      return outcome;
    } catch (...) {
      stage.spec.imperfections.pop_back();
      throw;
    }
  }

  AnalysisOutcome apart(const AnalysisSpec& analysis) {
    return carried_out(analysis, stage_of_variant(analysis.variant));
  }

  const StudyResult& so_far() const { return result_; }

  void use_threads(int threads) {
    threads_ = base::make_executor(threads);
    for (auto& [variant, stage] : stages_) {
      stage.use_threads(threads_);
    }
  }

 private:
  PreparedModel& stage_of_variant(const Variant& variant) {
    if (stages_.count(variant) == 0) stages_.emplace(variant, stage_of(result_.spec, variant, threads_));
    return stages_.at(variant);
  }

  AnalysisOutcome carried_out(const AnalysisSpec& spec, PreparedModel& stage) {
    AnalysisOutcome outcome;
    outcome.spec = spec;
    outcome.model = outcome.geometry = stage.model;
    outcome.watch = stage.watch;
    Run run(result_, stage, watcher_, threads_);
    const bool ready = spec.kind->prepare(run, outcome);
    if (watcher_.started) watcher_.started(spec, outcome);
    if (ready) spec.kind->carry_out(run, outcome);
    const auto advice = advice_on(stage.spec, outcome);
    outcome.warnings.insert(outcome.warnings.end(), advice.begin(), advice.end());
    return outcome;
  }

  const algebra::FactorCost before_ = algebra::work_done();
  const ChainWatcher watcher_;
  Threads threads_ = base::make_executor();  ///< of all analyses of the chain
  StudyResult result_;
  std::map<Variant, PreparedModel> stages_;
};

OpenChain::OpenChain(const StudySpec& spec, const ChainWatcher& watcher)
    : chain_(std::make_unique<Chain>(spec, watcher)) {}
OpenChain::~OpenChain() = default;
const StudyResult& OpenChain::so_far() const {
  return chain_->so_far();
}
void OpenChain::step(const AnalysisSpec& analysis) {
  chain_->step(analysis);
}
AnalysisOutcome OpenChain::with(const AnalysisSpec& path, const ImperfectionSpec& imperfection) {
  return chain_->with(path, imperfection);
}
AnalysisOutcome OpenChain::apart(const AnalysisSpec& analysis) {
  return chain_->apart(analysis);
}
void OpenChain::run_all() {
  chain_->run_all();
}
StudyResult OpenChain::close() {
  return chain_->close();
}
void OpenChain::use_threads(int threads) {
  chain_->use_threads(threads);
}

StudyResult run_study(const StudySpec& spec, const ChainWatcher& watcher) {
  OpenChain chain(spec, watcher);
  chain.run_all();
  return chain.close();
}

std::vector<AnalysisSpec> with_sources(const StudySpec& spec, const std::vector<std::string>& names) {
  std::set<std::string> wanted(names.begin(), names.end());
  // sources come before what is made from them, so one way back is enough
  for (auto a = spec.analyses.rbegin(); a != spec.analyses.rend(); ++a) {
    if (wanted.count(a->name) == 0) continue;
    wanted.insert(a->source);
    for (const auto& [name, factor] : a->imperfections)
      if (const auto* i = spec.find_imperfection(name))
        wanted.insert(spec.find_analysis(i->made_from + a->suffix) != nullptr ? i->made_from + a->suffix
                                                                              : i->made_from);
  }
  std::vector<AnalysisSpec> list;
  for (const auto& a : spec.analyses)
    if (wanted.count(a.name) != 0) list.push_back(a);
  return list;
}

}  // namespace archway::study
