#pragma once
#include <memory>

#include "archway/elements/kernels.hpp"

namespace archway::test {

/// One batch of every kind of element over the same model; most models leave some of them empty.
inline std::vector<std::unique_ptr<elements::Batch>> batches_of(
    const model::Model& m, elements::Kernels kernels = elements::Kernels::machine) {
  auto made = elements::make_batches(m, kernels);
  std::vector<std::unique_ptr<elements::Batch>> list;
  list.push_back(std::move(made.beams));
  list.push_back(std::move(made.bars));
  list.push_back(std::move(made.springs));
  list.push_back(std::move(made.shells4));
  list.push_back(std::move(made.shells3));
  list.push_back(std::move(made.shells9));
  list.push_back(std::move(made.solids8));
  list.push_back(std::move(made.solids20));
  return list;
}

}  // namespace archway::test
