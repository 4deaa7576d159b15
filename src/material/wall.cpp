#include "archway/material/wall.hpp"

#include <stdexcept>

#include "archway/base/shape_functions.hpp"

namespace archway::material {

Wall::Wall(std::unique_ptr<Law<3>> law, double thickness, int cells) : law_(std::move(law)), thickness_(thickness) {
  if (cells < 2 || cells > 16 || cells % 2 != 0) throw std::invalid_argument("a wall has 2, 4 .. 16 cells of layers");
  const auto rule = base::cell_rule(cells);
  heights_.push_back(-0.5 * thickness);
  weights_.push_back(0);
  for (std::size_t k = 0; k < rule.places.size(); ++k) {
    heights_.push_back((rule.places[k] - 0.5) * thickness);
    weights_.push_back(rule.weights[k] * thickness);
  }
  heights_.push_back(0.5 * thickness);
  weights_.push_back(0);
}

void Wall::start(double* memory) const {
  for (int l = 0; l < layers(); ++l)
    for (const auto& field : law_->memory()) *memory++ = field.start;
}

Answer<6> Wall::elastic_answer(const Vec6& strain) const {
  Answer<6> answer;
  const Eigen::Matrix3d c = thickness_ * law_->stiffness();
  answer.tangent.topLeftCorner<3, 3>() = c;
  answer.tangent.bottomRightCorner<3, 3>() = thickness_ * thickness_ / 12 * c;
  answer.stress = answer.tangent * strain;
  return answer;
}

Answer<6> Wall::respond(const Vec6& strain, double free_strain, const double* before, double* after) const {
  if (elastic()) {
    Vec6 own = strain;
    own.head<2>().array() -= free_strain;
    return elastic_answer(own);
  }
  Answer<6> answer;
  const auto size = static_cast<std::ptrdiff_t>(law_->memory().size());
  for (std::size_t l = 0; l < heights_.size(); ++l) {
    const double z = heights_[l], w = weights_[l];
    const auto at = size * static_cast<std::ptrdiff_t>(l);
    const auto one = law_->respond(strain.head<3>() + z * strain.tail<3>(), free_strain, before + at, after + at);
    answer.stress.head<3>() += w * one.stress;
    answer.stress.tail<3>() += w * z * one.stress;
    answer.tangent.topLeftCorner<3, 3>() += w * one.tangent;
    answer.tangent.topRightCorner<3, 3>() += w * z * one.tangent;
    answer.tangent.bottomRightCorner<3, 3>() += w * z * z * one.tangent;
  }
  answer.tangent.bottomLeftCorner<3, 3>() = answer.tangent.topRightCorner<3, 3>().transpose();
  return answer;
}

Energy Wall::energy(const Vec6& strain, double free_strain, const double* memory) const {
  if (elastic()) {
    Vec6 own = strain;
    own.head<2>().array() -= free_strain;
    return {0.5 * own.dot(elastic_answer(own).stress), 0};
  }
  Energy sum;
  for (std::size_t l = 0; l < heights_.size(); ++l)
    sum += weights_[l] * law_->energy(strain.head<3>() + heights_[l] * strain.tail<3>(), free_strain,
                                      memory + law_->memory().size() * l);
  return sum;
}

Eigen::Vector3d Wall::stress(int layer, const Vec6& strain, double free_strain, const double* before) const {
  const auto l = static_cast<std::size_t>(layer);
  const auto size = law_->memory().size();
  std::vector<double> after(size);
  const Eigen::Vector3d own = strain.head<3>() + heights_[l] * strain.tail<3>();
  return law_->told(own, law_->respond(own, free_strain, before + size * l, after.data()));
}

}  // namespace archway::material
