#include "archway/imperfection/mode_shape.hpp"

#include <cmath>

#include <fmt/format.h>

#include "archway/base/errors.hpp"
#include "archway/base/index.hpp"
#include "archway/elements/moved.hpp"
#include "archway/elements/outline.hpp"
#include "archway/imperfection/shapes.hpp"

namespace archway::imperfection {

namespace {
/// The sum of all terms, each of largest displacement 1 times its factor.
Imperfection mixed(const model::Model& model, const elements::Outline& outline, const std::vector<ShapeTerm>& terms) {
  Imperfection sum;
  sum.displacement.assign(model.nodes.size(), Vec3::Zero());
  sum.rotation = sum.displacement;
  for (const auto& term : terms) {
    const double size = outline.largest(*term.shape);
    sum.amplitudes.push_back(size > 0 ? std::abs(term.factor) : 0.0);
    if (size == 0.0) continue;
    for (std::size_t n = 0; n < model.nodes.size(); ++n) {
      sum.displacement[n] += term.factor / size * term.shape->segment<3>(model::row(n));
      sum.rotation[n] += term.factor / size * term.shape->segment<3>(model::row(n) + 3);
    }
  }
  return sum;
}

/// Scales everything and measures it.
Imperfection scaled(const model::Model& model, Imperfection i, double scale) {
  for (std::size_t n = 0; n < i.displacement.size(); ++n) i.displacement[n] *= scale, i.rotation[n] *= scale;
  for (double& a : i.amplitudes) a *= std::abs(scale);
  const Measured m = measure(model, i);
  i.largest = m.largest;
  i.root_mean_square = m.root_mean_square;
  return i;
}

double size_of(const Imperfection& i, const elements::Outline& outline) {
  const double size = outline.largest(full_of(i));
  if (size == 0.0)
    throw base::InputError("imperfection", "the shape it is made from does not move anything",
                           "choose another mode or other factors");
  return size;
}
}  // namespace

Eigen::VectorXd full_of(const Imperfection& i) {
  Eigen::VectorXd full = Eigen::VectorXd::Zero(model::row(static_cast<std::ptrdiff_t>(i.displacement.size())));
  for (std::size_t n = 0; n < i.displacement.size(); ++n)
    full.segment<3>(model::row(n)) = i.displacement[n], full.segment<3>(model::row(n) + 3) = i.rotation[n];
  return full;
}

Imperfection from_shapes(const model::Model& model, const std::vector<ShapeTerm>& terms, double amplitude) {
  const elements::Outline outline(model);
  auto sum = mixed(model, outline, terms);
  const double size = size_of(sum, outline);
  return scaled(model, std::move(sum), amplitude / size);
}

Imperfection from_amplitudes(const model::Model& model, const std::vector<ShapeTerm>& terms) {
  const elements::Outline outline(model);
  auto sum = mixed(model, outline, terms);
  (void)size_of(sum, outline);
  return scaled(model, std::move(sum), 1);
}

model::Model apply(const model::Model& model, const Imperfection& imperfection) {
  auto own = elements::moved(model, imperfection.displacement, imperfection.rotation);
  if (imperfection.thicker.empty()) return own;
  for (std::size_t e = 0; e < own.shell_elements.size(); ++e) {
    auto& element = own.shell_elements[e];
    element.thicker += imperfection.thicker[e];
    constexpr double kNothing = 1e-9;  // of the part's: what rounding leaves of a mean
    if (own.thickness(element) > kNothing * own.parts[base::at(element.part)].thickness) continue;
    const Vec3 x = model.middle(element);
    throw base::InputError(
        "",
        fmt::format("the wall of '{}' would be {:.4g} thick at ({:.4g}, {:.4g}, {:.4g})",
                    own.parts[base::at(element.part)].name, own.thickness(element), x.x(), x.y(), x.z()),
        "walls keep some thickness everywhere: look at the amplitude, its unit and its sign");
  }
  return own;
}

}  // namespace archway::imperfection
