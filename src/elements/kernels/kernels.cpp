#include "archway/elements/kernels.hpp"

#include "archway/base/errors.hpp"

namespace archway::elements {

#ifndef ARCHWAY_KERNELS_V3_ONLY
namespace {
/// Shells and solids, which take the time.
void add_walls(const model::Model& model, Batches& batches) {
  batches.solids8 = std::make_unique<SolidBatch>(model, 8);
  batches.solids20 = std::make_unique<SolidBatch>(model, 20);
  batches.shells4 = std::make_unique<ShellBatch>(model);
  batches.shells3 = three_node_shells(model);
  batches.shells9 = nine_node_shells(model);
}
}  // namespace
#endif

#ifdef ARCHWAY_KERNELS_HERE

// This copy is compiled for a newer machine; the only thing of it that others see (cmake/ArchwayKernels.cmake).
extern "C" void ARCHWAY_KERNELS_HERE(const model::Model* model, Batches* batches) {
  add_walls(*model, *batches);
}

#else

namespace {
/// Lines always by the baseline: they cost little, and multiplying and adding in one rounding leaves more of what
/// should cancel in members a million times stiffer than their neighbours.
Batches lines_of(const model::Model& model) {
  Batches batches;
  batches.beams = std::make_unique<BeamBatch>(model);
  batches.bars = std::make_unique<BarBatch>(model);
  batches.springs = std::make_unique<SpringBatch>(model);
  return batches;
}
}  // namespace

#ifdef ARCHWAY_KERNELS_V3
extern "C" void archway_kernels_v3(const model::Model* model, Batches* batches);

namespace {
bool has_v3() {
  return __builtin_cpu_supports("avx2") && __builtin_cpu_supports("fma") && __builtin_cpu_supports("bmi2");
}
}  // namespace

#ifdef ARCHWAY_KERNELS_V3_ONLY
bool has_kernels(Kernels kernels) {
  return kernels == Kernels::machine && has_v3();
}

Batches make_batches(const model::Model& model, Kernels kernels) {
  if (!has_kernels(kernels))
    throw base::InputError("", "this program was built for processors with AVX2, FMA and BMI2; this one lacks them",
                           "build it here, or with -DARCHWAY_KERNELS=portable");
  Batches batches = lines_of(model);
  archway_kernels_v3(&model, &batches);
  return batches;
}
#else
bool has_kernels(Kernels) {
  return true;
}

Batches make_batches(const model::Model& model, Kernels kernels) {
  Batches batches = lines_of(model);
  if (kernels == Kernels::baseline || !has_v3())
    add_walls(model, batches);
  else
    archway_kernels_v3(&model, &batches);
  return batches;
}
#endif

const char* machine_kernels() {
  return has_v3() ? "x86-64-v3" : "baseline";
}
#else
bool has_kernels(Kernels) {
  return true;
}

Batches make_batches(const model::Model& model, Kernels) {
  Batches batches = lines_of(model);
  add_walls(model, batches);
  return batches;
}

const char* machine_kernels() {
  return "baseline";
}
#endif
#endif

}  // namespace archway::elements
