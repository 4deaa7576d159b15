#pragma once
#include "archway/elements/bar.hpp"
#include "archway/elements/beam.hpp"
#include "archway/elements/shell_measured.hpp"
#include "archway/elements/solid.hpp"
#include "archway/elements/spring.hpp"

namespace archway::elements {

/// A batch of every kind of element over one model; most models leave some of them empty.
struct Batches {
  std::unique_ptr<BeamBatch> beams;
  std::unique_ptr<BarBatch> bars;
  std::unique_ptr<SpringBatch> springs;
  std::unique_ptr<SolidBatch> solids8, solids20;
  std::unique_ptr<ShellBatch> shells4;
  std::unique_ptr<ShellKind> shells3, shells9;
};

/// Shells and solids are compiled for the machine that builds, or (ARCHWAY_KERNELS=portable) for the oldest machine of
/// the architecture and once more for newer ones; then which copy evaluates is decided when batches are made. The
/// copies differ by rounding only.
enum class Kernels {
  machine,  ///< the fastest that this machine has
  baseline
};
/// Whether this build has that copy.
bool has_kernels(Kernels kernels);
/// \throws base::InputError when this build has no such copy, or was made for processors with more instructions
Batches make_batches(const model::Model& model, Kernels kernels = Kernels::machine);
/// "baseline", or the instruction set that Kernels::machine uses here, for instance "x86-64-v3".
const char* machine_kernels();

}  // namespace archway::elements
