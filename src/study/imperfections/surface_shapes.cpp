#include <fmt/format.h>

#include "archway/imperfection/measured_map.hpp"
#include "imperfections/imperfection_detail.hpp"

/// Shapes on panels and walls of solids.
namespace archway::study {

using imperfection::PartFrame;
using imperfection::ShapeField;

namespace {
constexpr double kDegree = M_PI / 180;

double positive(Keys& keys, const std::string& key) {
  const double value = keys.number(key);
  if (value <= 0) keys.complain(keys.place(key), fmt::format("'{}' is {:g}", key, value), "give a length above zero");
  return value;
}

int count(Keys& keys, const std::string& key, int otherwise) {
  const int value = keys.whole(key, otherwise);
  if (value < 0) keys.complain(keys.place(key), fmt::format("'{}' is {}", key, value), "waves are counted from 0");
  return value;
}

void need_revolved(const PartFrame& frame, const char* what) {
  if (frame.kind() != PartFrame::Kind::revolved)
    throw base::InputError("", fmt::format("{} goes on a surface of revolution, and these parts are none", what),
                           "name a cylinder or cone, or give its axis = [[...], [...]]");
}

/// height, or displacement along the global axes, as expressions.
class Formula final : public ImperfectionKind {
 public:
  const char* word() const override { return "formula"; }
  const char* key() const override { return "height"; }
  bool has_size() const override { return true; }
  bool may_give_thickness() const override { return true; }
  ShapeMaker read(Keys& keys, ImperfectionSpec&) const override {
    const auto height = keys.function("height", {"x", "y", "z", "s", "t", "theta", "r", "xi", "across"});
    if (!height) return {};
    return [height](const ShapeSite& site) {
      const auto frame = site.frame();
      return site.put_on(frame, [&, from = site.counted_from()](const imperfection::SurfacePosition& p) {
        return height({p.x.x(), p.x.y(), p.x.z(), p.s, p.t, p.angle, p.radius, p.share, p.across}) - from;
      });
    };
  }
};

class Displacement final : public ImperfectionKind {
 public:
  const char* word() const override { return "displacement"; }
  const char* key() const override { return "displacement"; }
  bool has_size() const override { return true; }
  ShapeMaker read(Keys& keys, ImperfectionSpec&) const override {
    auto way = keys.vector_field("displacement");
    if (!way) way = [v = keys.vector("displacement")](const Vec3&) { return v; };
    return [way](const ShapeSite& site) {
      ShapeField field(site.model);
      field.parts = site.parts;
      field.parts.insert(field.parts.end(), site.carried.begin(), site.carried.end());
      for (const int n : imperfection::nodes_of(site.model, field.parts))
        field.displacement[static_cast<std::size_t>(n)] = way(site.model.nodes[static_cast<std::size_t>(n)]);
      return field;
    };
  }
};

/// Half waves on a flat panel; waves and rings on a surface of revolution.
class Waves final : public ImperfectionKind {
 public:
  const char* word() const override { return "waves"; }
  ShapeMaker read(Keys& keys, ImperfectionSpec&) const override {
    const int along = count(keys, "half_waves_along", 1), across = count(keys, "half_waves_across", 1),
              around = count(keys, "waves_around", 0);
    const bool flat = !keys.has("waves_around");
    const double phase = keys.number("phase_deg", 0.0) * kDegree, start = keys.number("start_phase_deg", 0.0) * kDegree;
    if (keys.has("waves_around") && keys.has("half_waves_across"))
      keys.complain(keys.place("half_waves_across"), "waves go across a flat panel or around an axis, not both",
                    "omit one of them");
    return [=](const ShapeSite& site) {
      const auto frame = site.frame();
      if (!flat) need_revolved(frame, "a number of waves around");
      if (flat && frame.kind() == PartFrame::Kind::revolved)
        throw base::InputError("", "these parts lie about an axis", "say how many waves go around: waves_around = 8");
      return site.put_on(frame, flat ? imperfection::panel_waves(along, across)
                                     : imperfection::ring_waves(along, around, start, phase));
    };
  }
};

class Dimple final : public ImperfectionKind {
 public:
  const char* word() const override { return "dimple"; }
  ShapeMaker read(Keys& keys, ImperfectionSpec&) const override {
    const Vec3 middle = keys.vector("centre");
    const double along = positive(keys, "width_along"), across = positive(keys, "width_across");
    return [=](const ShapeSite& site) {
      const auto frame = site.frame();
      return site.put_on(frame, imperfection::dimple(frame, middle, along, across));
    };
  }
};

class WeldDepression final : public ImperfectionKind {
 public:
  const char* word() const override { return "weld-depression"; }
  ShapeMaker read(Keys& keys, ImperfectionSpec&) const override {
    const auto type =
        keys.choice("weld_type", {"a", "b"}, "a") == 0 ? imperfection::WeldType::a : imperfection::WeldType::b;
    const double height = keys.number("weld_height"), given = keys.number("half_wavelength", 0.0);
    return [=](const ShapeSite& site) {
      const auto frame = site.frame();
      need_revolved(frame, "the depression at a circumferential weld");
      const auto& part = site.model.parts[static_cast<std::size_t>(site.parts.front())];
      const double nu = site.model.materials[static_cast<std::size_t>(part.material)].poisson_ratio;
      const double lambda = given > 0 ? given : imperfection::weld_length(frame.mean_radius(), frame.thickness(), nu);
      if (!(lambda > 0))
        throw base::InputError("", "the wall has no thickness to find the depression's length from",
                               "give half_wavelength = a length");
      auto field = site.put_on(frame, imperfection::weld_depression(height, lambda, type));
      field.notes.push_back(fmt::format("half wave of the depression {:.5g} ([RotterTeng1989])", lambda));
      return field;
    };
  }
};

class WeldRoof final : public ImperfectionKind {
 public:
  const char* word() const override { return "weld-roof"; }
  ShapeMaker read(Keys& keys, ImperfectionSpec&) const override {
    const bool by_angle = keys.has("weld_angle_deg");
    const double place = by_angle ? keys.number("weld_angle_deg") * kDegree : keys.number("weld_across");
    const double half = positive(keys, "half_width");
    return [=](const ShapeSite& site) {
      const auto frame = site.frame();
      if (by_angle) need_revolved(frame, "an angle");
      return site.put_on(frame, imperfection::weld_roof(frame, place, half));
    };
  }
};

class Ovality final : public ImperfectionKind {
 public:
  const char* word() const override { return "ovality"; }
  ShapeMaker read(Keys& keys, ImperfectionSpec&) const override {
    const double phase = keys.number("phase_deg", 0.0) * kDegree;
    return [=](const ShapeSite& site) {
      const auto frame = site.frame();
      need_revolved(frame, "ovality");
      return site.put_on(frame, imperfection::ovality(phase));
    };
  }
};

class FlangeTilt final : public ImperfectionKind {
 public:
  const char* word() const override { return "flange-tilt"; }
  ShapeMaker read(Keys& keys, ImperfectionSpec&) const override {
    const int along = count(keys, "half_waves_along", 1);
    const Vec3 held = keys.vector("hinge_point");
    return [=](const ShapeSite& site) {
      const auto frame = site.frame();
      if (frame.kind() != PartFrame::Kind::flat)
        throw base::InputError("", "a flange that tilts is flat, and these parts are not", "name one flat panel");
      return site.put_on(frame, imperfection::flange_tilt(along, frame.place_of(held).across > 0.5));
    };
  }
};

class Random final : public ImperfectionKind {
 public:
  const char* word() const override { return "random"; }
  ShapeMaker read(Keys& keys, ImperfectionSpec& spec) const override {
    const int seed = keys.whole("seed", 1);
    spec.numbers["seed"] = seed;
    if (keys.has("spectrum")) return by_spectrum(keys);
    const double along = positive(keys, "correlation_along"), across = keys.number("correlation_across", along);
    return [=](const ShapeSite& site) {
      const auto frame = site.frame();
      long_enough(along, frame.length(), "correlation_along");
      if (frame.kind() != PartFrame::Kind::line) long_enough(across, frame.width(), "correlation_across");
      const auto own = static_cast<unsigned long long>(site.spec.numbers.at("seed"));
      auto field = site.put_on(frame, imperfection::random_height(frame, {along, across, own}));
      field.rms = 1;
      field.notes.push_back(
          fmt::format("random field, seed {}, correlation lengths {:g} along and {:g} across", own, along, across));
      return field;
    };
  }

