#include <cctype>
#include <cmath>

#include <fmt/format.h>

#include "archway/study/hand_checks.hpp"
#include "build_model_detail.hpp"

namespace archway::study {

namespace {
using base::Complaint;
using detail::names_of;

class ReferenceCheck {
 public:
  explicit ReferenceCheck(const StudySpec& spec) : spec_(spec) {}
  std::vector<Complaint> run() {
    for (const auto& member : spec_.members) name(member.name, "part", member.place, parts_);
    for (const auto& bar : spec_.bars) name(bar.name, "part", bar.place, parts_);
    for (const auto& panel : spec_.panels) name(panel.name, "part", panel.place, parts_);
    for (const auto& solid : spec_.solids) name(solid.name, "part", solid.place, parts_);
    for (const auto& coupling : spec_.couplings) name(coupling.name, "coupling", coupling.place, parts_);
    for (const auto& watch : spec_.watches) name(watch.name, "watch point", watch.at.place, watches_);
    for (const auto& action : spec_.actions) name(action.name, "action", action.place, loads_);
    for (const auto& combination : spec_.combinations) name(combination.name, "load", combination.place, loads_);
    for (const auto& analysis : spec_.analyses) {
      one(analysis);
      name(analysis.name, "analysis", analysis.place, before_);
    }
    for (const auto& imperfection : spec_.imperfections) one(imperfection);
    for (const auto& analysis : spec_.analyses) file_names(analysis);
    return std::move(list_);
  }

