#include <tuple>

#include <fmt/format.h>

#include "study_file/study_reader_detail.hpp"

namespace archway::io::detail {

std::optional<Vec3> SpotReader::point_named(const toml::node& node) {
  const auto name = node.value_exact<std::string>();
  if (!name) return {};
  const auto point = spec_.points.find(*name);
  if (point != spec_.points.end()) return point->second;
  std::vector<std::string> known;
  for (const auto& [n, p] : spec_.points) known.push_back(n);
  reading_.complain(reading_.place(node), fmt::format("there is no point named '{}'", *name),
                    base::suggestion(*name, known, "known", "define it under [points]"));
  return Vec3::Zero();
}

Vec3 SpotReader::position(TableReader& t, const std::string& key) {
  if (const auto* found = t.node(key))
    if (const auto point = point_named(*found)) return *point;
  return t.vector(key);
}

study::Spot SpotReader::spot(TableReader& t, const std::string& key) {
  study::Spot s;
  s.place = t.place(key);
  const auto* found = t.node(key);
  if (found == nullptr)
    reading_.complain(t.place(), fmt::format("'{}' is missing", key),
                      fmt::format("add {} = \"name\" or {} = {{ x = 0 }}", key, key));
  else
    s.selection = selection_of(*found, key);
  return s;
}

model::Selection SpotReader::selection_of(const toml::node& node, const std::string& key) {
  model::Selection s;
  if (const auto name = node.value_exact<std::string>()) {
    s.group = *name;
  } else if (const auto* table = node.as_table()) {
    TableReader rules(reading_, *table, "this selection");
    s = selection(rules);
    rules.finish();
  } else {
    reading_.complain(reading_.place(node), fmt::format("'{}' must be a name or a table of rules", key),
                      "for instance \"skin.start\" or { on = \"skin\", z = 0 }");
  }
  return s;
}

model::Selection SpotReader::selection(TableReader& rules) {
  model::Selection s;
  s.group = rules.text("on", "");
  const char* axes[] = {"x", "y", "z"};
  for (int i = 0; i < 3; ++i)
    if (rules.has(axes[i])) s.plane[i] = rules.number(axes[i]);
  if (rules.has("near")) s.near = position(rules, "near");
  if (rules.has("radius")) s.radius = rules.number("radius");
  if (s.radius != 0 && (!s.near || s.radius < 0))
    reading_.complain(rules.place("radius"), "'radius' goes with 'near' and must be above zero", "");
  if (rules.has("box")) s.box = two_points(rules, "box");
  s.free_edges = rules.flag("free_edges", false);
  if (rules.has("normal")) s.normal = rules.vector("normal");
  if (s.normal && s.normal->isZero(0.0)) reading_.complain(rules.place("normal"), "the normal has no direction", "");
  s.within_degrees = rules.number("within_deg", 5.0);
  const auto table = [&](const char* key, const auto& read) {
    const auto* found = rules.node(key);
    if (found == nullptr) return;
    if (!found->is_table())
      return reading_.complain(rules.place(key), fmt::format("'{}' must be a table", key),
                               "{ point, normal } for a plane, { axis, radius } for a cylinder");
    TableReader r(reading_, *found->as_table(), fmt::format("this {}", key));
    read(r);
    r.finish();
  };
  table("plane", [&](TableReader& r) { s.inclined = {position(r, "point"), r.vector("normal")}; });
  table("cylinder", [&](TableReader& r) {
    const auto [from, to] = two_points(r, "axis");
    s.cylinder = model::Selection::Cylinder{from, to, 0, 0};
    const auto* radius = r.node("radius");
    if (radius != nullptr && radius->is_array()) {
      const auto both = numbers(r, "radius", 2);
      s.cylinder->least = both[0], s.cylinder->most = both[1];
    } else {
      s.cylinder->least = s.cylinder->most = r.number("radius");
    }
  });
  if ((s.inclined && s.inclined->normal.isZero(0.0)) || (s.cylinder && s.cylinder->axis_from == s.cylinder->axis_to))
    reading_.complain(rules.place(), "this plane or cylinder has no direction",
                      "give a normal, or two different points");
  for (const auto& [key, list] : {std::pair("any", &s.any), std::pair("without", &s.without)}) {
    const auto* found = rules.node(key);
    if (found == nullptr) continue;
    if (const auto* several = found->as_array())
      for (const auto& one : *several) list->push_back(selection_of(one, key));
    else
      list->push_back(selection_of(*found, key));
  }
  s.ends_only = !rules.flag("inner_nodes", false);
  return s;
}

std::pair<Vec3, Vec3> SpotReader::two_points(TableReader& t, const std::string& key) {
  const bool axis = key == "axis";
  const auto* found = t.node(key);
  const auto* list = found == nullptr ? nullptr : found->as_array();
  if (list == nullptr || list->size() != 2) {
    reading_.complain(
        t.place(key), fmt::format("'{}' must be {}", key, axis ? "two points of an axis" : "two opposite corners"),
        fmt::format("for instance {} = {}", key, axis ? "[[0, 0, 0], [0, 0, 1000]]" : "[[0, 0, 0], [100, 100, 0]]"));
    return {Vec3(Vec3::Zero()), axis ? Vec3(Vec3::UnitZ()) : Vec3(Vec3::Zero())};
  }
  const auto point = [&](std::size_t i) {
    const auto& node = *list->get(i);
    if (const auto named = point_named(node)) return *named;
    return reading_.vector(node, axis ? "a point of an axis" : "a corner").value_or(Vec3::Zero());
  };
  return {point(0), point(1)};
}

void SpotReader::positive(TableReader& t, const std::string& key, double value) {
  if (value <= 0) reading_.complain(t.place(key), fmt::format("'{}' is {}", key, value), "it must be above zero");
}

int SpotReader::dof_of(const std::string& name) {
  for (std::size_t i = 0; i < model::kDofNames.size(); ++i)
    if (name == model::kDofNames[i]) return static_cast<int>(i);
  return -1;
}

std::vector<double> SpotReader::numbers(TableReader& t, const std::string& key, std::size_t count) {
  std::vector<double> values(count, 0.0);
  const auto* found = t.node(key);
  const auto* list = found == nullptr ? nullptr : found->as_array();
  if (list == nullptr || list->size() != count) {
    reading_.complain(t.place(key), fmt::format("'{}' must be a list of {} numbers", key, count),
                      count == 2 ? "for instance [0, 40]" : "for instance [1000, 1000, 1000, 0, 0, 0]");
    return values;
  }
  for (std::size_t i = 0; i < count; ++i)
    values[i] = reading_.number(*list->get(i), fmt::format("'{}'", key)).value_or(0);
  return values;
}

study::AxesSpec SpotReader::axes(TableReader& t) {
  study::AxesSpec a;
  const auto* table = t.node("axes")->as_table();
  if (table == nullptr) {
    reading_.complain(t.place("axes"), "'axes' must be a table",
                      "{ along = [..], up = [..] }, or { axis = [[..], [..]] } for radial, around, axial");
    return a;
  }
  TableReader r(reading_, *table, "these axes");
  a.cylindrical = r.has("axis");
  if (a.cylindrical) std::tie(a.first, a.second) = two_points(r, "axis");
  if (!a.cylindrical) a.first = r.vector("along"), a.second = r.vector("up", Vec3(Vec3::UnitZ()));
  r.finish();
  const bool good = a.cylindrical ? (a.second - a.first).norm() > 0
                                  : a.first.cross(a.second).norm() > 1e-9 * a.first.norm() * a.second.norm();
  if (!good)
    reading_.complain(t.place("axes"), "these axes have no direction",
                      a.cylindrical ? "give two different points" : "'along' and 'up' must span a plane");
  if (!good) a = {};
  return a;
}

}  // namespace archway::io::detail
