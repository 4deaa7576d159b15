#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include "archway/imperfection/measured_map.hpp"
#include "imperfections/imperfection_detail.hpp"

/// Shapes that were measured, or written by another study.
namespace archway::study {

using imperfection::ShapeField;

namespace {
constexpr double kDegreeOfMeasured = M_PI / 180;

void tell(const imperfection::Mapping& m, ShapeField& field) {
  field.notes.push_back(
      fmt::format("{} rows about {:.4g} apart on {} nodes: {} with a row of their own, {} between rows (the furthest "
                  "{:.4g} away), {} "
                  "further than {:.4g} from every row left at zero",
                  m.samples, m.spacing, m.places, m.exact, m.covered - m.exact, m.farthest, m.left_at_zero, m.reach));
  if (m.left_at_zero > 0)
    field.warnings.push_back(
        fmt::format("{} of {} nodes lie further than {:.4g} from every row and stay where they are; "
                    "influence_radius = ... widens that",
                    m.left_at_zero, m.places, m.reach));
  if (m.lost > 0.1)
    field.warnings.push_back(
        fmt::format("the mesh is too coarse to show the table: between nodes {:.0f} % of it (root "
                    "mean square) is lost",
                    100 * m.lost));
}

/// x, y, z and ux, uy, uz (or height along the normal).
class Table final : public ImperfectionKind {
 public:
  const char* word() const override { return "table"; }
  const char* key() const override { return "table"; }
  bool has_size() const override { return true; }
  bool on_parts() const override { return false; }
  bool may_give_thickness() const override { return true; }
  ShapeMaker read(Keys& keys, ImperfectionSpec&) const override {
    const auto table = keys.table_file("table");
    const double reach = keys.number("influence_radius", 0.0);
    const bool scalar = table.has("height");
    std::vector<imperfection::Sample> samples;
    for (const auto& row : table.rows) {
      imperfection::Sample s;
      s.at = Vec3(table.cell(row, "x"), table.cell(row, "y"), table.cell(row, "z"));
      s.value = scalar ? Vec3(table.cell(row, "height"), 0, 0)
                       : Vec3(table.cell(row, "ux"), table.cell(row, "uy"), table.cell(row, "uz"));
      if (s.at.allFinite() && s.value.allFinite()) samples.push_back(s);
    }
    return [=](const ShapeSite& site) {
      imperfection::Mapping mapping;
      std::optional<imperfection::PartFrame> frame;
      if (scalar) frame.emplace(site.frame());
      auto rows = samples;
      for (auto& s : rows) s.value.x() -= site.counted_from();
      auto field =
          imperfection::from_table(site.model, site.parts, frame ? &*frame : nullptr, rows, scalar, reach, mapping);
      tell(mapping, field);
      return field;
    };
  }
};

ShapeField map_of(const ShapeSite& site, const imperfection::PartFrame& frame, std::vector<imperfection::Deviation> map,
                  const imperfection::MapOptions& options) {
  imperfection::MapFindings found;
  auto field = imperfection::from_map(site.model, site.parts, site.carried, frame, std::move(map), options, found);
  tell(found.mapping, field);
  if (found.outliers > 0)
    field.warnings.push_back(fmt::format("{} rows lie far from what their neighbours say{}", found.outliers,
                                         options.drop_outliers ? ": dropped" : "; remove_outliers = true drops them"));
  if (options.take_off_best_fit)
    field.notes.push_back(fmt::format(
        "best fit taken off: root mean square {:.4g} before, {:.4g} after; {}", found.before, found.after,
        frame.kind() == imperfection::PartFrame::Kind::revolved
            ? fmt::format("radius {:+.4g}, axis moved by {:.4g}", found.fit[0], std::hypot(found.fit[1], found.fit[2]))
            : fmt::format("moved by {:+.4g}", found.fit[0])));
  return field;
}

imperfection::MapOptions options_of(Keys& keys) {
  imperfection::MapOptions options;
  options.reach = keys.number("influence_radius", 0.0);
  options.take_off_best_fit = keys.flag("remove_best_fit", false);
  options.drop_outliers = keys.flag("remove_outliers", false);
  return options;
}

/// angle (degrees) or across, height or along, deviation; blank cells are gaps. Or a grid: heights down, angles across.
class Map final : public ImperfectionKind {
 public:
  const char* word() const override { return "map"; }
  const char* key() const override { return "map"; }
  bool has_size() const override { return true; }
  bool may_give_thickness() const override { return true; }
  ShapeMaker read(Keys& keys, ImperfectionSpec& spec) const override {
    const auto table = keys.table_file("map");
    const auto options = options_of(keys);
    if (spec.gives != ShapeGives::displacement && options.take_off_best_fit)
      keys.complain(keys.place("remove_best_fit"), "a best fit is a place of the surface, and this map is of its wall",
                    "omit it");
    const bool inwards = keys.flag("inwards_positive", false);
    auto rows = table.has("deviation") ? list_of(table) : grid_of(table);
    if (inwards)
      for (auto& d : rows) d.value = -d.value;
    const bool angles = !table.has("across");
    return [=](const ShapeSite& site) {
      const auto frame = site.frame();
      if (angles != (frame.kind() == imperfection::PartFrame::Kind::revolved))
        throw base::InputError("",
                               angles ? "the map goes by angles, and these parts lie about no axis"
                                      : "the map goes across a plane, and these parts lie about an axis",
                               "name the parts it was measured on");
      auto own = rows;
      for (auto& d : own) d.value -= site.counted_from();
      return map_of(site, frame, std::move(own), options);
    };
  }

