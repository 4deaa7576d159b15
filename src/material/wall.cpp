#include "archway/material/wall.hpp"

#include <cmath>
#include <stdexcept>

namespace archway::material {

namespace {
/// Gauss-Lobatto places and weights on [-1, 1]: ends, and roots of the derivative of the Legendre polynomial.
void lobatto(int count, std::vector<double>& places, std::vector<double>& weights) {
  const int n = count - 1;
  const auto legendre = [&](double x, double& before) {
    double last = 1, now = x;
    for (int k = 2; k <= n; ++k) {
      const double next = ((2 * k - 1) * x * now - (k - 1) * last) / k;
      last = now, now = next;
    }
    before = last;
    return now;
  };
  for (int i = 0; i < count; ++i) {
    double x = -std::cos(M_PI * i / n), before = 0;
    for (int k = 0; k < 60 && i > 0 && i < n; ++k) {
      const double p = legendre(x, before);
      const double slope = n * (before - x * p) / (1 - x * x), bend = (2 * x * slope - n * (n + 1) * p) / (1 - x * x);
      const double step = slope / bend;
      x -= step;
      if (std::abs(step) < 1e-15) break;
    }
    const double p = legendre(x, before);
    places.push_back(x);
    weights.push_back(2.0 / (n * (n + 1) * p * p));
  }
}
}  // namespace

Wall::Wall(std::unique_ptr<Law<3>> law, double thickness, int layers) : law_(std::move(law)), thickness_(thickness) {
  if (layers < 3 || layers > 9) throw std::invalid_argument("a wall has 3 to 9 layers");
  lobatto(layers, heights_, weights_);
  for (double& z : heights_) z *= 0.5 * thickness;
  for (double& w : weights_) w *= 0.5 * thickness;
}

void Wall::start(double* memory) const {
  for (int l = 0; l < layers(); ++l)
    for (const auto& field : law_->memory()) *memory++ = field.start;
}

Answer<6> Wall::respond(const Vec6& strain, double free_strain, const double* before, double* after) const {
  Answer<6> answer;
  if (elastic()) {
    const Eigen::Matrix3d c = thickness_ * law_->stiffness();
    answer.tangent.topLeftCorner<3, 3>() = c;
    answer.tangent.bottomRightCorner<3, 3>() = thickness_ * thickness_ / 12 * c;
    Vec6 own = strain;
    own.head<2>().array() -= free_strain;
    answer.stress = answer.tangent * own;
    return answer;
  }
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

Eigen::Vector3d Wall::stress(int layer, const Vec6& strain, double free_strain, const double* before) const {
  const auto l = static_cast<std::size_t>(layer);
  const auto size = law_->memory().size();
  std::vector<double> after(size);
  return law_->respond(strain.head<3>() + heights_[l] * strain.tail<3>(), free_strain, before + size * l, after.data())
      .stress;
}

}  // namespace archway::material
