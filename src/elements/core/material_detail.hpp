#pragma once
#include "archway/material/logarithmic.hpp"
#include "archway/model/model.hpp"

namespace archway::elements::detail {

inline material::Elastic elastic_of(const model::Material& m) {
  return {m.youngs_modulus, m.poisson_ratio};
}

/// Law of the points of a material that flows: engineering strains along fibres; walls and solids measure Green strains
/// and follow the curve of true stress.
template <int N>
std::unique_ptr<material::Law<N>> flow_law_of(const model::Material& m) {
  if constexpr (N == 1)
    return material::flow_law<1>(elastic_of(m), m.flow);
  else
    return material::logarithmic<N>(material::flow_law<N>(elastic_of(m), m.true_flow.flows() ? m.true_flow : m.flow));
}

/// What is added to the stiffness across a wall that is to have no shear: so much above its bending stiffness over an
/// element that a wave of eight elements is 1e-6 softer than without any. \param area  of the element
inline double thin_wall_shear(double bending_stiffness, double area) {
  return 1e5 * bending_stiffness / area;
}

}  // namespace archway::elements::detail
