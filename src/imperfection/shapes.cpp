#include "archway/imperfection/shapes.hpp"

#include <algorithm>
#include <cmath>

#include "archway/base/errors.hpp"
#include "archway/base/index.hpp"

namespace archway::imperfection {

using base::at;

Height panel_waves(int along, int across) {
  return
      [=](const SurfacePosition& p) { return std::sin(along * M_PI * p.share) * std::sin(across * M_PI * p.across); };
}

Height ring_waves(int along, int around, double start, double phase) {
  return [=](const SurfacePosition& p) {
    return (along == 0 && start == 0.0 ? 1 : std::sin(along * M_PI * p.share + start)) *
           std::cos(around * (p.angle - phase));
  };
}

Height dimple(const PartFrame& frame, const Vec3& middle, double along, double around) {
  const SurfacePosition m = frame.place_of(middle);
  const auto bell = [](double x, double width) {
    return std::abs(x) < 0.5 * width ? 0.5 * (1 + std::cos(2 * M_PI * x / width)) : 0.0;
  };
  return [=](const SurfacePosition& p) {
    const double across =
        frame.kind() == PartFrame::Kind::revolved ? p.radius * frame.between(p.angle, m.angle) : p.t - m.t;
    return -bell(p.s - m.s, along) * bell(across, around);
  };
}

double weld_length(double radius, double thickness, double poisson_ratio) {
  return M_PI * std::sqrt(radius * thickness) / std::pow(3 * (1 - poisson_ratio * poisson_ratio), 0.25);
}

Height weld_depression(double place, double lambda, WeldType type) {
  return [=](const SurfacePosition& p) {
    const double x = M_PI * std::abs(p.s - place) / lambda;
    return -std::exp(-x) * (type == WeldType::a ? std::cos(x) + std::sin(x) : std::cos(x));
  };
}

Height weld_roof(const PartFrame& frame, double place, double half_width) {
  return [=](const SurfacePosition& p) {
    const double d = frame.kind() == PartFrame::Kind::revolved ? p.radius * std::abs(frame.between(p.angle, place))
                                                               : std::abs(p.t - place);
    return d < half_width ? (1 - d / half_width) * (1 - d / half_width) : 0.0;
  };
}

Height ovality(double phase) {
  return [=](const SurfacePosition& p) { return std::cos(2 * (p.angle - phase)); };
}

Height flange_tilt(int along, bool from_high) {
  return [=](const SurfacePosition& p) {
    return (from_high ? 1 - p.across : p.across) * (along == 0 ? 1 : std::sin(along * M_PI * p.share));
  };
}

Eigen::VectorXd ShapeField::full() const {
  Eigen::VectorXd f = Eigen::VectorXd::Zero(model::row(static_cast<std::ptrdiff_t>(displacement.size())));
  for (std::size_t n = 0; n < displacement.size(); ++n)
    f.segment<3>(model::row(n)) = displacement[n], f.segment<3>(model::row(n) + 3) = rotation[n];
  return f;
}

namespace {
/// Share of the way from one place to the other, and the arm from the line between them.
std::pair<double, Vec3> from_line(const Vec3& x, const Bow& line) {
  const Vec3 way = line.to - line.from;
  const double share = way.dot(x - line.from) / way.squaredNorm();
  return {share, x - line.from - share * way};
}
}  // namespace

ShapeField put_on(const model::Model& model, const PartFrame& frame, const std::vector<int>& parts,
                  const std::vector<int>& carried, const Height& height, const Vec3& direction) {
  ShapeField field(model);
  field.parts = parts;
  field.parts.insert(field.parts.end(), carried.begin(), carried.end());
  field.height.assign(model.nodes.size(), NAN);
  for (const int n : nodes_of(model, field.parts)) {
    const SurfacePosition p = frame.place_of(model.nodes[at(n)]);
    const double h = height(p);
    if (!std::isfinite(h))
      throw base::InputError("", "the shape has no finite height somewhere on its parts",
                             "check for divisions by zero and roots of negative numbers");
    field.height[at(n)] = h;
    field.displacement[at(n)] = h * (direction.isZero(0.0) ? p.normal : direction.normalized());
  }
  return field;
}

ShapeField bow(const model::Model& model, const std::vector<int>& parts, const Bow& bow) {
  ShapeField field(model);
  field.parts = parts;
  const Vec3 way = (bow.to - bow.from).normalized();
  const Vec3 across = bow.direction - way * way.dot(bow.direction);
  if (!(across.norm() > 1e-9 * bow.direction.norm()))
    throw base::InputError("", "the bow runs along its own line", "give a direction across it");
  for (const int n : nodes_of(model, parts)) {
    const double share = from_line(model.nodes[at(n)], bow).first;
    if (share > 0 && share < 1)
      field.displacement[at(n)] = std::sin(bow.half_waves * M_PI * share) * across.normalized();
  }
  return field;
}

ShapeField twist(const model::Model& model, const std::vector<int>& parts, const Bow& axis, bool grows) {
  ShapeField field(model);
  field.parts = parts;
  const Vec3 way = (axis.to - axis.from).normalized();
  for (const int n : nodes_of(model, parts)) {
    const auto [share, arm] = from_line(model.nodes[at(n)], axis);
    const double along = std::clamp(share, 0.0, 1.0);
    const Vec3 rotation = (grows ? along : std::sin(axis.half_waves * M_PI * along)) * way;
    field.rotation[at(n)] = rotation;
    field.displacement[at(n)] = rotation.cross(arm);
  }
  return field;
}

ShapeField sway(const model::Model& model, const std::vector<int>& parts, const Sway& sway) {
  ShapeField field(model);
  field.parts = parts;
  const Vec3 up = sway.up.normalized(), level = sway.direction - up * up.dot(sway.direction);
  for (const int n : nodes_of(model, parts)) {
    const double h = (up.dot(model.nodes[at(n)]) - sway.from) / (sway.to - sway.from);
    field.displacement[at(n)] = std::clamp(h, 0.0, 1.0) * level.normalized();
  }
  return field;
}

}  // namespace archway::imperfection
