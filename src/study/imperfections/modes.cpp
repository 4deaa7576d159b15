#include <cmath>

#include <fmt/format.h>

#include "archway/study/imperfection_kind.hpp"
#include "imperfections/imperfection_detail.hpp"
#include "names_detail.hpp"

namespace archway::study {

using detail::names_of;

namespace {
/// The numbers beside the modes are amplitudes: lengths, or shares of a thickness or a length.
void read_amplitude_of_each(Keys& keys, Keys& a, ImperfectionSpec& i) {
  i.each_mode = true;
  i.amplitude = 1;
  i.amplitude_kind = static_cast<AmplitudeKind>(a.choice("each", {"length", "thickness", "span"}, ""));
  if (i.amplitude_kind != AmplitudeKind::length) i.part = a.text("part");
  if (!keys.has("modes"))
    keys.complain(keys.place("amplitude"), "'each' needs 'modes' with an amplitude for every mode",
                  "for instance modes = [[1, 0.1], [2, 0.05]]");
}

void read_amplitude(Keys& keys, ImperfectionSpec& i) {
  const char* const examples =
      "a length, or { of_thickness = 0.5, part = \"...\" }, or { of_length = 0.004, part = \"...\" }";
  if (!keys.has("amplitude")) return keys.complain(keys.place(), "this imperfection needs 'amplitude'", examples);
  if (!keys.is_table("amplitude")) {
    i.amplitude = keys.number("amplitude");
  } else {
    keys.table("amplitude", "this amplitude", examples, [&](Keys& a) {
      if (a.has("each")) return read_amplitude_of_each(keys, a, i);
      i.amplitude_kind = a.has("of_length") ? AmplitudeKind::share_of_length : AmplitudeKind::share_of_thickness;
      i.amplitude = a.has("of_length") ? a.number("of_length") : a.number("of_thickness");
      i.part = a.text("part");
    });
  }
  if (i.amplitude == 0.0)
    keys.complain(keys.place("amplitude"), "the amplitude is zero",
                  "a GNA follows the perfect structure; give a GNIA an amplitude");
}

double amplitude(const Run& run, const ImperfectionSpec& spec) {
  if (spec.amplitude_kind == AmplitudeKind::length) return spec.amplitude;
  for (const auto& panel : run.stage.spec.panels)
    if (spec.amplitude_kind == AmplitudeKind::share_of_thickness && panel.name == spec.part)
      return spec.amplitude * panel.thickness;
  for (const auto& member : run.stage.spec.members)
    if (member.name == spec.part) return spec.amplitude * member.line.length();
  return 0;
}

/// The analysis whose modes an imperfection is made of, as `a` needs it.
void check_source(const AnalysisSpec& a, const ImperfectionSpec& i, References& references) {
  if (!references.comes_before(i.mode_of))
    references.complain(i.place,
                        fmt::format("imperfection '{}' is made from '{}', which does not come before analysis '{}'",
                                    i.name, i.mode_of, a.name),
                        base::suggestion(i.mode_of, references.before));
  else if (differ(a, *references.spec.find_analysis(i.mode_of)))
    references.complain(
        a.place,
        fmt::format("analysis '{}' is done on another structure than '{}', whose mode it takes", a.name, i.mode_of),
        "give both the same set = { ... } and refine");
}
}  // namespace

ImperfectionSpec read_imperfection(Keys& keys) {
  ImperfectionSpec i;
  i.place = keys.place();
  i.name = keys.text("name");
  i.mode_of = keys.text("mode_of");
  if (keys.has("modes")) {
    i.modes = keys.pairs("modes", "a mode number", "a factor", "for instance [[1, 1.0], [2, 0.5]]");
    (void)keys.has("mode");
  } else {
    i.modes = {{keys.whole("mode", 1), 1.0}};
  }
  read_amplitude(keys, i);
  return i;
}

void check_imperfection_of(const AnalysisSpec& a, References& references) {
  if (const auto* i = references.spec.find_imperfection(a.imperfection)) return check_source(a, *i, references);
  references.complain(
      a.place,
      a.imperfection.empty() ? fmt::format("analysis '{}' is {} without an imperfection", a.name, with_article(*a.kind))
                             : fmt::format("there is no imperfection named '{}'", a.imperfection),
      a.imperfection.empty() ? "name one with imperfection = \"...\", or make it a GNA"
                             : base::suggestion(a.imperfection, names_of(references.spec.imperfections)));
}

void check_imperfection(const ImperfectionSpec& i, References& references) {
  const auto& spec = references.spec;
  const AnalysisSpec* source = spec.find_analysis(i.mode_of);
  if (source == nullptr || source->kind->gives() != AnalysisKind::Gives::modes)
    return references.complain(
        i.place,
        fmt::format("imperfection '{}' is made from '{}', which is not a buckling analysis", i.name, i.mode_of),
        "name an LBA with mode_of = \"...\"");
  for (const auto& [mode, factor] : i.modes)
    if (mode < 1 || (mode > source->modes && !std::isfinite(source->below)))
      references.complain(i.place,
                          fmt::format("imperfection '{}' wants mode {}, but '{}' computes {}", i.name, mode,
                                      source->name, source->modes),
                          fmt::format("choose 1 to {}, or raise modes in '{}'", source->modes, source->name));
  if (i.amplitude_kind == AmplitudeKind::length) return;
  const bool thick = i.amplitude_kind == AmplitudeKind::share_of_thickness;
  const auto parts = thick ? names_of(spec.panels) : names_of(spec.members);
  if (std::find(parts.begin(), parts.end(), i.part) == parts.end())
    references.complain(i.place,
                        fmt::format("the amplitude of '{}' is a share of part '{}', which is not a {}", i.name, i.part,
                                    thick ? "panel" : "member"),
                        base::suggestion(i.part, parts));
}

bool seed(Run& run, AnalysisOutcome& outcome) {
  const ImperfectionSpec& spec = *run.result.spec.find_imperfection(outcome.spec.imperfection);
  const AnalysisOutcome* source = run.result.find(spec.mode_of);
  std::vector<imperfection::ShapeTerm> terms;
  for (const auto& [mode, factor] : spec.modes) {
    if (source == nullptr || !source->buckling || static_cast<int>(source->buckling->modes.size()) < mode) {
      outcome.skipped = true;
      outcome.skip_reason = fmt::format("mode {} of '{}' does not exist, so imperfection '{}' cannot be made", mode,
                                        spec.mode_of, spec.name);
      return false;
    }
    terms.push_back({&source->buckling->modes[static_cast<std::size_t>(mode - 1)].shape, factor});
  }
  if (spec.each_mode) {
    for (auto& term : terms) term.factor *= amplitude(run, spec);
    outcome.imperfection =
        std::make_shared<imperfection::Imperfection>(imperfection::from_amplitudes(*run.stage.model, terms));
  } else {
    outcome.imperfection = std::make_shared<imperfection::Imperfection>(
        imperfection::from_shapes(*run.stage.model, terms, amplitude(run, spec)));
  }
  outcome.geometry = std::make_shared<model::Model>(imperfection::apply(*run.stage.model, *outcome.imperfection));
  return true;
}

}  // namespace archway::study
