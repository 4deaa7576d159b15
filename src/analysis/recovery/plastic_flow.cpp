#include "archway/analysis/plastic_flow.hpp"

#include "archway/analysis/system.hpp"
#include "archway/base/index.hpp"

namespace archway::analysis {

namespace {
using base::at;

Vec3 middle_of(const model::Model& model, const elements::Batch& batch, int element) {
  Vec3 sum = Vec3::Zero();
  const int count = batch.nodes_per_element();
  for (int k = 0; k < count; ++k) sum += model.nodes[at(batch.nodes(element)[k])];
  return sum / count;
}

/// Whether a layer (bottom to top, the faces among them) is taken.
bool taken(WallPlace place, std::size_t layer, std::size_t layers) {
  switch (place) {
    case WallPlace::top:
      return layer + 1 == layers;
    case WallPlace::bottom:
      return layer == 0;
    case WallPlace::middle:  // of an even number the two about it
      return layer == layers / 2 || layer == (layers - 1) / 2;
    default:
      return true;
  }
}

/// Calls use(batch, element, largest plastic strain, points, those of them that have flowed) on what can flow.
template <class Use>
void each_flow(const Geometry& geometry, const elements::Memory& memory, WallPlace place, const Use& use) {
  const auto& sets = geometry.sets();
  for (std::size_t s = 0; s < sets.size() && s < memory.size(); ++s) {
    const auto& batch = *sets[s].batch;
    for (int e = 0; e < batch.size() && batch.memory_size() > 0; ++e) {
      const auto records = batch.flow_records(e);
      double most = 0;
      std::size_t flowed = 0;
      for (std::size_t k = 0; k < records.count(); ++k) {
        const bool wall = sets[s].kind == ElementKind::shell;
        if (wall && !taken(place, k % records.layers, records.layers)) continue;
        const double strain = records.plastic_strain(memory[s].data(), k);
        most = std::max(most, strain);
        flowed += strain > 0;
      }
      if (records.count() > 0) use(batch, e, most, records.count(), flowed);
    }
  }
}
}  // namespace

std::vector<PartFlow> flow_by_part(const System& system, const elements::Memory& memory) {
  std::vector<PartFlow> parts(system.model().parts.size());
  std::vector<std::size_t> points(parts.size()), yielded(parts.size());
  each_flow(system.geometry(), memory, WallPlace::anywhere,
            [&](const elements::Batch& batch, int e, double most, std::size_t count, std::size_t flowed) {
              const std::size_t p = at(batch.part(e));
              points[p] += count, yielded[p] += flowed;
              if (most > parts[p].plastic_strain)
                parts[p].plastic_strain = most, parts[p].place = middle_of(system.model(), batch, e);
            });
  for (std::size_t p = 0; p < parts.size(); ++p)
    if (points[p] > 0) parts[p].share = static_cast<double>(yielded[p]) / static_cast<double>(points[p]);
  return parts;
}

std::vector<double> plastic_strain_at_nodes(const Geometry& geometry, const model::Model& model,
                                            const elements::Memory& memory, WallPlace place) {
  std::vector<double> nodes(model.nodes.size());
  each_flow(geometry, memory, place, [&](const elements::Batch& batch, int e, double most, std::size_t, std::size_t) {
    for (int k = 0; k < batch.nodes_per_element(); ++k) {
      double& value = nodes[at(batch.nodes(e)[k])];
      value = std::max(value, most);
    }
  });
  return nodes;
}

}  // namespace archway::analysis
