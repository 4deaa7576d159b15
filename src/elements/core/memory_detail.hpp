#pragma once
#include "archway/elements/batch.hpp"

namespace archway::elements::detail {

/// Memory of one element in a trial; virgin, and thrown away afterwards, where the trial gives none.
class OwnMemory {
 public:
  /// \param first  where the element's memory begins in the block \param start  fills in a virgin one
  template <class Start>
  OwnMemory(const Trial& trial, std::size_t first, std::size_t size, const Start& start) {
    if (trial.committed == nullptr) {
      virgin_.resize(size);
      start(virgin_.data());
    }
    if (trial.next == nullptr) scratch_.resize(size);
    before = trial.committed == nullptr ? virgin_.data() : trial.committed + first;
    after = trial.next == nullptr ? scratch_.data() : trial.next + first;
  }
  OwnMemory(const OwnMemory&) = delete;
  OwnMemory& operator=(const OwnMemory&) = delete;

  const double* before = nullptr;
  double* after = nullptr;

 private:
  std::vector<double> virgin_, scratch_;
};

/// Records of a law that flows. \param layers  of one point
template <class Law>
FlowRecords flow_records_of(const Law& law, std::size_t first, std::size_t points, std::size_t layers) {
  if (law.plastic_strain_place() < 0) return {};
  return {first, points, layers, law.memory().size(), static_cast<std::size_t>(law.plastic_strain_place())};
}

}  // namespace archway::elements::detail
