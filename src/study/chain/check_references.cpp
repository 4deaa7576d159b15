#include <cctype>

#include <fmt/format.h>

#include "archway/study/hand_checks.hpp"
#include "imperfections/imperfection_detail.hpp"
#include "spec/names_detail.hpp"

namespace archway::study {

namespace {
class ReferenceCheck {
 public:
  explicit ReferenceCheck(const StudySpec& spec) : spec_(spec), references_(spec) {}
  std::vector<base::Complaint> run() {
    for (const auto& member : spec_.members) name(member.name, "part", member.place, parts_);
    for (const auto& bar : spec_.bars) name(bar.name, "part", bar.place, parts_);
    for (const auto& panel : spec_.panels) name(panel.name, "part", panel.place, parts_);
    for (const auto& solid : spec_.solids) name(solid.name, "part", solid.place, parts_);
    for (const auto& coupling : spec_.couplings) name(coupling.name, "coupling", coupling.place, parts_);
    for (const auto& obstacle : spec_.obstacles) name(obstacle.body.name, "obstacle", obstacle.place, obstacles_);
    for (const auto& contact : spec_.contacts) name(contact.name, "contact", contact.place, obstacles_);
    for (const auto& watch : spec_.watches) name(watch.name, "watch point", watch.place, watches_);
    for (const auto& action : spec_.actions) name(action.name, "action", action.place, references_.loads);
    for (const auto& combination : spec_.combinations)
      name(combination.name, "load", combination.place, references_.loads);
    for (const auto& analysis : spec_.analyses) {
      analysis.kind->check(analysis, references_);
      name(analysis.name, "analysis", analysis.place, references_.before, analysis.suffix.size());
    }
    times();
    designs();
    for (const auto& sweep : spec_.sweeps) look_at(sweep);
    for (const auto& chart : spec_.pictures.charts) look_at(chart);
    for (const auto& imperfection : spec_.imperfections) check_imperfection(imperfection, references_);
    for (const auto& analysis : spec_.analyses) file_names(analysis);
    return std::move(references_.list);
  }

