#include "archway/elements/kernels.hpp"

namespace archway::elements {

namespace {
Batches batches_of(const model::Model& model) {
  return {std::make_unique<BeamBatch>(model),
          std::make_unique<BarBatch>(model),
          std::make_unique<SpringBatch>(model),
          std::make_unique<SolidBatch>(model, 8),
          std::make_unique<SolidBatch>(model, 20),
          std::make_unique<ShellBatch>(model),
          three_node_shells(model),
          nine_node_shells(model)};
}
}  // namespace

#ifdef ARCHWAY_KERNELS_HERE

// This copy is compiled for a newer machine; the only thing of it that others see (cmake/ArchwayKernels.cmake).
extern "C" void ARCHWAY_KERNELS_HERE(const model::Model* model, Batches* batches) {
  *batches = batches_of(*model);
}

#else

#ifdef ARCHWAY_KERNELS_V3
extern "C" void archway_kernels_v3(const model::Model* model, Batches* batches);

namespace {
bool has_v3() {
  return __builtin_cpu_supports("avx2") && __builtin_cpu_supports("fma") && __builtin_cpu_supports("bmi2");
}
}  // namespace

Batches make_batches(const model::Model& model, Kernels kernels) {
  if (kernels == Kernels::baseline || !has_v3()) return batches_of(model);
  Batches batches;
  archway_kernels_v3(&model, &batches);
  return batches;
}

const char* machine_kernels() {
  return has_v3() ? "x86-64-v3" : "baseline";
}
#else
Batches make_batches(const model::Model& model, Kernels) {
  return batches_of(model);
}

const char* machine_kernels() {
  return "baseline";
}
#endif
#endif

}  // namespace archway::elements
