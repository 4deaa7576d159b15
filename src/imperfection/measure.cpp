#include <algorithm>
#include <cmath>
#include <numeric>

#include <fmt/format.h>

#include "archway/base/errors.hpp"
#include "archway/base/index.hpp"
#include "archway/base/shape_functions.hpp"
#include "archway/elements/moved.hpp"
#include "archway/elements/outline.hpp"
#include "archway/imperfection/shapes.hpp"
#include "archway/model/panel_area.hpp"

namespace archway::imperfection {

namespace {
using base::at;

/// Thinnest of the panels that meet at every node; 0: none.
std::vector<double> thicknesses(const model::Model& model) {
  std::vector<double> list(model.nodes.size(), 0.0);
  for (const auto& element : model.shell_elements)
    for (const int n : element) {
      const double t = model.thickness(element);
      list[at(n)] = list[at(n)] > 0 ? std::min(list[at(n)], t) : t;
    }
  return list;
}

/// What a change of walls comes to: thinnest and thickest, and its size where nothing moves.
void measure_walls(const model::Model& model, const std::vector<double>& thicker, const std::vector<int>& parts,
                   Measured& m) {
  constexpr double more = 1 + 1e-9;  // equal ones are not reported apart by rounding
  m.walls = true;
  m.walls_only = m.largest == 0.0;
  m.thinnest = HUGE_VAL;
  double squares = 0, sum = 0;
  for (std::size_t e = 0; e < model.shell_elements.size(); ++e) {
    const auto& element = model.shell_elements[e];
    if (std::find(parts.begin(), parts.end(), element.part) == parts.end()) continue;
    const double was = model.thickness(element), is = was + thicker[e], area = model::area(model, element);
    const Vec3 middle = model.middle(element);
    if (is * more < m.thinnest) m.thinnest = is, m.thinnest_at = middle;
    if (is > m.thickest * more) m.thickest = is, m.thickest_at = middle;
    squares += area * thicker[e] * thicker[e];
    sum += area;
    if (m.walls_only && std::abs(thicker[e]) > m.largest * more)
      m.largest = std::abs(thicker[e]), m.largest_at = middle, m.thickness = was;
  }
  if (m.walls_only) m.root_mean_square = sum > 0 ? std::sqrt(squares / sum) : 0;
}
}  // namespace

Measured measure(const model::Model& model, const Imperfection& i, const std::vector<int>& parts) {
  Measured m;
  const elements::Outline outline(model);
  const Eigen::VectorXd full = full_of(i);
  const auto normal = elements::node_normals(model);
  const auto thickness = thicknesses(model);
  std::vector<int> all = parts;
  if (all.empty()) all.resize(model.parts.size()), std::iota(all.begin(), all.end(), 0);
  const auto share = tributary(model, all);
  m.along_normal.assign(model.nodes.size(), NAN);
  double squares = 0, sum = 0;
  constexpr double more = 1 + 1e-9;  // equal ones are not reported apart by rounding
  for (std::size_t n = 0; n < model.nodes.size(); ++n) {
    const double size = outline.displacement(full, static_cast<int>(n));
    if (size > m.largest * more) m.largest = size, m.largest_at = model.nodes[n], m.thickness = thickness[n];
    squares += share[n] * i.displacement[n].squaredNorm();
    sum += share[n];
    if (normal[n].isZero(0.0)) continue;
    const double along = m.along_normal[n] = normal[n].dot(i.displacement[n]);
    if (along > m.outward * more) m.outward = along, m.outward_at = model.nodes[n];
    if (-along > m.inward * more) m.inward = -along, m.inward_at = model.nodes[n];
  }
  m.root_mean_square = sum > 0 ? std::sqrt(squares / sum) : 0;
  if (!i.thicker.empty()) measure_walls(model, i.thicker, all, m);
  return m;
}

ShapeField on_walls(const model::Model& model, const ShapeField& field) {
  if (field.height.empty())
    throw base::InputError("", "this shape is no height over a surface, so it cannot change the thickness of a wall",
                           "give a formula, waves, a map, a table with a column 'height' or a random field");
  ShapeField walls(model);
  walls.parts = field.parts;
  walls.notes = field.notes, walls.warnings = field.warnings;
  walls.rms = field.rms;
  for (const int p : field.parts) {
    const auto& part = model.parts[at(p)];
    if (part.kind != model::PartKind::panel)
      throw base::InputError("", fmt::format("'{}' is no panel, and has no thickness that could change", part.name),
                             "name panels");
    if (part.laminate >= 0)
      throw base::InputError(
          "", fmt::format("the wall of '{}' is a laminate, whose plies have their thicknesses", part.name),
          "change its plies, or use panels of one material");
  }
  walls.thicker.assign(model.shell_elements.size(), 0.0);
  for (std::size_t e = 0; e < model.shell_elements.size(); ++e) {
    const auto& element = model.shell_elements[e];
    if (std::find(field.parts.begin(), field.parts.end(), element.part) == field.parts.end()) continue;
    double sum = 0, weights = 0;
    for (const auto& p : base::surface_rule(element.count)) {
      const auto f = base::surface_shape(element.count, p.r, p.s);
      weights += p.weight;
      for (std::size_t k = 0; k < static_cast<std::size_t>(element.count); ++k)
        sum += p.weight * f.n[k] * field.height[at(element.nodes[k])];
    }
    walls.thicker[e] = sum / weights;
  }
  return walls;
}

double largest_of(const model::Model& model, const ShapeField& field) {
  const double moved = elements::Outline(model).largest(field.full());
  double changed = 0;
  for (const double t : field.thicker) changed = std::max(changed, std::abs(t));
  return moved > 0 ? moved : changed;
}

Imperfection sized(const model::Model& model, const ShapeField& field, double factor) {
  Imperfection i;
  i.displacement = field.displacement;
  i.rotation = field.rotation;
  for (std::size_t n = 0; n < i.displacement.size(); ++n) i.displacement[n] *= factor, i.rotation[n] *= factor;
  i.thicker = field.thicker;
  for (double& t : i.thicker) t *= factor;
  const Measured m = measure(model, i, field.parts);
  i.largest = m.largest;
  i.root_mean_square = m.root_mean_square;
  i.amplitudes = {m.largest};
  return i;
}

Imperfection sum_of(const model::Model& model, const std::vector<std::pair<const Imperfection*, double>>& terms) {
  Imperfection sum;
  sum.displacement.assign(model.nodes.size(), Vec3::Zero());
  sum.rotation = sum.displacement;
  for (const auto& [term, factor] : terms) {
    for (std::size_t n = 0; n < sum.displacement.size(); ++n)
      sum.displacement[n] += factor * term->displacement[n], sum.rotation[n] += factor * term->rotation[n];
    sum.thicker.resize(term->thicker.empty() ? sum.thicker.size() : term->thicker.size(), 0.0);
    for (std::size_t e = 0; e < term->thicker.size(); ++e) sum.thicker[e] += factor * term->thicker[e];
    sum.amplitudes.push_back(std::abs(factor) * term->largest);
  }
  const Measured m = measure(model, sum);
  if (m.largest == 0.0)
    throw base::InputError("imperfection", "the sum of its shapes does not change anything",
                           "give the shapes other amplitudes or signs");
  sum.largest = m.largest;
  sum.root_mean_square = m.root_mean_square;
  return sum;
}

}  // namespace archway::imperfection
