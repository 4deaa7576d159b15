#include <cmath>

#include <fmt/format.h>

#include "archway/imperfection/mode_shape.hpp"
#include "imperfections/imperfection_detail.hpp"

namespace archway::study {

namespace {
/// Modes of a buckling analysis, one or a mix.
class Modes final : public ImperfectionKind {
 public:
  const char* word() const override { return "modes"; }
  const char* key() const override { return "mode_of"; }
  bool on_parts() const override { return false; }
  ShapeMaker read(Keys& keys, ImperfectionSpec& i) const override {
    i.made_from = keys.text("mode_of");
    if (keys.has("modes")) {
      i.modes = keys.pairs("modes", "a mode number", "a factor", "for instance [[1, 1.0], [2, 0.5]]");
      (void)keys.has("mode");
    } else {
      i.modes = {{keys.whole("mode", 1), 1.0}};
    }
    return [](const ShapeSite& site) { return made(site); };
  }

  static imperfection::ShapeField made(const ShapeSite& site) {
    const auto& spec = site.spec;
    const auto* source = site.find(spec.made_from);
    std::vector<imperfection::ShapeTerm> terms;
    for (const auto& [mode, factor] : spec.modes) {
      if (source == nullptr || !source->buckling || static_cast<int>(source->buckling->modes.size()) < mode)
        throw base::InputError("",
                               fmt::format("mode {} of '{}' does not exist, so imperfection '{}' cannot be made", mode,
                                           spec.made_from, spec.name),
                               "");
      const auto& shape = source->buckling->modes[static_cast<std::size_t>(mode - 1)].shape;
      if (shape.size() != model::row(site.model.node_count()))
        throw base::InputError("", fmt::format("the modes of '{}' are of another mesh", spec.made_from), "");
      terms.push_back({&shape, factor});
    }
    const auto mix = imperfection::from_amplitudes(site.model, terms);
    imperfection::ShapeField field(site.model);
    field.displacement = mix.displacement;
    field.rotation = mix.rotation;
    field.terms = mix.amplitudes;
    return field;
  }
};
}  // namespace

ImperfectionSpec mode_mix(const std::string& analysis, const std::vector<double>& factors, double largest) {
  ImperfectionSpec mix;
  mix.name = "mix";
  mix.kind = &mode_imperfection();
  mix.made_from = analysis;
  for (std::size_t k = 0; k < factors.size(); ++k) mix.modes.emplace_back(static_cast<int>(k) + 1, factors[k]);
  mix.amplitude_kind = AmplitudeKind::length;
  mix.amplitude = largest;
  mix.make = [](const ShapeSite& site) { return Modes::made(site); };
  return mix;
}

const ImperfectionKind& mode_imperfection() {
  static const Modes modes;
  return modes;
}

}  // namespace archway::study
