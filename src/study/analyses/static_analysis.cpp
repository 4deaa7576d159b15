#include <fmt/format.h>

#include "run/run_detail.hpp"

namespace archway::study {

namespace {
class LinearStatic final : public AnalysisKind {
 public:
  const char* word() const override { return "LA"; }
  const char* title() const override { return "linear static analysis"; }
  Gives gives() const override { return Gives::load; }

  void read(Keys& keys, AnalysisSpec& a) const override {
    a.load = a.like.empty() ? keys.text("load") : keys.text("load", a.load);
    read_surface(keys, a);
  }

  void check(const AnalysisSpec& a, References& references) const override {
    references.load_exists(a.place, a.load);
    references.load_exists(a.place, a.load);
    if (a.load.empty())
      references.complain(a.place, fmt::format("analysis '{}' has no load", a.name),
                          "name an action or combination with load = \"...\"");
  }

  bool prepare(Run& run, AnalysisOutcome& outcome) const override {
    outcome.variable = run.stage.model->load_named(outcome.spec.load);
    run.resolve_totals(outcome);
    return true;
  }

  void carry_out(Run& run, AnalysisOutcome& outcome) const override {
    const auto& system = run.system(outcome, "constant");
    outcome.linear = std::make_shared<analysis::LinearStaticResult>(analysis::linear_static(system, outcome.variable));
    if (const auto text = mean_stiffness_text(system, outcome.linear.get()); !text.empty())
      outcome.warnings.push_back(text + ": for the springs as they are follow a path (GNA)");
    if (outcome.linear->usable()) outcome.plies = ply_failures(run.stage.spec, system, *outcome.linear);
    if (outcome.linear->usable())
      outcome.stresses =
          std::make_shared<analysis::RecoveredStress>(analysis::recover_stresses(system, *outcome.linear));
  }

  void advise(const StudySpec&, const AnalysisOutcome& outcome, std::vector<std::string>& list) const override {
    if (!outcome.linear) return;
    if (!outcome.linear->usable())
      list.push_back(outcome.linear->message);
    else if (outcome.linear->imbalance > 1e-6)
      list.push_back(fmt::format("loads and reactions differ by {:.2g} of the load: the solution is not to be trusted",
                                 outcome.linear->imbalance));
  }

  void compare(const StudyResult&, const AnalysisOutcome&, std::vector<ComparisonRow>&) const override {}
};
}  // namespace

const AnalysisKind& linear_static_kind() {
  static const LinearStatic kind;
  return kind;
}

}  // namespace archway::study
