#pragma once
#include "archway/material/law.hpp"
#include "archway/model/model.hpp"

namespace archway::elements::detail {

inline material::Elastic elastic_of(const model::Material& m) {
  return {m.youngs_modulus, m.poisson_ratio};
}

/// Law of the points of a material that flows.
template <int N>
std::unique_ptr<material::Law<N>> flow_law_of(const model::Material& m) {
  return material::flow_law<N>(elastic_of(m), m.flow);
}

}  // namespace archway::elements::detail
