#include <algorithm>
#include <cmath>

#include "archway/base/errors.hpp"
#include "archway/base/index.hpp"
#include "archway/elements/moved.hpp"
#include "archway/elements/outline.hpp"
#include "archway/imperfection/shapes.hpp"

namespace archway::imperfection {

namespace {
using base::at;

/// Thinnest of the panels that meet at every node; 0: none.
std::vector<double> thicknesses(const model::Model& model) {
  std::vector<double> list(model.nodes.size(), 0.0);
  for (const auto& element : model.shell_elements)
    for (const int n : element) {
      const double t = model.parts[at(element.part)].thickness;
      list[at(n)] = list[at(n)] > 0 ? std::min(list[at(n)], t) : t;
    }
  return list;
}
}  // namespace

Measured measure(const model::Model& model, const Imperfection& i, const std::vector<int>& parts) {
  Measured m;
  const elements::Outline outline(model);
  const Eigen::VectorXd full = full_of(i);
  const auto normal = elements::node_normals(model);
  const auto thickness = thicknesses(model);
  std::vector<int> all = parts;
  for (int p = 0; all.empty() && p < static_cast<int>(model.parts.size()); ++p) all.push_back(p);
  const auto share = tributary(model, all);
  m.along_normal.assign(model.nodes.size(), NAN);
  double squares = 0, sum = 0;
  constexpr double more = 1 + 1e-9;  // equal ones are not told apart by rounding
  for (std::size_t n = 0; n < model.nodes.size(); ++n) {
    const double size = outline.movement(full, static_cast<int>(n));
    if (size > m.largest * more) m.largest = size, m.largest_at = model.nodes[n], m.thickness = thickness[n];
    squares += share[n] * i.movement[n].squaredNorm();
    sum += share[n];
    if (normal[n].isZero(0.0)) continue;
    const double along = m.along_normal[n] = normal[n].dot(i.movement[n]);
    if (along > m.outward * more) m.outward = along, m.outward_at = model.nodes[n];
    if (-along > m.inward * more) m.inward = -along, m.inward_at = model.nodes[n];
  }
  m.root_mean_square = sum > 0 ? std::sqrt(squares / sum) : 0;
  return m;
}

Imperfection sized(const model::Model& model, const Field& field, double factor) {
  Imperfection i;
  i.movement = field.movement;
  i.turn = field.turn;
  for (std::size_t n = 0; n < i.movement.size(); ++n) i.movement[n] *= factor, i.turn[n] *= factor;
  const Measured m = measure(model, i, field.parts);
  i.largest = m.largest;
  i.root_mean_square = m.root_mean_square;
  i.amplitudes = {m.largest};
  return i;
}

Imperfection sum_of(const model::Model& model, const std::vector<std::pair<const Imperfection*, double>>& terms) {
  Imperfection sum;
  sum.movement.assign(model.nodes.size(), Vec3::Zero());
  sum.turn = sum.movement;
  for (const auto& [term, factor] : terms) {
    for (std::size_t n = 0; n < sum.movement.size(); ++n)
      sum.movement[n] += factor * term->movement[n], sum.turn[n] += factor * term->turn[n];
    sum.amplitudes.push_back(std::abs(factor) * term->largest);
  }
  const Measured m = measure(model, sum);
  if (m.largest == 0.0)
    throw base::InputError("imperfection", "the sum of its shapes does not move anything",
                           "give the shapes other amplitudes or signs");
  sum.largest = m.largest;
  sum.root_mean_square = m.root_mean_square;
  return sum;
}

}  // namespace archway::imperfection
