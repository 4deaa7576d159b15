#include <algorithm>
#include <cmath>

#include "archway/elements/loads.hpp"
#include "build_model_detail.hpp"

namespace archway::study::detail {

namespace {
/// Plane that fits values at some places best: value in the middle, and how it grows.
template <class Value>
struct Fit {
  Vec3 about = Vec3::Zero();
  Eigen::Matrix<double, Eigen::Dynamic, 1> middle;
  Eigen::Matrix<double, Eigen::Dynamic, 3> gradient;
  Fit(const std::vector<Vec3>& places, const std::function<Value(const Vec3&)>& field) {
    for (const Vec3& x : places) about += x / static_cast<double>(places.size());
    const auto count = static_cast<Eigen::Index>(places.size());
    Eigen::MatrixXd arms(count, 3), values;
    for (Eigen::Index i = 0; i < count; ++i) {
      const Vec3& x = places[static_cast<std::size_t>(i)];
      arms.row(i) = (x - about).transpose();
      const Eigen::Matrix<double, Eigen::Dynamic, 1> v = Eigen::VectorXd::Map(at(field(x)).data(), kSize);
      if (i == 0) values = Eigen::MatrixXd::Zero(count, kSize);
      values.row(i) = v.transpose();
    }
    middle = values.colwise().mean().transpose();
    Eigen::CompleteOrthogonalDecomposition<Eigen::MatrixXd> plane;
    plane.setThreshold(1e-6);  // a flat face tells nothing about growth off its plane
    gradient = plane.compute(arms).solve(values).transpose();
  }

