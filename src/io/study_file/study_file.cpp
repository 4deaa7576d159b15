#include "archway/io/study_file.hpp"

#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include "archway/study/residual_stress.hpp"
#include "files/read_file_detail.hpp"
#include "study_file/study_reader_detail.hpp"
#include "study_file/study_text_detail.hpp"

namespace archway::io {

namespace {
using detail::leave_out_refused;
using detail::Reading;
using detail::refuse_control_characters;
using detail::refuse_deep_keys;
using detail::spelled_out;
using detail::TableReader;
using study::StudySpec;
using study::Vec3;

class StudyReader : detail::SpotReader {
 public:
  StudyReader(Reading& reading, const toml::table& root) : SpotReader(reading), root_(reading, root, "the study") {}

  StudySpec read(const std::map<std::string, double>& overrides) {
    spec_.file = reading_.file;
    spec_.overrides = overrides;
    expect_units();
    parameters(overrides);
    head();
    points();
    reading_.spots = this;
    detail::read_structure(reading_, root_, spec_);
    detail::read_joints(reading_, root_, spec_);
    detail::read_obstacles(reading_, root_, spec_);
    detail::read_contacts(root_, spec_);
    root_.each("supports", "this support", [&](TableReader& t) { support(t); });
    root_.each("foundations", "this foundation", [&](TableReader& t) { foundation(t); });
    root_.each("residual_stresses", "these residual stresses",
               [&](TableReader& t) { spec_.residual_stresses.push_back(study::read_residual_stress(t)); });
    root_.each("actions", "this action", [&](TableReader& t) { action(t); });
    root_.each_named("combinations", "combination",
                     [&](const std::string& name, TableReader& t) { combination(name, t); });
    root_.each("watches", "this watch point", [&](TableReader& t) { watch(t); });
    root_.each("charts", "this chart", [&](TableReader& t) { chart(t); });
    root_.table("pictures", "these pictures", "pictures = { hide = [\"roof\"] }", [&](study::Keys& t) { pictures(t); });
    detail::read_analyses(reading_, root_, spec_);
    root_.finish();
    return std::move(spec_);
  }

 private:
  /// Units are known before the first number is read; what is wrong with them is complained about in its place.
  void expect_units() {
    const auto text = [&](const char* key) { return root_.raw()["study"]["units"][key].value_or(std::string()); };
    const auto known = [](const std::vector<std::string>& names, const std::string& name) {
      return std::find(names.begin(), names.end(), name) != names.end();
    };
    if (known(study::force_names(), text("force")) && known(study::length_names(), text("length")))
      reading_.units = study::units_of(text("force"), text("length"));
  }

  void parameters(const std::map<std::string, double>& overrides) {
    reading_.any_unit = true;  // their dimension is what they are used for
    read_parameters(overrides);
    reading_.any_unit = false;
  }

