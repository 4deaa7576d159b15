#include "elastic_detail.hpp"

namespace archway::material {

namespace {
template <int N>
class ElasticLaw final : public Law<N> {
 public:
  explicit ElasticLaw(const Elastic& elastic) : stiffness_(detail::stiffness<N>(elastic)) {}
  const std::vector<MemoryField>& memory() const override { return nothing_; }
  const typename Law<N>::Matrix& stiffness() const override { return stiffness_; }
  Answer<N> respond(const typename Law<N>::Vector& strain, double free_strain, const double*, double*) const override {
    return {stiffness_ * (strain - free_strain * detail::all_directions<N>()), stiffness_};
  }
  Energy energy(const typename Law<N>::Vector& strain, double free_strain, const double*) const override {
    const typename Law<N>::Vector own = strain - free_strain * detail::all_directions<N>();
    return {0.5 * own.dot(stiffness_ * own), 0};
  }

 private:
  typename Law<N>::Matrix stiffness_;
  std::vector<MemoryField> nothing_;
};
}  // namespace

template <int N>
std::unique_ptr<Law<N>> elastic_law(const Elastic& elastic) {
  return std::make_unique<ElasticLaw<N>>(elastic);
}
template std::unique_ptr<Law<1>> elastic_law<1>(const Elastic&);
template std::unique_ptr<Law<3>> elastic_law<3>(const Elastic&);
template std::unique_ptr<Law<6>> elastic_law<6>(const Elastic&);

}  // namespace archway::material
