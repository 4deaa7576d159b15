#include <fmt/format.h>

#include "archway/analysis/reduced_model.hpp"
#include "archway/study/imperfection_kind.hpp"
#include "archway/theory/catalogue.hpp"
#include "study_file/study_reader_detail.hpp"

namespace archway::io::detail {

namespace {
/// Imperfections, analyses and hand checks: what is done with the structure.
class AnalysisReader : SpotReader {
 public:
  AnalysisReader(Reading& reading, study::StudySpec& out) : SpotReader(reading), out_(out) {}
  void read(TableReader& root) {
    root.each("imperfections", "this imperfection",
              [&](TableReader& t) { out_.imperfections.push_back(study::read_imperfection(t)); });
    root.each("analyses", "this analysis", [&](TableReader& t) { analysis(t); });
    root.each("designs", "this design", [&](TableReader& t) { design(t); });
    root.each("sweeps", "this sweep", [&](TableReader& t) { sweep(t); });
    root.each("hand_checks", "this hand check", [&](TableReader& t) { hand_check(t); });
  }

 private:
  void analysis(TableReader& t) {
    study::AnalysisSpec a = copied(t);
    a.place = t.place();
    a.name = t.text("name");
    const std::size_t known = reading_.complaints.size();
    if (a.like.empty() || t.has("kind"))
      a.kind = study::analysis_kinds()[t.choice("kind", words_of(study::analysis_kinds()), "")];
    if (reading_.complaints.size() > known) return t.forgive();
    variant(t, a);
    a.kind->read(t, a);
    out_.analyses.push_back(a);
  }

  /// An analysis to start from: empty, or the one named by `like`.
  study::AnalysisSpec copied(TableReader& t) {
    study::AnalysisSpec a;
    if (!t.has("copy_of")) return a;
    const std::string name = t.text("copy_of");
    if (const auto* from = out_.find_analysis(name)) {
      a = *from;
      a.like = name;
      return a;
    }
    std::vector<std::string> names;
    for (const auto& known : out_.analyses) names.push_back(known.name);
    reading_.complain(t.place("copy_of"), fmt::format("there is no earlier analysis named '{}' to copy", name),
                      base::suggestion(name, names));
    return a;
  }

  /// A set of parameters under which all is run again.
  void design(TableReader& t) {
    study::DesignSpec d;
    d.place = t.place();
    d.name = t.text("name");
    set(t, d.parameters);
    if (d.parameters.empty())
      reading_.complain(t.place(), fmt::format("design '{}' changes nothing", d.name), "add set = { thickness = 5 }");
    out_.designs.push_back(d);
  }

  void sweep(TableReader& t) {
    study::SweepSpec s;
    s.place = t.place();
    s.name = t.text("name");
    s.analysis = t.text("analysis");
    s.imperfections = t.texts("imperfections");
    s.amplitudes = t.number_list("amplitudes");
    s.times = t.has("amplitude_factors");
    if (s.times) s.amplitudes = t.number_list("amplitude_factors");
    if (t.has("worst_of")) {
      s.worst_of = t.text("worst_of");
      s.worst_modes = t.whole("modes", 5);
      s.worst_steps = t.whole("steps", 4);
      s.screen = t.whole("screen", 0);
      s.screen_paths = t.whole("paths", 4);
      if (s.screen < 0 || s.screen > 100000 || s.screen_paths < 1)
        reading_.complain(t.place("screen"), "so many mixes cannot be looked through", "screen = 500, paths = 4");
      if (s.screen > 0 && s.worst_modes > analysis::kMostReducedModes)
        reading_.complain(t.place("modes"), fmt::format("mixes of {} modes cannot be screened", s.worst_modes),
                          fmt::format("take {} modes at most", analysis::kMostReducedModes));
      if (s.worst_modes < 2 || s.worst_steps < (s.screen > 0 ? 0 : 1))
        reading_.complain(t.place("worst_of"), "the worst of one mode, or by no step, is no search",
                          "modes = 5, steps = 4");
      if (s.amplitudes.size() != 1 || s.times)
        reading_.complain(t.place(), fmt::format("sweep '{}' looks for the worst shape of one size", s.name),
                          "give amplitudes = [0.5], the largest displacement it may have");
    }
    s.both_signs = t.flag("both_signs", false);
    s.designs = t.texts("designs");
    s.seeds = t.whole("samples", 0);
    s.first_seed = static_cast<unsigned long long>(t.whole("first_seed", 1));
    if (s.imperfections.empty() && s.worst_of.empty())
      reading_.complain(t.place(), fmt::format("sweep '{}' does not say which imperfections it takes", s.name),
                        "add imperfections = [\"bow\"]");
    if (s.amplitudes.empty() && s.seeds == 0)
      reading_.complain(
          t.place(), fmt::format("sweep '{}' has no amplitudes", s.name),
          "add amplitudes = [0.5, 1, 2] (largest displacements), or amplitude_factors = [0.5, 1] (of their own amplitudes)");
    for (const double a : s.amplitudes)
      if (!(a > 0))
        reading_.complain(t.place(), fmt::format("an amplitude of sweep '{}' is {:g}", s.name, a),
                          "give amplitudes above zero; both_signs = true adds the negative ones");
    out_.sweeps.push_back(s);
  }