 private:
  static constexpr Eigen::Index kSize = std::is_same_v<Value, double> ? 1 : 3;
  static Eigen::Matrix<double, kSize, 1> at(const Value& v) {
    if constexpr (std::is_same_v<Value, double>)
      return Eigen::Matrix<double, 1, 1>(v);
    else
      return v;
  }
};
}  // namespace

void LoadBuilder::loads() {
  for (const auto& spec : spec_.actions) {
    model::Action action;
    action.name = spec.name;
    if (spec.loads.empty())
      complain(spec.place, fmt::format("action '{}' has no loads", spec.name), "add one, or remove the action");
    for (const auto& l : spec.loads) at(l.place, [&] { add(action, l); });
    model_.actions.push_back(std::move(action));
  }
}

void LoadBuilder::add(model::Action& action, const LoadSpec& l) {
  switch (l.kind) {
    case LoadKind::force:
      return add_forces(action, l);
    case LoadKind::acceleration:
      action.accelerations.push_back(l.value);
      return check_mass(l);
    case LoadKind::edge:
      return add_edges(action, l);
    case LoadKind::movement:
      for (const int node : nodes_at(l.at, "this movement")) action.movements.push_back({node, l.freedom, l.amount});
      return;
    case LoadKind::line:
      return add_lines(action, l);
    case LoadKind::member_pressure:
      for (const int e : line_elements(l))
        action.member_pressures.push_back({e, l.amount, l.plane_normal.normalized(), l.follows});
      return;
    case LoadKind::surface:
      return add_surfaces(action, l);
    case LoadKind::pressure:
      return add_pressures(action, l);
    case LoadKind::temperature:
      return add_temperatures(action, l);
  }
}

/// Faces on a side of a solid, "part.top" and the like.
LoadBuilder::Faces LoadBuilder::solid_faces(const LoadSpec& l) {
  Faces list;
  const auto group = model_.groups.find(l.part);
  if (l.part.find('.') == std::string::npos || group == model_.groups.end()) return list;
  const std::set<int> chosen(group->second.begin(), group->second.end());
  for (std::size_t e = 0; e < model_.solid_elements.size(); ++e)
    for (int f = 0; f < 6; ++f) {
      const auto& face = model::kSolidFaces[static_cast<std::size_t>(f)];
      const bool all = std::all_of(face.begin(), face.begin() + 4, [&](int k) {
        return chosen.count(model_.solid_elements[e].nodes[static_cast<std::size_t>(k)]) > 0;
      });
      if (all) list.emplace_back(static_cast<int>(e), f);
    }
  return list;
}

/// Parts of a name, or the walls of a profile made of plates, which is one name over many parts; all for no name.
std::set<int> LoadBuilder::parts_named(const std::string& wanted) {
  const std::string walls = wanted + ".";
  std::set<int> parts;
  for (std::size_t p = 0; p < model_.parts.size(); ++p) {
    const std::string& name = model_.parts[p].name;
    if (wanted.empty() || name == wanted ||
        (model_.groups.count(wanted) > 0 && part_index(wanted) < 0 && name.rfind(walls, 0) == 0))
      parts.insert(static_cast<int>(p));
  }
  return parts;
}

LoadBuilder::Faces LoadBuilder::faces(const LoadSpec& l) {
  Faces list = solid_faces(l);
  if (list.empty()) {
    const auto parts = parts_named(l.part);
    for (std::size_t e = 0; e < model_.shell_elements.size(); ++e)
      if (parts.count(model_.shell_elements[e].part) > 0) list.emplace_back(static_cast<int>(e), -1);
  }
  if (list.empty()) return complain_of_nothing(l), list;
  if (!l.where) return list;
  Faces chosen;
  for (const auto& [e, face] : list) {
    const auto nodes = corners(e, face);
    if (inside(l, mean(nodes.data(), nodes.data() + nodes.size()))) chosen.emplace_back(e, face);
  }
  if (chosen.empty())
    complain(l.place, fmt::format("the load acts on nothing: no element of '{}' has its middle in the box", l.part),
             "check 'where'");
  return chosen;
}

void LoadBuilder::complain_of_nothing(const LoadSpec& l) {
  complain(l.place, fmt::format("the load acts on nothing: part '{}' has no elements of that kind", l.part),
           "'line' and 'member-pressure' act on members, 'surface' and 'pressure' on panels");
}

Vec3 LoadBuilder::mean(const int* first, const int* last) const {
  Vec3 sum = Vec3::Zero();
  for (const int* n = first; n != last; ++n) sum += model_.nodes[static_cast<std::size_t>(*n)];
  return sum / static_cast<double>(last - first);
}

std::vector<int> LoadBuilder::corners(int element, int face) const {
  const auto e = static_cast<std::size_t>(element);
  if (face < 0) {
    const auto& shell = model_.shell_elements[e];
    return {shell.begin(), shell.begin() + shell.corners()};
  }
  std::vector<int> nodes;
  for (std::size_t k = 0; k < 4; ++k)
    nodes.push_back(model_.solid_elements[e]
                        .nodes[static_cast<std::size_t>(model::kSolidFaces[static_cast<std::size_t>(face)][k])]);
  return nodes;
}

bool LoadBuilder::inside(const LoadSpec& l, const Vec3& middle) const {
  const Vec3 low = l.where->box->first.cwiseMin(l.where->box->second),
             high = l.where->box->first.cwiseMax(l.where->box->second);
  return (middle - low).minCoeff() >= 0 && (high - middle).minCoeff() >= 0;
}

/// Line elements of a member whose middle lies where the load says.
std::vector<int> LoadBuilder::line_elements(const LoadSpec& l) {
  const auto elements = model::line_elements_of(model_, l.part);
  if (elements.empty()) return complain_of_nothing(l), elements;
  if (!l.where) return elements;
  std::vector<int> chosen;
  for (const int e : elements) {
    const auto& nodes = model_.line_elements[static_cast<std::size_t>(e)].nodes;
    if (inside(l, mean(nodes.data(), nodes.data() + 4))) chosen.push_back(e);
  }
  if (chosen.empty())
    complain(l.place, fmt::format("the load acts on nothing: no element of '{}' has its middle in the box", l.part),
             "check 'where'");
  return chosen;
}

void LoadBuilder::add_lines(model::Action& action, const LoadSpec& l) {
  for (const auto& m : spec_.members)
    if (m.name == l.part && m.plates > 0) return add_lines_on_plates(action, l, m);
  for (const int e : line_elements(l)) {
    model::MemberLoad load{e, l.value, l.projected, l.height_y, l.height_z};
    if (l.value_at) {
      const auto& nodes = model_.line_elements[static_cast<std::size_t>(e)].nodes;
      const Vec3 first = l.value_at(model_.nodes[static_cast<std::size_t>(nodes[0])]),
                 last = l.value_at(model_.nodes[static_cast<std::size_t>(nodes[3])]);
      load.force_per_length = 0.5 * (first + last);
      load.change = last - first;
    }
    action.member_loads.push_back(load);
  }
}

/// The load of a length of member, put on the node of its cross-section that is closest to where it acts; what is left
/// between the two is an arm that turns with the node.
void LoadBuilder::add_lines_on_plates(model::Action& action, const LoadSpec& l, const MemberSpec& m) {
  const auto& all = model_.groups.at(m.name);
  const double step = m.line.length() / m.elements;
  for (int k = 0; k <= m.elements; ++k) {
    const double s = static_cast<double>(k) / m.elements;
    const Vec3 middle = m.line.at(s);
    if (l.where && !inside(l, middle)) continue;
    const base::Mat3 axes = model::axes_at(m.line, s, m.up);
    const Vec3 place = middle + axes * Vec3(0, l.height_y, l.height_z);
    const Vec3 q = l.value_at ? l.value_at(middle) : l.value;
    std::vector<int> nearest;  // several where some are equally near
    double best = HUGE_VAL;
    const double same = 1e-6 * model_.size();
    for (const int n : all) {
      const Vec3 d = model_.nodes[static_cast<std::size_t>(n)] - place;
      const double distance = d.norm() + 1e3 * std::abs(d.dot(axes.col(0)));  // of this cross-section, not the next
      if (distance < best - same) nearest.clear();
      if (distance < best + same) nearest.push_back(n), best = std::min(best, distance);
    }
    const double seen = l.projected && q.norm() > 0 ? axes.col(0).cross(q.normalized()).norm() : 1;
    const double length = step * seen * (k == 0 || k == m.elements ? 0.5 : 1);
    for (const int n : nearest)
      action.node_forces.push_back({n, length / static_cast<double>(nearest.size()) * q, Vec3::Zero(),
                                    place - model_.nodes[static_cast<std::size_t>(n)]});
  }
  action.notes.push_back(
      fmt::format("line load on the plates of '{}': put on the nodes nearest to y = {:.6g}, z = {:.6g} "
                  "{} at {} cross-sections",
                  m.name, l.height_y, l.height_z, spec_.units.length, m.elements + 1));
}

/// Force that the loads add up to.
Vec3 LoadBuilder::total_of(const model::Action& action) const {
  Eigen::VectorXd nodal = Eigen::VectorXd::Zero(model::row(model_.node_count()));
  elements::add_loads(model_, action, 1, elements::State::reference(model_), nodal);
  return elements::resultant(model_.nodes, nodal, Vec3::Zero()).force;
}

void LoadBuilder::add_surfaces(model::Action& action, const LoadSpec& l) {
  const auto list = faces(l);
  const std::size_t first = action.surface_loads.size();
  for (const auto& [e, face] : list) {
    model::SurfaceLoad load{e, l.value, l.projected, face};
    if (l.value_at) {
      std::vector<Vec3> places;
      for (const int n : corners(e, face)) places.push_back(model_.nodes[static_cast<std::size_t>(n)]);
      const Fit<Vec3> fit(places, l.value_at);
      load.force_per_area = fit.middle;
      load.gradient = fit.gradient;
      load.about = fit.about;
    }
    action.surface_loads.push_back(load);
  }
  if (l.sharing != Sharing::total) return;
  // the area is what a force of one per area along the force adds up to
  model::Action unit;
  for (const auto& [e, face] : list) unit.surface_loads.push_back({e, l.value.normalized(), l.projected, face});
  const double area = total_of(unit).norm();
  if (!(area > 0)) return;
  for (std::size_t k = first; k < action.surface_loads.size(); ++k) action.surface_loads[k].force_per_area /= area;
  action.notes.push_back(fmt::format("force of {:.6g} {} in total shared over {:.6g} {}^2 of '{}'", l.value.norm(),
                                     spec_.units.force, area, spec_.units.length, l.part));
}

void LoadBuilder::add_pressures(model::Action& action, const LoadSpec& l) {
  for (const auto& [e, face] : faces(l)) {
    model::SurfacePressure load{e, l.amount, l.follows, face};
    if (l.amount_at) {
      std::vector<Vec3> places;
      for (const int n : corners(e, face)) places.push_back(model_.nodes[static_cast<std::size_t>(n)]);
      const Fit<double> fit(places, l.amount_at);
      load.pressure = fit.middle[0];
      load.gradient = fit.gradient.row(0).transpose();
      load.about = fit.about;
    }
    action.surface_pressures.push_back(load);
  }
}

void LoadBuilder::add_forces(model::Action& action, const LoadSpec& l) {
  const auto nodes = nodes_at(l.at, "this force");
  if (nodes.size() > 1 && l.sharing == Sharing::unset) {
    complain(l.place,
             fmt::format("the force acts on {} nodes, but does not say whether it is their total or acts on each",
                         nodes.size()),
             fmt::format("add share = \"total\" ({:.6g} on each node) or share = \"each\" ({:.6g} in total)",
                         l.value.norm() / static_cast<double>(nodes.size()),
                         l.value.norm() * static_cast<double>(nodes.size())));
    return;
  }
  const double share = l.sharing == Sharing::total ? 1.0 / static_cast<double>(nodes.size()) : 1.0;
  for (const int node : nodes) action.node_forces.push_back({node, share * l.value, share * l.moment, l.arm});
  if (nodes.size() > 1)
    action.notes.push_back(fmt::format("force on {} nodes ({}): {:.6g} {} each, {:.6g} {} in total", nodes.size(),
                                       l.at.selection.text(), share * l.value.norm(), spec_.units.force,
                                       share * l.value.norm() * static_cast<double>(nodes.size()), spec_.units.force));
}

void LoadBuilder::add_edges(model::Action& action, const LoadSpec& l) {
  const auto nodes = nodes_at(l.at, "this edge load");
  if (nodes.empty()) return;
  const auto edges = model::edges_among(model_, nodes);
  if (edges.empty()) {
    complain(l.place, "the edge load acts on nothing: the selected nodes are not neighbours along a panel",
             "choose an edge, for instance \"skin.start\"");
    return;
  }
  const auto x = [&](int n) { return model_.nodes[static_cast<std::size_t>(n)]; };
  const auto middles = model::edge_middles(model_);
  // the length that counts is the one the loads are integrated over: curved edges are longer than their chords
  model::Action even;
  for (const auto& [a, b] : edges) {
    const auto middle = middles.find(std::minmax(a, b));
    even.edge_loads.push_back({a, b, Vec3::UnitX(), middle == middles.end() ? -1 : middle->second});
  }
  const double length = total_of(even).x();
  const double share = l.sharing == Sharing::total ? 1 / length : 1;
  const std::size_t before = action.edge_loads.size();
  for (const auto& [a, b] : edges) {
    const auto middle = middles.find(std::minmax(a, b));
    model::EdgeLoad load{a, b, share * l.value, middle == middles.end() ? -1 : middle->second};
    if (l.value_at) {
      const Vec3 first = l.value_at(x(a)), last = l.value_at(x(b));
      load.force_per_length = 0.5 * share * (first + last);
      load.change = share * (last - first);
    }
    action.edge_loads.push_back(load);
  }
  model::Action own;
  own.edge_loads.assign(action.edge_loads.begin() + static_cast<std::ptrdiff_t>(before), action.edge_loads.end());
  const Vec3 total = total_of(own);
  action.notes.push_back(
      fmt::format("edge load on {}: over {:.6g} {}, {:.6g} {}/{} on average, ({:.6g}, {:.6g}, {:.6g}) "
                  "{} in total",
                  l.at.selection.text(), length, spec_.units.length, total.norm() / length, spec_.units.force,
                  spec_.units.length, total.x(), total.y(), total.z(), spec_.units.force));
}

void LoadBuilder::add_temperatures(model::Action& action, const LoadSpec& l) {
  const auto parts = parts_named(l.part);
  if (parts.empty())
    complain(l.place, fmt::format("no part is called '{}'", l.part), "leave 'on' out to warm everything");
  for (const int p : parts) {
    const auto& part = model_.parts[static_cast<std::size_t>(p)];
    const auto& material = model_.materials[static_cast<std::size_t>(part.material)];
    if (material.expansion == 0.0)
      return complain(l.place,
                      fmt::format("'{}' is of '{}', which has no coefficient of expansion", part.name, material.name),
                      "give the material an 'expansion', for instance 1.2e-5 for steel");
    if (part.tension_only)
      return complain(l.place, fmt::format("bars that go slack, like '{}', cannot be warmed", part.name),
                      "name the other parts one by one with 'on'");
    action.temperatures.push_back({p, l.amount});
  }
  action.notes.push_back(fmt::format("{} warmed by {:.6g} degrees; temperatures have no resultant",
                                     l.part.empty() ? "everything" : "'" + l.part + "'", l.amount));
}

void LoadBuilder::check_mass(const LoadSpec& l) {
  for (const auto& m : model_.materials)
    if (m.density > 0) return;
  complain(l.place, "the acceleration acts on nothing: no material has a density", "give the materials a density");
}

}  // namespace archway::study::detail
