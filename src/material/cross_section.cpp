#include "archway/material/cross_section.hpp"

#include <stdexcept>

namespace archway::material {

CrossSection::CrossSection(std::unique_ptr<Law<1>> law, const Matrix& elastic, Eigen::VectorXd areas, Shapes shapes)
    : law_(std::move(law)), elastic_(elastic), areas_(std::move(areas)), shapes_(std::move(shapes)) {
  if (areas_.size() == 0 || areas_.size() != shapes_.cols())
    throw std::invalid_argument("a cross-section has an area and shapes for every fibre");
}

void CrossSection::start(double* memory) const {
  for (int f = 0; f < fibres(); ++f)
    for (const auto& field : law_->memory()) *memory++ = field.start;
}

Answer<CrossSection::kStrains> CrossSection::respond(const Strain& strain, const double* before, double* after) const {
  Answer<kStrains> answer{elastic_ * strain, elastic_};
  const double e = law_->stiffness()(0, 0);
  const auto size = static_cast<std::ptrdiff_t>(law_->memory().size());
  for (Eigen::Index f = 0; f < areas_.size(); ++f) {
    const auto shape = shapes_.col(f);
    const double along = shape.dot(strain);
    const auto own = law_->respond(Eigen::Matrix<double, 1, 1>(along), 0, before + size * f, after + size * f);
    const double off = own.stress[0] - e * along, softer = own.tangent(0, 0) - e;
    if (off != 0.0) answer.stress += areas_[f] * off * shape;
    if (softer != 0.0) answer.tangent.noalias() += areas_[f] * softer * shape * shape.transpose();
  }
  return answer;
}

Energy CrossSection::energy(const Strain& strain, const double* memory) const {
  Energy sum{0.5 * strain.dot(elastic_ * strain), 0};
  const double e = law_->stiffness()(0, 0);
  for (Eigen::Index f = 0; f < areas_.size(); ++f) {
    const double along = shapes_.col(f).dot(strain);
    Energy off = law_->energy(Eigen::Matrix<double, 1, 1>(along), 0,
                              memory + static_cast<std::ptrdiff_t>(law_->memory().size()) * f);
    off.stored -= 0.5 * e * along * along;
    sum += areas_[f] * off;
  }
  return sum;
}

}  // namespace archway::material
