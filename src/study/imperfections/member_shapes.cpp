#include <fmt/format.h>

#include "imperfections/imperfection_detail.hpp"

/// Shapes along members and frames.
namespace archway::study {

namespace {
/// from, to: ends of the line; omitted: those of the member that `on` names.
struct Ends {
  std::optional<Vec3> from, to;
  static Ends read(Keys& keys) {
    Ends ends;
    if (keys.has("from")) ends.from = keys.vector("from");
    if (keys.has("to")) ends.to = keys.vector("to");
    if (ends.from.has_value() != ends.to.has_value())
      keys.complain(keys.place(), "a line has two ends", "give both 'from' and 'to', or neither");
    return ends;
  }
  imperfection::Bow line(const ShapeSite& site) const {
    imperfection::Bow bow;
    if (from) {
      bow.from = *from, bow.to = *to;
    } else if (const auto* member = member_named(site.study, site.spec.on.front())) {
      bow.from = member->line.from, bow.to = member->line.to;
    } else {
      throw base::InputError(
          "", fmt::format("'{}' is no member, so the ends of the line are not known", site.spec.on.front()),
          "give from = [...] and to = [...]");
    }
    if (!((bow.to - bow.from).norm() > 0))
      throw base::InputError("", "the two ends of the line are one point", "give 'from' and 'to' apart");
    return bow;
  }
};

class BowKind final : public ImperfectionKind {
 public:
  const char* word() const override { return "bow"; }
  ShapeMaker read(Keys& keys, ImperfectionSpec& spec) const override {
    const Ends ends = Ends::read(keys);
    const int waves = keys.whole("half_waves", 1);
    if (waves < 1) keys.complain(keys.place("half_waves"), "a bow has one half wave at least", "");
    if (spec.direction.isZero(0.0)) {
      keys.complain(keys.place(), "the bow does not say where it goes", "add direction = [0, 1, 0], for instance");
      return {};
    }
    return [=](const ShapeSite& site) {
      auto line = ends.line(site);
      line.direction = site.spec.direction;
      line.half_waves = waves;
      auto parts = site.parts;
      parts.insert(parts.end(), site.carried.begin(), site.carried.end());
      return imperfection::bow(site.model, parts, line);
    };
  }
};

class TwistKind final : public ImperfectionKind {
 public:
  const char* word() const override { return "twist"; }
  ShapeMaker read(Keys& keys, ImperfectionSpec&) const override {
    const Ends ends = Ends::read(keys);
    const bool grows = keys.choice("along_line", {"half-wave", "growing"}, "half-wave") == 1;
    return [=](const ShapeSite& site) { return imperfection::twist(site.model, site.parts, ends.line(site), grows); };
  }
};

class SwayKind final : public ImperfectionKind {
 public:
  const char* word() const override { return "sway"; }
  bool on_parts() const override { return false; }
  ShapeMaker read(Keys& keys, ImperfectionSpec& spec) const override {
    imperfection::Sway sway;
    sway.up = keys.vector("up", Vec3(Vec3::UnitZ()));
    sway.from = keys.number("from_height");
    sway.to = keys.number("to_height");
    spec.numbers["height"] = sway.to - sway.from;
    if (!(sway.to > sway.from))
      keys.complain(keys.place("to_height"), "the sway ends no higher than it begins", "give the heights in order");
    if (spec.direction.isZero(0.0)) {
      keys.complain(keys.place(), "the sway does not say where it goes", "add direction = [1, 0, 0], for instance");
      return {};
    }
    return [=](const ShapeSite& site) {
      auto own = sway;
      own.direction = site.spec.direction;
      return imperfection::sway(site.model, site.parts, own);
    };
  }
};
}  // namespace

std::vector<const ImperfectionKind*> member_imperfections() {
  static const BowKind bow;
  static const TwistKind twist;
  static const SwayKind sway;
  return {&bow, &twist, &sway};
}

}  // namespace archway::study
