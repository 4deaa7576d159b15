#include "archway/imperfection/mode_shape.hpp"

#include <cmath>

#include "archway/base/errors.hpp"

namespace archway::imperfection {

namespace {
double largest_of(const std::vector<Vec3>& movement) {
  double largest = 0;
  for (const auto& m : movement) largest = std::max(largest, m.norm());
  return largest;
}
}  // namespace

Imperfection from_shapes(const model::Model& model, const std::vector<ShapeTerm>& terms, double amplitude) {
  Imperfection result;
  result.movement.assign(model.nodes.size(), Vec3::Zero());
  for (const auto& term : terms) {
    std::vector<Vec3> shape(model.nodes.size());
    for (std::size_t n = 0; n < shape.size(); ++n) shape[n] = term.shape->segment<3>(model::row(n));
    const double size = largest_of(shape);
    if (size == 0.0) continue;
    for (std::size_t n = 0; n < shape.size(); ++n) result.movement[n] += term.factor / size * shape[n];
  }
  const double size = largest_of(result.movement);
  if (size == 0.0)
    throw base::InputError("imperfection", "the shape it is made from does not move any node",
                           "choose another mode or other factors");
  double squares = 0;
  for (auto& m : result.movement) {
    m *= amplitude / size;
    squares += m.squaredNorm();
  }
  result.largest = std::abs(amplitude);
  result.root_mean_square = std::sqrt(squares / static_cast<double>(model.nodes.size()));
  return result;
}

model::Model apply(const model::Model& model, const Imperfection& imperfection) {
  model::Model moved = model;
  for (std::size_t n = 0; n < moved.nodes.size(); ++n) moved.nodes[n] += imperfection.movement[n];
  return moved;
}

}  // namespace archway::imperfection