 private:
  void complain(const Place& place, std::string problem, std::string remedy) {
    list_.push_back(place.complaint(std::move(problem), std::move(remedy)));
  }
  /// Names become file names and keys: one of each, of letters, digits, '-' and '_'.
  void name(const std::string& word, const char* what, const Place& place, std::vector<std::string>& known) {
    if (std::find(known.begin(), known.end(), word) != known.end())
      complain(place, fmt::format("a second {} is named '{}'", what, word), "give each its own name");
    if (word.empty() ||
        word.find_first_not_of("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789-_") != std::string::npos)
      complain(place, fmt::format("'{}' cannot be the name of {} {}", word, *what == 'a' ? "an" : "a", what),
               "use letters, digits, - and _");
    known.push_back(word);
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
        "mode",     "modes", "negative", "imperfection", "path",  "movement",   "stress", "stresses",
        "moment",   "shear", "axial",    "member",       "bar",   "joint",      "shell",  "solid",
        "averaged", "peak",  "end",      "state",        "sheet", "temperature"};
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
  static bool differ(const AnalysisSpec& a, const AnalysisSpec& b) {
    return a.variant < b.variant || b.variant < a.variant;
  }
  void load_exists(const Place& place, const std::string& name) {
    if (!name.empty() && std::find(loads_.begin(), loads_.end(), name) == loads_.end())
      complain(place, fmt::format("there is no action or combination named '{}'", name),
               base::suggestion(name, loads_));
  }
  void one(const AnalysisSpec& a) {
    load_exists(a.place, a.load);
    load_exists(a.place, a.grow);
    if (a.kind == AnalysisKind::la) {
      if (a.load.empty())
        complain(a.place, fmt::format("analysis '{}' has no load", a.name),
                 "name an action or combination with load = \"...\"");
      return;
    }
    const AnalysisSpec* from = a.from.empty() ? nullptr : spec_.find_analysis(a.from);
    if (!a.from.empty() && std::find(before_.begin(), before_.end(), a.from) == before_.end())
      complain(a.place, fmt::format("analysis '{}' starts from '{}', which does not come before it", a.name, a.from),
               base::suggestion(a.from, before_));
    else if (from != nullptr && from->kind != AnalysisKind::la &&
             (a.kind == AnalysisKind::lba) == (from->kind == AnalysisKind::lba))
      complain(a.place, fmt::format("analysis '{}' cannot start from '{}', a {}", a.name, a.from, to_text(from->kind)),
               a.kind == AnalysisKind::lba
                   ? "start from an LA (its load is held), or from a path (its state at an increment)"
                   : "start from an LA (its load is held) or an LBA (same held and growing parts)");
    if (from != nullptr && from->kind != AnalysisKind::la && differ(a, *from))
      complain(a.place, fmt::format("analysis '{}' is done on another structure than '{}'", a.name, a.from),
               "give both the same set = { ... } and refine");
    if (a.grow.empty() && (from == nullptr || from->kind == AnalysisKind::la))
      complain(a.place, fmt::format("nothing grows in analysis '{}'", a.name),
               "name an action or combination with grow = \"...\"");
    if (a.kind == AnalysisKind::gnia && spec_.find_imperfection(a.imperfection) == nullptr)
      complain(a.place,
               a.imperfection.empty() ? fmt::format("analysis '{}' is a GNIA without an imperfection", a.name)
                                      : fmt::format("there is no imperfection named '{}'", a.imperfection),
               a.imperfection.empty() ? "name one with imperfection = \"...\", or make it a GNA"
                                      : base::suggestion(a.imperfection, names_of(spec_.imperfections)));
    if (const auto* i = spec_.find_imperfection(a.imperfection); a.kind == AnalysisKind::gnia && i != nullptr)
      source_of(a, *i);
    if (!a.stop.watch.empty()) {
      const auto watches = names_of(spec_.watches);
      if (std::find(watches.begin(), watches.end(), a.stop.watch) == watches.end())
        complain(a.place, fmt::format("there is no watch point named '{}'", a.stop.watch),
                 base::suggestion(a.stop.watch, watches));
    }
  }
  /// The analysis whose modes an imperfection is made of, as `a` needs it.
  void source_of(const AnalysisSpec& a, const ImperfectionSpec& i) {
    if (std::find(before_.begin(), before_.end(), i.mode_of) == before_.end())
      complain(i.place,
               fmt::format("imperfection '{}' is made from '{}', which does not come before analysis '{}'", i.name,
                           i.mode_of, a.name),
               base::suggestion(i.mode_of, before_));
    else if (differ(a, *spec_.find_analysis(i.mode_of)))
      complain(
          a.place,
          fmt::format("analysis '{}' is done on another structure than '{}', whose mode it takes", a.name, i.mode_of),
          "give both the same set = { ... } and refine");
  }
  void one(const ImperfectionSpec& i) {
    const AnalysisSpec* source = spec_.find_analysis(i.mode_of);
    if (source == nullptr || source->kind != AnalysisKind::lba) {
      complain(i.place,
               fmt::format("imperfection '{}' is made from '{}', which is not a buckling analysis", i.name, i.mode_of),
               "name an LBA with mode_of = \"...\"");
      return;
    }
    for (const auto& [mode, factor] : i.modes)
      if (mode < 1 || (mode > source->modes && !std::isfinite(source->below)))
        complain(i.place,
                 fmt::format("imperfection '{}' wants mode {}, but '{}' computes {}", i.name, mode, source->name,
                             source->modes),
                 fmt::format("choose 1 to {}, or raise modes in '{}'", source->modes, source->name));
    if (i.amplitude_kind != AmplitudeKind::length) {
      const auto parts =
          i.amplitude_kind == AmplitudeKind::share_of_thickness ? names_of(spec_.panels) : names_of(spec_.members);
      if (std::find(parts.begin(), parts.end(), i.part) == parts.end())
        complain(i.place,
                 fmt::format("the amplitude of '{}' is a share of part '{}', which is not a {}", i.name, i.part,
                             i.amplitude_kind == AmplitudeKind::share_of_thickness ? "panel" : "member"),
                 base::suggestion(i.part, parts));
    }
  }

  const StudySpec& spec_;
  std::vector<Complaint> list_;
  std::vector<std::string> before_, loads_, parts_, watches_;
};
}  // namespace

std::vector<base::Complaint> complaints(const StudySpec& spec) {
  auto list = ReferenceCheck(spec).run();
  if (list.empty()) list = hand_check_complaints(spec);
  return list;
}

}  // namespace archway::study
