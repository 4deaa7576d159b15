#include <map>

#include <fmt/format.h>

#include "archway/theory/catalogue.hpp"
#include "study_reader_detail.hpp"

namespace archway::io::detail {

namespace {
const std::vector<std::string> kSurfaces = {"larger", "top", "middle", "bottom"};

/// Imperfections, analyses and hand checks: what is done with the structure.
class AnalysisReader : SpotReader {
 public:
  AnalysisReader(Reading& reading, study::StudySpec& out) : SpotReader(reading), out_(out) {}
  void read(TableReader& root) {
    root.each("imperfections", "this imperfection", [&](TableReader& t) { imperfection(t); });
    root.each("analyses", "this analysis", [&](TableReader& t) { analysis(t); });
    root.each("hand_checks", "this hand check", [&](TableReader& t) { hand_check(t); });
  }

 private:
  void imperfection(TableReader& t) {
    study::ImperfectionSpec i;
    i.place = t.place();
    i.name = t.text("name");
    i.mode_of = t.text("mode_of");
    if (const auto* modes = t.node("modes")) {
      if (const auto* list = modes->as_array())
        for (const auto& item : *list) {
          const auto* pair = item.as_array();
          if (pair == nullptr || pair->size() != 2) {
            reading_.complain(reading_.place(item), "'modes' must list pairs of mode number and factor",
                              "for instance [[1, 1.0], [2, 0.5]]");
            break;
          }
          const double number = reading_.number(*pair->get(0), "a mode number").value_or(NAN);
          i.modes.emplace_back(reading_.whole(number, reading_.place(*pair->get(0)), "a mode number").value_or(1),
                               reading_.number(*pair->get(1), "a factor").value_or(0));
        }
      t.has("mode");
    } else {
      i.modes = {{t.whole("mode", 1), 1.0}};
    }
    const auto* amplitude = t.node("amplitude");
    if (amplitude == nullptr) {
      reading_.complain(
          t.place(), "this imperfection needs 'amplitude'",
          "a length, or { of_thickness = 0.5, part = \"...\" }, or { of_length = 0.004, part = \"...\" }");
    } else if (const auto* table = amplitude->as_table()) {
      TableReader a(reading_, *table, "this amplitude");
      if (a.has("each")) {
        amplitude_of_each(t, a, i);
        a.finish();
        out_.imperfections.push_back(i);
        return;
      }
      i.amplitude_kind =
          a.has("of_length") ? study::AmplitudeKind::share_of_length : study::AmplitudeKind::share_of_thickness;
      i.amplitude = a.has("of_length") ? a.number("of_length") : a.number("of_thickness");
      i.part = a.text("part");
      a.finish();
    } else {
      i.amplitude = t.number("amplitude");
    }
    if (i.amplitude == 0.0)
      reading_.complain(t.place("amplitude"), "the amplitude is zero",
                        "a GNA follows the perfect structure; give a GNIA an amplitude");
    out_.imperfections.push_back(i);
  }

  /// The numbers beside the modes are amplitudes: lengths, or shares of a thickness or a length.
  void amplitude_of_each(TableReader& t, TableReader& a, study::ImperfectionSpec& i) {
    i.each_mode = true;
    i.amplitude = 1;
    i.amplitude_kind = static_cast<study::AmplitudeKind>(a.choice("each", {"length", "thickness", "span"}, ""));
    if (i.amplitude_kind != study::AmplitudeKind::length) i.part = a.text("part");
    if (!t.has("modes"))
      reading_.complain(t.place("amplitude"), "'each' needs 'modes' with an amplitude for every mode",
                        "for instance modes = [[1, 0.1], [2, 0.05]]");
  }

