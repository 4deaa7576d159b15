#pragma once
#include <memory>

#include "archway/elements/bar.hpp"
#include "archway/elements/beam.hpp"
#include "archway/elements/shell_measured.hpp"
#include "archway/elements/solid.hpp"
#include "archway/elements/spring.hpp"

namespace archway::test {

/// One batch of every kind of element over the same model; most models leave some of them empty.
inline std::vector<std::unique_ptr<elements::Batch>> batches_of(const model::Model& m) {
  std::vector<std::unique_ptr<elements::Batch>> list;
  list.push_back(std::make_unique<elements::BeamBatch>(m));
  list.push_back(std::make_unique<elements::BarBatch>(m));
  list.push_back(std::make_unique<elements::SpringBatch>(m));
  list.push_back(std::make_unique<elements::ShellBatch>(m));
  list.push_back(elements::three_node_shells(m));
  list.push_back(elements::nine_node_shells(m));
  list.push_back(std::make_unique<elements::SolidBatch>(m, 8));
  list.push_back(std::make_unique<elements::SolidBatch>(m, 20));
  return list;
}

}  // namespace archway::test