  void read_parameters(const std::map<std::string, double>& overrides) {
    std::vector<std::string> names;
    if (const auto* found = root_.node("parameters")) {
      const auto* table = found->as_table();
      if (table == nullptr)
        return reading_.complain(reading_.place(*found), "'parameters' must be a table", "write [parameters]");
      // in the order of the file, so that later ones may use earlier ones
      std::vector<std::pair<toml::source_position, std::string>> order;
      for (const auto& [key, value] : *table) order.emplace_back(key.source().begin, std::string(key.str()));
      std::sort(order.begin(), order.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
      for (const auto& [position, name] : order) {
        names.push_back(name);
        refuse_name(name, *table->get(name), table->find(name)->first.source());
        const auto given = overrides.find(name);
        const auto value = given != overrides.end()
                               ? given->second
                               : reading_.number(*table->get(name), fmt::format("parameter '{}'", name));
        reading_.parameters[name] = value.value_or(NAN);
      }
    }
    for (const auto& [name, value] : overrides)
      if (reading_.parameters.count(name) == 0) {
        reading_.complain({}, fmt::format("the study has no parameter '{}' to set", name),
                          base::suggestion(name, names, "its parameters", "it has no [parameters]"));
      }
    spec_.parameters = reading_.parameters;
  }

  /// Names that expressions could not use, or would take for something else.
  void refuse_name(const std::string& name, const toml::node&, const toml::source_region& key) {
    static const std::vector<std::string> taken = {"x", "y", "z", "pi"};
    if (!detail::is_name(name))
      reading_.complain(reading_.place(key), fmt::format("'{}' cannot be the name of a parameter", name),
                        "use letters, digits and _ (not - or spaces), so that expressions can name it");
    else if (std::find(taken.begin(), taken.end(), name) != taken.end())
      reading_.complain(reading_.place(key), fmt::format("'{}' cannot be the name of a parameter", name),
                        name == "pi" ? "it is the number pi in expressions" : "it is the coordinate in expressions");
    else if (detail::is_function(name))
      reading_.complain(reading_.place(key), fmt::format("'{}' cannot be the name of a parameter", name),
                        "it is a function in expressions");
  }

  void head() {
    const auto* found = root_.node("study");
    if (found == nullptr || !found->is_table()) {
      reading_.complain(root_.place(), "the file has no [study] table",
                        "add [study] with title, format and units: archway new prints an example");
      return;
    }
    TableReader t(reading_, *found->as_table(), "[study]");
    spec_.title = t.text("title");
    format(t);
    const auto units = units_of(t);
    spec_.refine = t.number("refine", 1.0);
    positive(t, "refine", spec_.refine);
    spec_.join_edges = t.flag("join_edges", true);
    if (t.has("planar")) {
      static const std::vector<std::string> kPlanes = {"yz", "xz", "xy"};
      spec_.plane_normal = static_cast<int>(t.choice("planar", kPlanes, ""));
      spec_.plane_place = t.place("planar");
    }
    spec_.units = units;
    t.finish();
  }

  /// The version of the format. Files without one are older than the first: they are to be converted, not guessed at.
  void format(TableReader& t) {
    if (!t.has("format")) {
      std::vector<base::Complaint> only = {
          t.place().complaint("the study has no 'format': it is written in the words of before format 1",
                              fmt::format("archway migrate {} converts it, comments and order kept; a new study "
                                          "begins with format = {}",
                                          reading_.file, kStudyFormat))};
      throw base::InputError(std::move(only));
    }
    const int format = t.whole("format", kStudyFormat);
    if (format != kStudyFormat)
      reading_.complain(t.place("format"), fmt::format("this is format {} of study files", format),
                        fmt::format("this version of Archway reads format {}{}", kStudyFormat,
                                    format > kStudyFormat ? ": use a newer one" : ""));
  }

  study::Units units_of(TableReader& t) {
    std::size_t force = 0, length = 0;
    if (!t.has("units"))
      reading_.complain(t.place(), "[study] has no 'units'",
                        "add units = { force = \"N\", length = \"mm\" }, for instance");
    t.table("units", "'units'", "for instance { force = \"N\", length = \"mm\" }", [&](study::Keys& u) {
      force = u.choice("force", study::force_names(), ""), length = u.choice("length", study::length_names(), "");
    });
    return study::units_of(study::force_names()[force], study::length_names()[length]);
  }

  void points() {
    if (const auto* found = root_.node("points")) {
      if (const auto* table = found->as_table()) {
        for (const auto& [key, value] : *table)
          if (const auto v = reading_.vector(value, fmt::format("point '{}'", key.str())))
            spec_.points[std::string(key.str())] = *v;
      } else {
        reading_.complain(reading_.place(*found), "'points' must be a table", "write [points]");
      }
    }
  }

  void support(TableReader& t) {
    study::SupportSpec s;
    s.name = t.text("name", fmt::format("support {}", spec_.supports.size() + 1));
    s.at = spot(t, "at");
    s.during = t.texts("active_in");
    if (t.has("symmetry") || t.has("antisymmetry")) return mirror(t, s);
    if (t.has("axes")) s.axes = axes(t);
    const auto* hold = t.node("restrain");
    const auto complain = [&] {
      reading_.complain(t.place("restrain"), "'restrain' must list degrees of freedom",
                        "for instance [\"x\", \"y\", \"z\"], or \"all\"; rotations are rx, ry, rz");
    };
    if (hold == nullptr) return complain();
    std::vector<std::string> words;
    if (const auto word = hold->value_exact<std::string>()) words.push_back(*word);
    if (const auto* list = hold->as_array())
      for (const auto& item : *list) words.push_back(item.value_or(std::string()));
    for (const auto& word : words) {
      if (word == "all") {
        s.dofs = {0, 1, 2, 3, 4, 5, model::warp};
        break;
      }
      s.dofs.push_back(dof_of(word));
      if (s.dofs.back() < 0) return complain();
    }
    if (words.empty()) return complain();
    spec_.supports.push_back(s);
  }

  /// A plane of symmetry is crossed by no move and rotations only about its normal; antisymmetry is the other three.
  void mirror(TableReader& t, study::SupportSpec& s) {
    const bool same = t.has("symmetry");
    const std::string key = same ? "symmetry" : "antisymmetry";
    const Vec3 normal = t.vector(key);
    if (!(normal.norm() > 0))
      return reading_.complain(t.place(key), fmt::format("'{}' must be the normal of the plane", key),
                               "for instance [1, 0, 0]");
    Eigen::Index main;
    normal.cwiseAbs().maxCoeff(&main);
    const bool global = std::abs(std::abs(normal[main]) - normal.norm()) < 1e-12 * normal.norm();
    const int n = global ? static_cast<int>(main) : 0;
    for (int f = 0; f < 6; ++f)
      if ((f < 3 ? f == n : f - 3 != n) == same) s.dofs.push_back(f);
    if (!global)
      s.axes =
          study::AxesSpec{false, normal, std::abs(normal.z()) < 0.9 * normal.norm() ? Vec3::UnitZ() : Vec3::UnitX()};
    spec_.supports.push_back(s);
  }

  void foundation(TableReader& t) {
    study::FoundationSpec b;
    b.place = t.place();
    b.name = t.text("name", fmt::format("foundation {}", spec_.foundations.size() + 1));
    if (t.has("at"))
      b.edge = spot(t, "at");
    else
      b.part = t.text("on");
    if (t.has("stiffness")) b.varying = t.vector_field("stiffness");
    if (t.has("stiffness") && !b.varying) {
      const auto k = numbers(t, "stiffness", 3);
      std::copy(k.begin(), k.end(), b.stiffness.begin());
    }
    if (t.has("normal")) b.normal_at = t.field("normal");
    if (!b.normal_at) b.normal = t.number("normal", 0.0);
    b.sideways = t.number("transverse", 0.0);
    b.along = t.number("along", 0.0);
    b.rotating = t.number("rotational", 0.0);
    const double own[] = {b.normal, b.sideways, b.along, b.rotating};
    if (*std::min_element(own, own + 4) < 0 || *std::min_element(b.stiffness.begin(), b.stiffness.end()) < 0)
      reading_.complain(t.place(), "a foundation stiffness is negative", "none may be negative");
    if (!b.edge && (b.sideways > 0 || b.along > 0))
      reading_.complain(t.place(), "'transverse' and 'along' are directions of an edge of a panel",
                        "put the foundation 'at' an edge, or give stiffness = [kx, ky, kz]");
    if (!t.has("stiffness") && !t.has("normal") && *std::max_element(own, own + 4) == 0)
      reading_.complain(t.place(), "this foundation has no stiffness",
                        "add stiffness = [kx, ky, kz], normal = k for a panel, or rotational = k");
    spec_.foundations.push_back(b);
  }

  void action(TableReader& t) {
    study::ActionSpec p;
    p.place = t.place();
    p.name = t.text("name");
    if (!t.has("loads"))
      reading_.complain(t.place(), fmt::format("action '{}' has no loads", p.name), "add one, or remove the action");
    t.each("loads", "this load", [&](TableReader& l) { p.loads.push_back(load(l)); });
    spec_.actions.push_back(p);
  }

  study::LoadSpec load(TableReader& t) {
    study::LoadSpec l;
    l.place = t.place();
    const std::size_t known = reading_.complaints.size();
    l.kind = study::load_kinds()[t.choice("kind", detail::words_of(study::load_kinds()), "")];
    if (reading_.complaints.size() > known)
      t.forgive();
    else
      l.kind->read(t, l, spec_.units);
    return l;
  }

  void combination(const std::string& name, TableReader& t) {
    study::CombinationSpec c;
    c.name = name;
    c.place = t.place();
    for (const auto& [action, value] : t.raw())
      c.terms.emplace_back(std::string(action.str()), t.number(std::string(action.str())));
    spec_.combinations.push_back(c);
  }

  void chart(TableReader& t) {
    study::ChartSpec c;
    c.place = t.place();
    c.name = t.text("name");
    c.watches = t.texts("watches");
    if (t.has("against")) c.against = t.text("against");
    if (t.has("analyses")) c.analyses = t.texts("analyses");
    if (c.watches.empty())
      reading_.complain(t.place(), fmt::format("chart '{}' shows no watch", c.name),
                        "for instance watches = [\"ridge\"]");
    spec_.pictures.charts.push_back(c);
  }

  void pictures(study::Keys& t) {
    auto& p = spec_.pictures;
    p.place = t.place();
    if (t.has("hide")) p.hide = t.texts("hide");
    if (t.has("view_from")) p.from = t.vector("view_from");
    if (p.from && p.from->norm() == 0.0)
      reading_.complain(t.place("view_from"), "the direction to the eye has no length",
                        "for instance view_from = [1, -1, 0.5]");
    t.table("clip", "this cut", "clip = { point = [0, 0, 1000], normal = [0, 0, 1] }", [&](study::Keys& o) {
      p.open = {o.vector("point"), o.vector("normal")};
      if (p.open->second.norm() == 0.0)
        reading_.complain(o.place("normal"), "the normal has no length", "for instance normal = [0, 0, 1]");
    });
  }

  void watch(TableReader& t) {
    using Kind = analysis::WatchPoint::Kind;
    study::WatchSpec w;
    w.place = t.place();
    w.name = t.text("name");
    if (t.has("reaction")) {
      w.kind = t.has("about") ? Kind::reaction_moment : Kind::reaction;
      w.of = t.text("reaction");
      w.direction = t.vector(t.has("about") ? "about" : "direction",
                             t.has("about") ? std::nullopt : std::optional(Vec3(Vec3::UnitZ())));
    } else if (t.has("part")) {
      static const std::vector<std::string> words = {"normal-force", "stress",   "plastic-strain", "shear-force",
                                                     "moment-y",     "moment-z", "torque",         "volume"};
      w.of = t.text("part");
      w.kind = std::array{
          Kind::normal_force, Kind::stress,   Kind::plastic_strain, Kind::shear_force,
          Kind::moment_y,     Kind::moment_z, Kind::torque,         Kind::volume}[t.choice("quantity", words, "")];
    } else if (t.has("energy")) {
      static const std::vector<std::string> words = {"stored", "dissipated", "external-work"};
      w.kind =
          std::array{Kind::stored_energy, Kind::dissipated_energy, Kind::external_work}[t.choice("energy", words, "")];
    } else {
      w.at = spot(t, "at");
      if (t.has("relative_to")) w.from = spot(t, "relative_to");
      if (t.has("about")) {
        w.kind = Kind::rotation;
        w.direction = t.vector("about");
      } else if (w.from && !t.has("direction")) {
        w.kind = Kind::distance;
      } else {
        w.direction = t.vector("direction", Vec3(-Vec3::UnitZ()));
      }
    }
    if (w.direction.norm() == 0.0)
      reading_.complain(t.place(t.has("about") ? "about" : "direction"), "the direction has no length",
                        "for instance [0, 0, -1]");
    spec_.watches.push_back(w);
  }

  TableReader root_;
};
}  // namespace

namespace {
/// \param wrong  takes what is wrong with single entries, which are then left as far as they were read; nullptr: throws
StudySpec parse(const std::string& text, const std::string& file, const std::map<std::string, double>& overrides,
                double finer, std::vector<base::Complaint>* wrong = nullptr) {
  Reading reading(file, text);
  refuse_deep_keys(reading, text);
  try {
    const toml::table root = toml::parse(text, file);
    refuse_control_characters(reading, root);
    if (!reading.complaints.empty()) throw base::InputError(std::move(reading.complaints));
    StudySpec spec = StudyReader(reading, root).read(overrides);
    spec.text = text;
    spec.refine *= finer;
    spec.vary = [text, file, overrides](const study::Variant& variant) {
      auto all = overrides;
      for (const auto& [name, value] : variant.parameters) all[name] = value;
      return parse(text, file, all, variant.refine);
    };
    if (reading.complaints.empty()) {
      study::carry_out_copies(spec);
      study::bring_along(spec);
      return spec;
    }
    if (wrong != nullptr) {
      *wrong = std::move(reading.complaints);
      return spec;
    }
  } catch (const toml::parse_error& error) {
    reading.complain(reading.place(error.source()), fmt::format("this is not TOML: {}", error.description()),
                     "see toml.io for the few rules of the format");
  }
  throw base::InputError(std::move(reading.complaints));
}

}  // namespace

std::string study_text(const std::string& path) {
  constexpr std::size_t most = 64 << 20;
  return detail::read_file(path, "study file", most, "check the path; archway new writes one to start from");
}

StudySpec parse_study(const std::string& text, const std::string& file,
                      const std::map<std::string, double>& overrides) {
  return parse(text, file, overrides, 1);
}

StudySpec read_what_stands(const std::string& path, const std::map<std::string, double>& overrides,
                           std::vector<base::Complaint>& wrong) {
  return parse(study_text(path), path, overrides, 1, &wrong);
}

std::string study_in_full(const std::string& path, const std::map<std::string, double>& overrides) {
  const std::string text = study_text(path);
  (void)parse(text, path, overrides, 1);  // says what is wrong
  Reading reading(path, text);
  std::map<const toml::table*, toml::table> defaults;
  reading.defaults = &defaults;
  const toml::table root = toml::parse(text, path);
  (void)StudyReader(reading, root).read(overrides);
  for (;;) {
    const std::string written = spelled_out(root, defaults, reading.parameters, path);
    std::vector<base::Complaint> wrong;
    (void)parse(written, path, {}, 1, &wrong);
    if (wrong.empty()) return written;
    if (!leave_out_refused(wrong, defaults)) throw base::InputError(std::move(wrong));
  }
}

std::map<std::string, std::set<std::string>> keys_asked_for(const std::string& text) {
  Reading reading("study", text);
  std::map<std::string, std::set<std::string>> keys;
  reading.asked = &keys;
  const toml::table root = toml::parse(text);
  (void)StudyReader(reading, root).read({});
  keys.erase("combinations");  // its keys are names of actions
  return keys;
}

model::Selection parse_selection(const StudySpec& spec, const std::string& text) {
  const auto first = text.find_first_not_of(' ');
  if (first == std::string::npos || text[first] != '{') {
    model::Selection named;
    named.group = text;
    return named;
  }
  class One : public detail::SpotReader {
   public:
    One(Reading& reading, const StudySpec& spec) : SpotReader(reading) { spec_.points = spec.points; }
    using SpotReader::selection_of;
  };
  const std::string line = "at = " + text;
  Reading reading("selection", line);
  reading.parameters = spec.parameters;
  try {
    const toml::table root = toml::parse(line, std::string("selection"));
    auto selection = One(reading, spec).selection_of(*root.get("at"), "at");
    if (reading.complaints.empty()) return selection;
  } catch (const toml::parse_error& error) {
    reading.complain(reading.place(error.source()), fmt::format("this is no table of rules: {}", error.description()),
                     "for instance { on = \"skin\", z = 0 }");
  }
  throw base::InputError(std::move(reading.complaints));
}

StudySpec read_study(const std::string& path, const std::map<std::string, double>& overrides) {
  return parse_study(study_text(path), path, overrides);
}

}  // namespace archway::io