  void analysis(TableReader& t) {
    study::AnalysisSpec a = copied(t);
    a.place = t.place();
    a.name = t.text("name");
    const std::size_t known = reading_.complaints.size();
    if (a.like.empty() || t.has("kind"))
      a.kind = static_cast<study::AnalysisKind>(t.choice("kind", {"LA", "LBA", "GNA", "GNIA"}, ""));
    if (reading_.complaints.size() > known) return t.forgive();
    variant(t, a);
    if (a.kind == study::AnalysisKind::la) {
      a.load = a.like.empty() ? t.text("load") : t.text("load", a.load);
      a.surface = static_cast<study::StressSurface>(
          t.choice("surface", kSurfaces, kSurfaces[static_cast<std::size_t>(a.surface)]));
    } else {
      a.from = t.text("from", a.from);
      a.grow = t.text("grow", a.grow);
    }
    if (a.kind == study::AnalysisKind::lba) {
      a.modes = t.whole("modes", a.modes);
      if (a.modes < 1) reading_.complain(t.place("modes"), fmt::format("'modes' is {}", a.modes), "ask for at least 1");
      a.show_negative = t.choice("negative", {"show", "leave-out"}, a.show_negative ? "show" : "leave-out") == 0;
      a.increment = t.whole("increment", a.increment);
      a.above = t.number("above", a.above);
      if (t.has("below")) a.below = t.number("below");
      if (!(a.above >= 0 && a.below > a.above))
        reading_.complain(t.place(t.has("below") ? "below" : "above"), "the window of load factors is empty",
                          "give 'above' (0 or more) and 'below' (more than that)");
      if (t.has("required_factor") || t.has("required")) a.required.clear();
      if (t.has("required_factor")) a.required.push_back({{}, t.number("required_factor")});
      t.each("required", "this requirement", [&](TableReader& q) {
        study::RequirementSpec one;
        one.factor = q.number("factor");
        if (q.has("parts")) one.parts = q.texts("parts");
        a.required.push_back(one);
      });
      a.second_mesh = t.number("second_mesh", a.second_mesh);
      if (a.second_mesh != 0 && !(a.second_mesh > 1 && a.second_mesh <= 8))
        reading_.complain(t.place("second_mesh"), "'second_mesh' says how many times the elements",
                          "give a number above 1, for instance 2");
      tolerance(t, a);
      a.sensitivities = t.flag("sensitivities", a.sensitivities);
    }
    if (a.kind == study::AnalysisKind::gna || a.kind == study::AnalysisKind::gnia) path(t, a);
    out_.analyses.push_back(a);
  }

  /// Of the residual: of a mode, or of an increment of a path.
  void tolerance(TableReader& t, study::AnalysisSpec& a) {
    a.tolerance = t.number("tolerance", a.tolerance);
    if (!(a.tolerance >= 1e-12 && a.tolerance < 0.1))
      reading_.complain(t.place("tolerance"), fmt::format("'tolerance' is {:g}", a.tolerance),
                        "it must lie between 1e-12, which rounding allows, and 0.1");
  }

