#include <cmath>

#include "archway/base/errors.hpp"
#include "archway/base/index.hpp"
#include "archway/elements/outline.hpp"
#include "archway/elements/shell.hpp"
#include "archway/imperfection/shapes.hpp"

namespace archway::imperfection {

namespace {
using base::at;

/// Mean normal of the panels that meet at every node (zero: none), and the thinnest of them.
struct Skin {
  std::vector<Vec3> normal;
  std::vector<double> thickness;
  explicit Skin(const model::Model& model)
      : normal(model.nodes.size(), Vec3::Zero()), thickness(model.nodes.size(), 0.0) {
    const auto directors = elements::corner_directors(model);
    for (std::size_t e = 0; e < model.shell_elements.size(); ++e) {
      const auto& element = model.shell_elements[e];
      const double t = model.parts[at(element.part)].thickness;
      for (std::size_t k = 0; k < static_cast<std::size_t>(element.count); ++k) {
        const auto n = at(element.nodes[k]);
        normal[n] += directors[e][k];
        thickness[n] = thickness[n] > 0 ? std::min(thickness[n], t) : t;
      }
    }
  }
};
}  // namespace

Measured measure(const model::Model& model, const Imperfection& i, const std::vector<int>& parts) {
  Measured m;
  const elements::Outline outline(model);
  const Eigen::VectorXd full = full_of(i);
  const Skin skin(model);
  std::vector<int> all = parts;
  for (int p = 0; all.empty() && p < static_cast<int>(model.parts.size()); ++p) all.push_back(p);
  const auto share = tributary(model, all);
  m.along_normal.assign(model.nodes.size(), NAN);
  double squares = 0, sum = 0;
  constexpr double more = 1 + 1e-9;  // equal ones are not told apart by rounding
  for (std::size_t n = 0; n < model.nodes.size(); ++n) {
    const double size = outline.movement(full, static_cast<int>(n));
    if (size > m.largest * more) m.largest = size, m.largest_at = model.nodes[n], m.thickness = skin.thickness[n];
    squares += share[n] * i.movement[n].squaredNorm();
    sum += share[n];
    if (skin.normal[n].isZero(0.0)) continue;
    const double along = m.along_normal[n] = skin.normal[n].normalized().dot(i.movement[n]);
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