 private:
  /// A field has about 3 waves for every correlation length of a part.
  static void long_enough(double correlation, double extent, const char* key) {
    constexpr double kShortest = 1e-3;
    if (!(correlation >= kShortest * extent))
      throw base::InputError(
          "",
          fmt::format("'{}' is {:g}, less than a thousandth of the {:g} that it goes over", key, correlation, extent),
          "give a longer one: no mesh shows so short waves");
  }
  /// Waves of a measured spectrum: along, around, amplitude.
  static ShapeMaker by_spectrum(Keys& keys) {
    const auto table = keys.table_file("spectrum");
    std::vector<imperfection::SpectrumLine> lines;
    for (const auto& row : table.rows)
      lines.push_back({static_cast<int>(std::lround(table.cell(row, "along"))),
                       static_cast<int>(std::lround(table.cell(row, "around"))), table.cell(row, "amplitude")});
    return [=](const ShapeSite& site) {
      const auto own = static_cast<unsigned long long>(site.spec.numbers.at("seed"));
      auto field = site.put_on(site.frame(), imperfection::random_height(lines, own));
      field.notes.push_back(fmt::format("{} waves of the spectrum with phases of seed {}", lines.size(), own));
      return field;
    };
  }
};
}  // namespace

std::vector<const ImperfectionKind*> surface_imperfections() {
  static const Formula formula;
  static const Displacement displacement;
  static const Waves waves;
  static const Dimple dimple;
  static const WeldDepression depression;
  static const WeldRoof roof;
  static const Ovality ovality;
  static const FlangeTilt tilt;
  static const Random random;
  return {&formula, &displacement, &waves, &dimple, &depression, &roof, &ovality, &tilt, &random};
}

}  // namespace archway::study