  void path(TableReader& t, study::AnalysisSpec& a) {
    if (a.kind == study::AnalysisKind::gnia)
      a.imperfection = a.imperfection.empty() ? t.text("imperfection") : t.text("imperfection", a.imperfection);
    a.arc_length = t.choice("control", {"arc-length", "load"}, a.arc_length ? "arc-length" : "load") == 0;
    branching(t, a);
    if (a.at_bifurcation != analysis::Branching::primary && !a.arc_length)
      reading_.complain(t.place("at_bifurcation"), "a branch is followed by arc length only",
                        "leave out control = \"load\"");
    a.first_step = t.number("first_step", a.first_step);
    a.largest_step = t.number("largest_step", a.largest_step);
    tolerance(t, a);
    if (a.first_step < 0 || a.largest_step < 0) reading_.complain(t.place(), "steps must not be negative", "");
    const auto* stop = t.node("stop");
    if (stop == nullptr) return;
    if (!stop->is_table())
      return reading_.complain(t.place("stop"), "'stop' must be a table of rules",
                               "for instance { drop = 0.7, increments = 80 }");
    TableReader s(reading_, *stop->as_table(), "'stop'");
    a.stop = {};
    a.stop.given = true;
    a.stop.load_factor = s.number("load_factor", 0.0);
    a.stop.watch = s.text("watch", "");
    a.stop.movement = a.stop.watch.empty() ? 0 : s.number("movement");
    if (s.has("movement") && a.stop.watch.empty())
      reading_.complain(s.place("movement"), "'movement' needs the point that moves", "add watch = \"...\"");
    for (const auto& [key, value] :
         {std::pair("load_factor", a.stop.load_factor), std::pair("movement", a.stop.movement)})
      if (s.has(key) && !(value > 0))
        reading_.complain(s.place(key), fmt::format("'{}' is {}", key, value), "a stop rule must be above zero");
    a.stop.at_loss = s.flag("first_loss", false);
    a.stop.drop = s.number("drop", 0.0);
    if (a.stop.drop < 0 || a.stop.drop >= 1)
      reading_.complain(s.place("drop"), "'drop' is a share of the peak", "give a number between 0 and 1");
    a.stop.increments = s.whole("increments", 100);
    if (a.stop.increments < 1) reading_.complain(s.place("increments"), "'increments' must be at least 1", "");
    s.finish();
  }

  void branching(TableReader& t, study::AnalysisSpec& a) {
    using analysis::Branching;
    const std::map<std::string, Branching> ways = {
        {"go-on", Branching::primary}, {"branch", Branching::branch}, {"branch-reversed", Branching::branch_reversed}};
    if (!t.has("at_bifurcation")) return;
    const std::string word = t.text("at_bifurcation");
    if (const auto way = ways.find(word); way != ways.end()) {
      a.at_bifurcation = way->second;
      return;
    }
    std::vector<std::string> known;
    for (const auto& [name, way] : ways) known.push_back(name);
    reading_.complain(t.place("at_bifurcation"), fmt::format("'at_bifurcation' is '{}'", word),
                      base::suggestion(word, known));
  }

  /// An analysis to start from: empty, or the one named by `like`.
  study::AnalysisSpec copied(TableReader& t) {
    study::AnalysisSpec a;
    if (!t.has("like")) return a;
    const std::string name = t.text("like");
    if (const auto* from = out_.find_analysis(name)) {
      a = *from;
      a.like = name;
      return a;
    }
    std::vector<std::string> names;
    for (const auto& known : out_.analyses) names.push_back(known.name);
    reading_.complain(t.place("like"), fmt::format("there is no earlier analysis named '{}' to copy", name),
                      base::suggestion(name, names));
    return a;
  }

  /// set = { thickness = 5 }, refine = 2: another structure.
  void variant(TableReader& t, study::AnalysisSpec& a) {
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
          a.variant.parameters[name] = reading_.number(value, fmt::format("'{}'", name)).value_or(0);
        }
      } else {
        reading_.complain(t.place("set"), "'set' must be a table of parameters", "for instance { thickness = 5 }");
      }
    }
    a.variant.refine = t.number("refine", a.variant.refine);
    positive(t, "refine", a.variant.refine);
  }

  void hand_check(TableReader& t) {
    study::HandCheckSpec h;
    h.place = t.place();
    h.of = t.text("of");
    h.formula = t.text("formula");
    h.mode = t.whole("mode", 1);
    h.mode_given = t.has("mode");
    h.value = t.whole("value", h.mode);
    if (h.mode < 1 || h.value < 1) reading_.complain(t.place(), "modes and values are counted from 1", "");
    h.material = t.text("material", "");
    h.profile = t.text("profile", "");
    if (t.has("about")) h.about = t.choice("about", {"y", "z"}, "") == 0 ? "y" : "z";
    h.at_factor_one = t.number("at_factor_one", 0.0);
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