 private:
  static std::vector<imperfection::Deviation> list_of(const NumberTable& table) {
    std::vector<imperfection::Deviation> rows;
    const bool flat = table.has("across");
    for (const auto& row : table.rows) {
      const imperfection::Deviation d{table.cell(row, table.has("along") ? "along" : "height"),
                                      flat ? table.cell(row, "across") : table.cell(row, "angle") * kDegreeOfMeasured,
                                      table.cell(row, "deviation")};
      if (std::isfinite(d.s) && std::isfinite(d.t) && std::isfinite(d.value)) rows.push_back(d);
    }
    return rows;
  }
  /// The first column holds heights, the names of the others are angles in degrees.
  static std::vector<imperfection::Deviation> grid_of(const NumberTable& table) {
    std::vector<imperfection::Deviation> rows;
    for (const auto& row : table.rows)
      for (std::size_t c = 1; c < row.size(); ++c)
        if (std::isfinite(row[c])) rows.push_back({row[0], table.heading(c) * kDegreeOfMeasured, row[c]});
    return rows;
  }
};

class Scan final : public ImperfectionKind {
 public:
  const char* word() const override { return "scan"; }
  const char* key() const override { return "scan"; }
  bool has_size() const override { return true; }
  ShapeMaker read(Keys& keys, ImperfectionSpec&) const override {
    const auto points = keys.scan_file("scan");
    const auto options = options_of(keys);
    return [=](const ShapeSite& site) {
      const auto frame = site.frame();
      return map_of(site, frame, imperfection::deviations_of(frame, points), options);
    };
  }
};

/// The displacement of a linear analysis, or of an increment of a path.
class Moved final : public ImperfectionKind {
 public:
  const char* word() const override { return "moved"; }
  const char* key() const override { return "displacement_of"; }
  bool on_parts() const override { return false; }
  bool has_size() const override { return true; }
  ShapeMaker read(Keys& keys, ImperfectionSpec& spec) const override {
    spec.made_from = keys.text("displacement_of");
    const int increment = keys.whole("increment", -1);
    return [=](const ShapeSite& site) {
      const auto* source = site.find(site.spec.made_from);
      if (source == nullptr || !(source->linear || source->path))
        throw base::InputError("", fmt::format("'{}' has no displacement to take", site.spec.made_from),
                               "name an LA or a path that comes before");
      return source->linear ? of_full(site, source->linear->displacement) : of_path(site, *source, increment);
    };
  }

 private:
  static ShapeField of_full(const ShapeSite& site, const Eigen::VectorXd& full) {
    ShapeField field(site.model);
    field.parts = site.parts;
    if (full.size() != model::row(site.model.node_count()))
      throw base::InputError("", fmt::format("'{}' was done on another mesh", site.spec.made_from), "");
    for (const int n : imperfection::nodes_of(site.model, site.parts)) {
      field.displacement[static_cast<std::size_t>(n)] = full.segment<3>(model::row(n));
      field.rotation[static_cast<std::size_t>(n)] = full.segment<3>(model::row(n) + 3);
    }
    return field;
  }
  static ShapeField of_path(const ShapeSite& site, const AnalysisOutcome& source, int increment) {
    const auto& path = *source.path;
    const int which = increment < 0 ? path.peak : increment;
    if (which < 0 || which >= static_cast<int>(path.increments.size()))
      throw base::InputError("", fmt::format("'{}' has no increment {}", source.spec.name, which),
                             fmt::format("it has 0 to {}", path.increments.size() - 1));
    auto field = of_full(site, path.increments[static_cast<std::size_t>(which)].displacement(*source.geometry));
    field.notes.push_back(fmt::format("displacement at increment {}, load factor {:.6g}", which,
                                      path.increments[static_cast<std::size_t>(which)].load_factor));
    return field;
  }
};
}  // namespace

std::vector<const ImperfectionKind*> measured_imperfections() {
  static const Table table;
  static const Map map;
  static const Scan scan;
  static const Moved moved;
  return {&table, &map, &scan, &moved};
}

}  // namespace archway::study
