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

}  // namespace archway::elements::detail