  /// set = { thickness = 5 }, refine = 2: another structure.
  void variant(TableReader& t, study::AnalysisSpec& a) {
    set(t, a.variant.parameters);
    a.variant.refine = t.number("refine", a.variant.refine);
    positive(t, "refine", a.variant.refine);
  }

  void set(TableReader& t, std::map<std::string, double>& parameters) {
    if (const auto* found = t.node("set")) {
      if (const auto* table = found->as_table()) {
        for (const auto& [key, value] : *table) {
          const std::string name(key.str());
          if (out_.parameters.count(name) == 0) {
            std::vector<std::string> names;
            for (const auto& [known, number] : out_.parameters) names.push_back(known);
            reading_.complain(reading_.place(value), fmt::format("the study has no parameter '{}' to set", name),
                              base::suggestion(name, names, "its parameters", "it has no [parameters]"));
          }
          parameters[name] = reading_.number(value, fmt::format("'{}'", name)).value_or(0);
        }
      } else {
        reading_.complain(t.place("set"), "'set' must be a table of parameters", "for instance { thickness = 5 }");
      }
    }
  }

  void hand_check(TableReader& t) {
    study::HandCheckSpec h;
    h.place = t.place();
    h.of = t.text("analysis");
    h.formula = t.text("formula");
    h.mode = t.whole("mode", 1);
    h.mode_given = t.has("mode");
    h.value = t.whole("critical_load", h.mode);
    if (h.mode < 1 || h.value < 1) reading_.complain(t.place(), "modes and values are counted from 1", "");
    h.material = t.text("material", "");
    h.profile = t.text("profile", "");
    h.member = t.text("member", "");
    if (t.has("about")) h.about = t.choice("about", {"y", "z"}, "") == 0 ? "y" : "z";
    h.at_factor_one = t.number("load_at_factor_one", 0.0);
    const auto* inputs = t.node("inputs");
    const auto* table = inputs == nullptr ? nullptr : inputs->as_table();
    if (inputs != nullptr && table == nullptr)
      reading_.complain(t.place("inputs"), "'inputs' must be a table", "for instance { length = 3000 }");
    if (table != nullptr)
      for (const auto& [key, value] : *table) input(h, std::string(key.str()), value);
    out_.hand_checks.push_back(std::move(h));
  }

  /// A word where the formula takes one, else a number or an expression.
  void input(study::HandCheckSpec& h, const std::string& name, const toml::node& value) {
    bool is_word = false;
    for (const auto& formula : theory::formulas())
      for (const auto& known : formula.inputs)
        is_word = is_word || (formula.name == h.formula && known.name == name && known.is_word());
    if (is_word)
      h.words[name] = value.value_or(std::string("?"));
    else
      h.numbers[name] = reading_.number(value, fmt::format("'{}'", name)).value_or(0);
  }

  study::StudySpec& out_;
};
}  // namespace

void read_analyses(Reading& reading, TableReader& root, study::StudySpec& spec) {
  AnalysisReader(reading, spec).read(root);
}

}  // namespace archway::io::detail