 private:
  void complain(const SourceLocation& place, std::string problem, std::string remedy) {
    references_.complain(place, std::move(problem), std::move(remedy));
  }
  /// Times at which something is there are times of some analysis.
  void times() {
    std::vector<std::string> known = {"constant", "variable", "buckling"};
    for (const auto& a : spec_.analyses)
      for (const auto& stage : a.stages) known.push_back(stage.name);
    const auto look = [&](const During& during, const SourceLocation& place) {
      for (const auto& name : during)
        if (std::find(known.begin(), known.end(), name) == known.end())
          complain(place, fmt::format("'active_in' names '{}', which is no stage of any analysis", name),
                   base::suggestion(name, known));
    };
    for (const auto& s : spec_.supports) look(s.during, s.at.place);
    for (const auto& c : spec_.couplings) look(c.during, c.place);
    for (const auto& b : spec_.bonds) look(b.during, b.place);
  }
  void designs() {
    for (const auto& design : spec_.designs) name(design.name, "design", design.place, designs_);
  }
  void look_at(const ChartSpec& chart) {
    name(chart.name, "chart", chart.place, charts_);
    auto named = chart.watches;
    if (!chart.against.empty()) named.push_back(chart.against);
    for (const auto& word : named)
      if (std::find(watches_.begin(), watches_.end(), word) == watches_.end())
        complain(chart.place, fmt::format("chart '{}' shows '{}', which is no watch point", chart.name, word),
                 base::suggestion(word, watches_));
    for (const auto& word : chart.analyses) {
      const auto* path = spec_.find_analysis(word);
      if (path == nullptr || path->kind->gives() != AnalysisKind::Gives::states)
        complain(chart.place, fmt::format("chart '{}' shows '{}', which is no path", chart.name, word),
                 base::suggestion(word, references_.before));
    }
    if (!alike(chart))
      complain(chart.place, fmt::format("chart '{}' shows watches of different kinds along one axis", chart.name),
               "displacements together, rotations together, forces together: one chart each");
  }
  /// Watches of a chart are of one kind (displacements and distances count alike).
  bool alike(const ChartSpec& chart) const {
    using Kind = analysis::WatchPoint::Kind;
    std::vector<Kind> kinds;
    for (const auto& watch : spec_.watches)
      if (std::find(chart.watches.begin(), chart.watches.end(), watch.name) != chart.watches.end())
        kinds.push_back(watch.kind == Kind::distance ? Kind::displacement : watch.kind);
    return std::all_of(kinds.begin(), kinds.end(), [&](Kind kind) { return kind == kinds.front(); });
  }
  void look_at(const SweepSpec& sweep) {
    name(sweep.name, "sweep", sweep.place, sweeps_);
    const auto* path = spec_.find_analysis(sweep.analysis);
    if (path == nullptr || path->kind->gives() != AnalysisKind::Gives::states || path->imperfections.empty())
      complain(sweep.place,
               fmt::format("sweep '{}' runs '{}', which is no path with an imperfection", sweep.name, sweep.analysis),
               base::suggestion(sweep.analysis, references_.before));
    if (!sweep.worst_of.empty() && path != nullptr && path->source != sweep.worst_of)
      complain(sweep.place,
               fmt::format("sweep '{}' mixes modes of '{}', and path '{}' does not start from it", sweep.name,
                           sweep.worst_of, sweep.analysis),
               "give the path from = the buckling analysis");
    for (const auto& word : sweep.imperfections) {
      if (spec_.find_imperfection(word) == nullptr)
        complain(sweep.place, fmt::format("there is no imperfection named '{}'", word),
                 base::suggestion(word, detail::names_of(spec_.imperfections)));
      else if (sweep.seeds > 0 && spec_.find_imperfection(word)->numbers.count("seed") == 0)
        complain(sweep.place, fmt::format("'seeds' draws samples, and imperfection '{}' is not random", word),
                 "leave 'seeds' out, or give shape = \"random\"");
    }
    for (const auto& word : sweep.designs)
      if (std::find(designs_.begin(), designs_.end(), word) == designs_.end())
        complain(sweep.place, fmt::format("there is no design named '{}'", word), base::suggestion(word, designs_));
  }
  /// Names become file names and keys: one of each, of letters, digits, '-' and '_'.
  /// \param made  letters at its end that the program has added
  void name(const std::string& full, const char* what, const SourceLocation& place, std::vector<std::string>& known,
            std::size_t made = 0) {
    const std::string word = full.substr(0, full.size() - made);
    if (std::find(known.begin(), known.end(), full) != known.end())
      complain(place, fmt::format("a second {} is named '{}'", what, word), "give each its own name");
    if (word.empty() ||
        word.find_first_not_of("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789-_") != std::string::npos)
      complain(place, fmt::format("'{}' cannot be the name of {} {}", word, *what == 'a' ? "an" : "a", what),
               "use letters, digits, - and _");
    known.push_back(full);
  }
  /// Names of analyses begin the names of files: what follows them must not look like another's, also where file names
  /// know no capitals.
  void file_names(const AnalysisSpec& a) {
    constexpr std::size_t longest = 80;
    if (a.name.size() > longest)
      complain(a.place,
               fmt::format("the name of analysis '{}...' has {} characters", a.name.substr(0, 20), a.name.size()),
               fmt::format("files are named by it: use {} at most", longest));
    const auto lower = [](std::string word) {
      for (char& c : word) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
      return word;
    };
    static const std::vector<std::string> ends = {
        "mode",      "modes", "negative", "imperfection", "path",    "displacement", "stress", "stresses",
        "moment",    "shear", "axial",    "member",       "bar",     "joint",        "shell",  "solid",
        "averaged",  "peak",  "end",      "state",        "sheet",   "temperature",  "stuck",  "yield",
        "reactions", "parts", "joints",   "couplings",    "members", "second"};
    const std::string name = lower(a.name);
    for (const auto& other : spec_.analyses) {
      if (&other == &a) continue;
      const std::string start = lower(other.name);
      if (name == start && a.name != other.name && other.name < a.name)
        complain(a.place, fmt::format("analyses '{}' and '{}' differ in capitals only", other.name, a.name),
                 "files are named by them: use names that differ more");
      if (name.rfind(start + "-", 0) != 0) continue;
      const std::string rest = name.substr(start.size() + 1), word = rest.substr(0, rest.find_first_of("-0123456789"));
      if (word.empty() || std::find(ends.begin(), ends.end(), word) != ends.end())
        complain(
            a.place,
            fmt::format("files of analysis '{}' would have the names of files of analysis '{}'", a.name, other.name),
            "choose a name that does not begin with the other's");
    }
  }
  const StudySpec& spec_;
  References references_;
  std::vector<std::string> parts_, obstacles_, watches_, designs_, sweeps_, charts_;
};
}  // namespace

std::vector<base::Complaint> complaints(const StudySpec& spec) {
  auto list = ReferenceCheck(spec).run();
  if (list.empty()) list = hand_check_complaints(spec);
  return list;
}

}  // namespace archway::study
