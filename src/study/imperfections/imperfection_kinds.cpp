#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include "archway/model/surface.hpp"
#include "build/obstacles_detail.hpp"
#include "imperfections/imperfection_detail.hpp"
#include "spec/names_detail.hpp"

namespace archway::study {

using detail::names_of;

const std::vector<const ImperfectionKind*>& imperfection_kinds() {
  static const std::vector<const ImperfectionKind*> list = [] {
    std::vector<const ImperfectionKind*> all = {&mode_imperfection()};
    for (const auto& some : {surface_imperfections(), member_imperfections(), measured_imperfections()})
      all.insert(all.end(), some.begin(), some.end());
    return all;
  }();
  return list;
}

namespace {
const ImperfectionKind* kind_of(Keys& keys) {
  const auto& kinds = imperfection_kinds();
  std::vector<std::string> words;
  for (const auto* kind : kinds) words.emplace_back(kind->word());
  for (const auto* kind : kinds)
    if (kind->key() != nullptr && keys.has(kind->key())) {
      if (keys.has("shape") && keys.text("shape") != kind->word())
        keys.complain(keys.place("shape"), fmt::format("'{}' makes it a shape of another kind", kind->key()),
                      "omit one of the two");
      return kind;
    }
  if (!keys.has("shape")) {
    keys.complain(keys.place(), "this imperfection does not say what shape it has",
                  fmt::format("give mode_of, height, table, map, scan or displacement_of, or shape = one of: {}",
                              fmt::join(words, ", ")));
    return nullptr;
  }
  return kinds[keys.choice("shape", words, "")];
}

void read_gives(Keys& keys, ImperfectionSpec& i) {
  i.gives = static_cast<ShapeGives>(
      keys.choice("quantity", {"displacement", "thickness-change", "thickness"}, "displacement"));
  if (i.gives == ShapeGives::displacement) return;
  if (!i.direction.isZero(0.0))
    keys.complain(keys.place("direction"), "a wall is thicker on both faces alike, in no direction", "omit it");
  if (i.gives == ShapeGives::thickness && !i.kind->may_give_thickness())
    keys.complain(keys.place("quantity"),
                  fmt::format("a shape of kind '{}' has no thicknesses of its own", i.kind->word()),
                  "quantity = \"thickness-change\", or give a map, a table or a formula");
}
}  // namespace

ImperfectionSpec read_imperfection(Keys& keys) {
  ImperfectionSpec i;
  i.place = keys.place();
  i.name = keys.text("name");
  const std::size_t known = keys.complaints();
  i.kind = kind_of(keys);
  if (keys.complaints() > known || i.kind == nullptr) {
    i.kind = imperfection_kinds().front();
    keys.forgive();
    return i;
  }
  i.on = keys.texts("on");
  i.carry = keys.texts("attached_parts");
  i.along = keys.vector("along", Vec3(Vec3::Zero()));
  i.direction = keys.vector("direction", Vec3(Vec3::Zero()));
  if (keys.has("axis")) i.axis = keys.two_points("axis");
  if (i.kind->on_parts() && i.on.empty())
    keys.complain(keys.place(), fmt::format("this imperfection ({}) does not say which parts have it", i.kind->word()),
                  "add on = \"...\"");
  read_gives(keys, i);
  i.make = i.kind->read(keys, i);
  read_amplitude(keys, i);
  if (i.gives == ShapeGives::thickness && i.amplitude_kind != AmplitudeKind::as_it_is)
    keys.complain(keys.place("amplitude"), "thicknesses are as they are and have no amplitude",
                  "leave it out, or give the change alone: quantity = \"thickness-change\"");
  return i;
}

void check_imperfections_of(const AnalysisSpec& a, References& references) {
  if (a.imperfections.empty())
    return references.complain(
        a.place, fmt::format("analysis '{}' is {} without an imperfection", a.name, with_article(*a.kind)),
        "name one with imperfection = \"...\", or make it a GNA");
  for (const auto& [name, factor] : a.imperfections) {
    const auto* i = references.spec.find_imperfection(name);
    if (i == nullptr) {
      references.complain(a.place, fmt::format("there is no imperfection named '{}'", name),
                          base::suggestion(name, names_of(references.spec.imperfections)));
      continue;
    }
    if (factor == 0.0)
      references.complain(a.place, fmt::format("imperfection '{}' is taken zero times", name), "omit it");
    if (!i->made_from.empty() && !references.comes_before(i->made_from + a.suffix))
      references.complain(i->place,
                          fmt::format("imperfection '{}' is made from '{}', which does not come before analysis '{}'",
                                      i->name, i->made_from, a.name),
                          base::suggestion(i->made_from, references.before));
  }
}

void check_imperfection(const ImperfectionSpec& i, References& references) {
  check_amplitude(i, references);
  if (i.made_from.empty()) return;
  const AnalysisSpec* source = references.spec.find_analysis(i.made_from);
  if (i.modes.empty()) {
    if (source == nullptr || source->kind->gives() == AnalysisKind::Gives::modes)
      references.complain(
          i.place,
          fmt::format("imperfection '{}' is the displacement of '{}', which is no LA and no path", i.name, i.made_from),
          "name one with displacement_of = \"...\"");
    return;
  }
  if (source == nullptr || source->kind->gives() != AnalysisKind::Gives::modes)
    return references.complain(
        i.place,
        fmt::format("imperfection '{}' is made from '{}', which is not a buckling analysis", i.name, i.made_from),
        "name an LBA with mode_of = \"...\"");
  for (const auto& [mode, factor] : i.modes)
    if (mode < 1 || (mode > source->modes && !std::isfinite(source->below)))
      references.complain(i.place,
                          fmt::format("imperfection '{}' wants mode {}, but '{}' computes {}", i.name, mode,
                                      source->name, source->modes),
                          fmt::format("choose 1 to {}, or raise modes in '{}'", source->modes, source->name));
}

const MemberSpec* member_named(const StudySpec& spec, const std::string& name) {
  for (const auto& member : spec.members)
    if (member.name == name) return &member;
  return nullptr;
}

namespace {
std::vector<int> numbers_of(const model::Model& model, const std::vector<std::string>& names) {
  std::vector<int> list;
  std::vector<std::string> known;
  for (const auto& part : model.parts) known.push_back(part.name);
  for (const auto& name : names) {
    std::size_t before = list.size();
    for (std::size_t p = 0; p < known.size(); ++p)
      if (known[p] == name || known[p].rfind(name + ".", 0) == 0) list.push_back(static_cast<int>(p));
    if (list.size() == before)
      throw base::InputError("", fmt::format("no part is called '{}'", name), base::suggestion(name, known));
  }
  return list;
}

/// Supported nodes that it moves: reported, since supports hold them where the imperfect structure has them.
void look_at_supports(const model::Model& model, const imperfection::Imperfection& shape, SeededShape& seeded) {
  std::vector<char> moved(model.nodes.size(), 0);
  double most = 0;
  int count = 0;
  for (const auto& s : model.supports) {
    if (s.dof >= 3) continue;
    const auto n = static_cast<std::size_t>(s.node);
    const double way = std::abs(shape.displacement[n][s.dof]);
    if (way > 1e-3 * shape.largest && moved[n] == 0) moved[n] = 1, ++count;
    most = std::max(most, way);
  }
  if (count > 0)
    seeded.notes.push_back(
        fmt::format("moves {} supported nodes in restrained directions, by up to {:.4g}: the supports hold "
                    "them where the imperfect structure has them",
                    count, most));
}

SeededShape made(const ShapeSite& site) {
  const auto& spec = site.spec;
  SeededShape seeded;
  seeded.name = spec.name;
  const auto raw = spec.make(site);
  const auto field = spec.gives == ShapeGives::displacement ? raw : imperfection::on_walls(site.model, raw);
  const double largest = imperfection::largest_of(site.model, field);
  if (largest == 0.0)
    throw base::InputError("",
                           fmt::format("imperfection '{}' does not {} anything", spec.name,
                                       spec.gives == ShapeGives::displacement ? "move" : "change"),
                           spec.modes.empty() ? "look at where its shape lies, and on which parts"
                                              : "choose another mode or other factors");
  const Size size = size_of(site, field, largest);
  auto shape = imperfection::sized(site.model, field, size.factor);
  if (!field.terms.empty()) {
    shape.amplitudes = field.terms;
    for (double& a : shape.amplitudes) a *= std::abs(size.factor);
  }
  if (!size.note.empty()) seeded.notes.push_back(size.note);
  seeded.notes.insert(seeded.notes.end(), field.notes.begin(), field.notes.end());
  seeded.warnings = field.warnings;
  look_at_supports(site.model, shape, seeded);
  const double reach = site.model.size();
  if (shape.largest > 0.1 * reach)
    seeded.warnings.push_back(
        fmt::format("imperfection '{}' is {:.3g} times as large as the structure: is its amplitude "
                    "in another unit?",
                    spec.name, shape.largest / reach));
  seeded.measured = imperfection::measure(site.model, shape, field.parts);
  if (seeded.measured.walls) (void)imperfection::apply(site.model, shape);  // refuses here, where the place is known
  seeded.height = field.thicker.empty() ? std::vector<double>() : raw.height;
  for (double& h : seeded.height) h *= size.factor;
  seeded.shape = std::make_shared<const imperfection::Imperfection>(std::move(shape));
  return seeded;
}
}  // namespace

imperfection::PartFrame ShapeSite::frame() const {
  imperfection::FrameHint hint;
  hint.axis = spec.axis;
  hint.along = spec.along;
  for (const auto& panel : study.panels) {
    if (panel.name != spec.on.front()) continue;
    if (!hint.axis && (panel.surface == Surface::cylinder || panel.surface == Surface::revolution)) {
      hint.axis = {{panel.axis_from, panel.axis_to}};
      hint.zero = panel.surface == Surface::cylinder ? panel.start : panel.line.from;
    }
    if (hint.along.isZero(0.0) && panel.surface == Surface::rectangle) hint.along = panel.along;
    if (hint.along.isZero(0.0) && panel.surface == Surface::corners) hint.along = panel.corners[1] - panel.corners[0];
  }
  for (const auto& solid : study.solids)
    if (solid.name == spec.on.front() && solid.body == Body::tube && !hint.axis)
      hint.axis = {{solid.axis_from, solid.axis_to}}, hint.zero = solid.start;
  return {model, parts, hint};
}

double ShapeSite::counted_from() const {
  if (spec.gives != ShapeGives::thickness) return 0;
  double t = 0;
  for (const int p : parts) {
    const double own = model.parts[static_cast<std::size_t>(p)].thickness;
    if (t > 0 && own != t)
      throw base::InputError("", "the parts are of different thickness, so one table of thicknesses cannot be for all",
                             "give each its own, or the change alone: quantity = \"thickness-change\"");
    t = own;
  }
  return t;
}

SeededShape make_shape(const StudySpec& study, const ImperfectionSpec& spec, const model::Model& model,
                       const std::function<const AnalysisOutcome*(const std::string&)>& find) {
  try {
    ShapeSite site{study, spec, model, find, {}, {}};
    site.parts = numbers_of(model, spec.on);
    site.carried = numbers_of(model, spec.carry);
    return made(site);
  } catch (const base::InputError& error) {
    auto list = error.complaints();
    for (auto& c : list)
      if (c.place.empty()) c.place = spec.place.text, c.excerpt = spec.place.excerpt;
    throw base::InputError(std::move(list));
  }
}

bool seed(Run& run, AnalysisOutcome& outcome) {
  const auto find = [&](const std::string& name) -> const AnalysisOutcome* {
    const auto* own = run.result.find(name + outcome.spec.suffix);
    return own != nullptr ? own : run.result.find(name);
  };
  std::vector<std::pair<const imperfection::Imperfection*, double>> terms;
  for (const auto& [name, factor] : outcome.spec.imperfections) {
    const auto& spec = *run.stage.spec.find_imperfection(name);
    if (!spec.modes.empty()) {
      const auto* source = find(spec.made_from);
      for (const auto& [mode, share] : spec.modes)
        if (source == nullptr || !source->buckling || static_cast<int>(source->buckling->modes.size()) < mode) {
          outcome.skipped = true;
          outcome.skip_reason = fmt::format("mode {} of '{}' does not exist, so imperfection '{}' cannot be made", mode,
                                            spec.made_from, spec.name);
          return false;
        }
    }
    outcome.seeded.push_back(make_shape(run.stage.spec, spec, *run.stage.model, find));
    outcome.seeded.back().factor = factor;
  }
  for (const auto& one : outcome.seeded) {
    terms.emplace_back(one.shape.get(), one.factor);
    outcome.warnings.insert(outcome.warnings.end(), one.warnings.begin(), one.warnings.end());
  }
  outcome.imperfection =
      terms.size() == 1 && terms[0].second == 1.0
          ? outcome.seeded[0].shape
          : std::make_shared<const imperfection::Imperfection>(imperfection::sum_of(*run.stage.model, terms));
  try {
    auto imperfect = std::make_shared<model::Model>(imperfection::apply(*run.stage.model, *outcome.imperfection));
    for (auto& contact : imperfect->contacts) contact.overlap_is_free = true;  // parts were made to fit
    outcome.geometry = std::move(imperfect);
  } catch (const base::InputError& error) {
    auto complaint = error.complaints().front();
    throw base::InputError({outcome.spec.place.complaint(complaint.problem, complaint.remedy)});
  }
  for (auto& text : detail::overlaps(*outcome.geometry)) outcome.warnings.push_back(std::move(text));
  return true;
}

}  // namespace archway::study
