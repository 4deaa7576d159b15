#include <cmath>
#include <map>

#include "shells/shell_measured_detail.hpp"

namespace archway::elements {

namespace three {
namespace {
using namespace measured;
using E = Element<3>;
using P = Product<3>;
using W = P::Weights;
using Matrix6 = Eigen::Matrix<double, 6, 6>;
using Rows3x6 = Eigen::Matrix<double, 3, 6>;
constexpr double kShearFactor = 5.0 / 6.0;

/// A flat triangle in its own axes.
struct Triangle {
  std::array<Vector2d, 3> at;
  double area;
  Matrix2d inverse_jacobian;  // rows: gradients of the two natural coordinates
  W d1, d2;                   // derivatives of the shape functions along the axes
  double x(int i, int j) const { return (at[static_cast<std::size_t>(i)] - at[static_cast<std::size_t>(j)]).x(); }
  double y(int i, int j) const { return (at[static_cast<std::size_t>(i)] - at[static_cast<std::size_t>(j)]).y(); }
  Vector2d edge(int k) const { return at[static_cast<std::size_t>((k + 1) % 3)] - at[static_cast<std::size_t>(k)]; }
};

Triangle flat(const std::array<Vec3, 3>& x, const Mat3& axes) {
  Triangle t;
  for (std::size_t i = 0; i < 3; ++i) t.at[i] = (axes.transpose() * (x[i] - x[0])).head<2>();
  Matrix2d jacobian;
  jacobian << t.x(1, 0), t.y(1, 0), t.x(2, 0), t.y(2, 0);
  t.area = 0.5 * jacobian.determinant();
  t.inverse_jacobian = jacobian.inverse();
  for (int i = 0; i < 3; ++i) {
    const int j = (i + 1) % 3, k = (i + 2) % 3;
    t.d1[i] = t.y(j, k) / (2 * t.area);
    t.d2[i] = t.x(k, j) / (2 * t.area);
  }
  return t;
}

/// Share of the normal displacement that rotates of its two ends give an edge ([Felippa2003] eq. 10: 3/2) where two
/// triangles meet smoothly. None at free edges, folds and edges to other elements, whose edges stay straight: nodal
/// forces of a constant stress then agree everywhere.
constexpr double kEdgeRotation = 1.5;
/// What is left of the drilling stiffness on strongly curved coarse meshes, see Flatness.
constexpr double kLeastDrilling = 1e-3;

/// How an element lies among its neighbours. On a doubly curved surface the flat facets around a node rotation
/// differently about their own normals when the shell bends: by curvature times h^2 / R. Restrained by the full
/// drilling stiffness this would lock as (h^2 / R t)^2 grows, so shares and drilling stiffness fade with it: 1 / (1 +
/// 12 (h angle / t)^2), 1 on flat panels.
struct Flatness {
  std::array<double, 3> shares{};  // of the edges
  double drilling = 1;
};

/// Mean strain from the three strains and the three drilling measures (the rotation of the material less that of the
/// node); a rotation common to all nodes drops out.
Rows3x6 mean_strain(const Triangle& t, const std::array<double, 3>& shares) {
  Rows3x6 m = Rows3x6::Zero();
  m.leftCols<3>() = detail::to_local_strain(t.inverse_jacobian);
  for (int k = 0; k < 3; ++k) {
    const Vector2d edge = t.edge(k), out(edge.y(), -edge.x());  // length times normal
    const Vector3d bow = shares[static_cast<std::size_t>(k)] / (12 * t.area) *
                         Vector3d(out.x() * out.x(), out.y() * out.y(), 2 * out.x() * out.y());
    m.col(3 + k) += bow;
    m.col(3 + (k + 1) % 3) -= bow;
  }
  return m;
}

/// Higher-order strains from the drilling measures at the middles of the edges 1-2, 2-3, 3-1, which are for a third
/// of the area each; their mean is nothing ([Felippa2003] eq. 14-20 with the optimal parameters).
std::array<Matrix3d, 3> drilling_strains(const Triangle& t, double nu) {
  const double a = t.area;
  Vector3d l;  // squared lengths of 21, 32, 13
  for (int k = 0; k < 3; ++k) l[k] = t.edge(k).squaredNorm();
  Matrix3d te;
  te << t.y(1, 2) * t.y(0, 2) * l[0], t.y(2, 0) * t.y(1, 0) * l[1], t.y(0, 1) * t.y(2, 1) * l[2],  //
      t.x(1, 2) * t.x(0, 2) * l[0], t.x(2, 0) * t.x(1, 0) * l[1], t.x(0, 1) * t.x(2, 1) * l[2],    //
      (t.y(1, 2) * t.x(2, 0) + t.x(2, 1) * t.y(0, 2)) * l[0], (t.y(2, 0) * t.x(0, 1) + t.x(0, 2) * t.y(1, 0)) * l[1],
      (t.y(0, 1) * t.x(1, 2) + t.x(1, 0) * t.y(2, 1)) * l[2];
  te /= 4 * a * a;
  Matrix3d q1, q2, q3;
  q1 << 1, 2, 1, 0, 1, -1, -1, -1, -2;
  q2 << -2, -1, -1, 1, 1, 2, -1, 0, 1;
  q3 << 1, -1, 0, -1, -2, -1, 2, 1, 1;
  for (Matrix3d* q : {&q1, &q2, &q3}) *q = (2 * a / 3) * l.cwiseInverse().asDiagonal() * *q;
  // measures count rotations from the material already; what is common to the three nodes is not strained either way
  const double beta = std::max(0.5 * (1 - 4 * nu * nu), 0.01);
  const Matrix3d scaled = std::sqrt(3 * 0.75 * beta) * te;
  return {0.5 * scaled * (q1 + q2), 0.5 * scaled * (q2 + q3), 0.5 * scaled * (q3 + q1)};
}

/// Weight of the curvature that the edge measures bring. What they bring in the mean is omitted, so that a constant
/// moment has the same nodal forces as in the four-node shell and mixed meshes pass the patch test (as in the free
/// formulation [BerganNygard1984]); with 3/2 on the rest a strip in bending is as good as cubic beams, and plates are
/// closer than with the mean left in.
const double kFluctuation = std::sqrt(1.5);

/// Curvature and shear at a place from three linear curvatures and three edge measures (after [Katili1993]).
struct Bending {
  Rows3x6 curvature;
  Eigen::Matrix<double, 2, 6> shear;
};
Bending bending_at(const Triangle& t, double thickness, double nu, const Vector3d& zeta) {
  Bending b;
  b.curvature.setZero();
  b.shear.setZero();
  b.curvature.leftCols<3>() = detail::to_local_strain(t.inverse_jacobian);
  std::array<double, 3> share{};
  for (int k = 0; k < 3; ++k) {
    const Vector2d edge = t.edge(k);
    const double length = edge.norm(), phi = 2 / (kShearFactor * (1 - nu)) * std::pow(thickness / length, 2);
    const int i = k, j = (k + 1) % 3;
    const double zi = 4 * (zeta[i] - 1.0 / 3), zj = 4 * (zeta[j] - 1.0 / 3);  // gradient of the bubble less its mean
    const Vector2d gradient(zi * t.d1[j] + zj * t.d1[i], zi * t.d2[j] + zj * t.d2[i]);
    const Vector2d along = edge / length;
    const double bubble = -1.5 * kFluctuation / ((1 + phi) * length);
    b.curvature.col(3 + k) = bubble * Vector3d(gradient.x() * along.x(), gradient.y() * along.y(),
                                               gradient.x() * along.y() + gradient.y() * along.x());
    share[static_cast<std::size_t>(k)] = phi / ((1 + phi) * length);
  }
  for (int i = 0; i < 3; ++i) {  // at a corner the two edge values give the vector
    const int after = i, before = (i + 2) % 3;
    Matrix2d directions;
    directions << t.edge(after).normalized().transpose(), t.edge(before).normalized().transpose();
    const Matrix2d inverse = directions.inverse();
    b.shear.col(3 + after) += zeta[i] * share[static_cast<std::size_t>(after)] * inverse.col(0);
    b.shear.col(3 + before) += zeta[i] * share[static_cast<std::size_t>(before)] * inverse.col(1);
  }
  return b;
}

W weights(double a, double b, double c) {
  return W(a, b, c);
}

void add_products(E& e, const Triangle& t) {
  const W g1 = weights(-1, 1, 0), g2 = weights(-1, 0, 1);
  const auto add = [&](int measure, With with, double factor, const W& p, const W& q) {
    e.products.push_back({measure, with, factor, p, q});
  };
  add(0, With::position, 0.5, g1, g1);
  add(1, With::position, 0.5, g2, g2);
  add(2, With::position, 1, g1, g2);
  for (int i = 0; i < 3; ++i) {
    add(3 + i, With::second, 0.5, t.d1, W::Unit(i));
    add(3 + i, With::first, -0.5, t.d2, W::Unit(i));
  }
  add(6, With::director, 1, g1, g1);
  add(7, With::director, 1, g2, g2);
  add(8, With::director, 1, g1, g2);
  add(8, With::director, 1, g2, g1);
  for (int k = 0; k < 3; ++k) {
    const W from = W::Unit(k), to = W::Unit((k + 1) % 3);
    add(9 + k, With::director, 0.5, to - from, to + from);
  }
}

/// Flatness of every three-node element, in the order of the model.
std::vector<Flatness> flatness_of(const model::Model& model) {
  struct Side {
    std::size_t element;
    bool three;
    Vec3 normal, middle;
  };
  std::map<std::pair<int, int>, std::vector<Side>> sides;
  for (std::size_t n = 0; n < model.shell_elements.size(); ++n) {
    const auto& e = model.shell_elements[n];
    const auto corners = static_cast<std::size_t>(e.corners());
    const auto x = [&](std::size_t k) { return model.nodes[static_cast<std::size_t>(e.nodes[k])]; };
    const Side side{n, e.count == 3, (x(1) - x(0)).cross(x(2) - x(0)).normalized(), (x(0) + x(1) + x(2)) / 3};
    for (std::size_t k = 0; k < corners; ++k)
      sides[std::minmax(e.nodes[k], e.nodes[(k + 1) % corners])].push_back(side);
  }
  std::vector<Flatness> list(model.shell_elements.size());
  const auto each_smooth_edge = [&](const auto& use) {
    for (const auto& [edge, both] : sides) {
      if (both.size() != 2 || !both[0].three || !both[1].three) continue;
      const double angle = std::asin(std::min(1.0, both[0].normal.cross(both[1].normal).norm()));
      if (angle < 20 * M_PI / 180) use(edge, both[0], both[1], angle);
    }
  };
  each_smooth_edge([&](const auto&, const Side& a, const Side& b, double angle) {
    const double t = model.thickness(model.shell_elements[a.element]);
    const double bow = (a.middle - b.middle).norm() * angle / t;
    for (const Side* side : {&a, &b}) {
      double& drilling = list[side->element].drilling;
      drilling = std::max(kLeastDrilling, std::min(drilling, 1 / (1 + 12 * bow * bow)));
    }
  });
  each_smooth_edge([&](const std::pair<int, int>& edge, const Side& a, const Side& b, double) {
    for (const Side* side : {&a, &b})
      for (std::size_t k = 0; k < 3; ++k) {
        const auto& n = model.shell_elements[side->element].nodes;
        if (std::pair<int, int>(std::minmax(n[k], n[(k + 1) % 3])) == edge)
          list[side->element].shares[k] = kEdgeRotation * std::min(list[a.element].drilling, list[b.element].drilling);
      }
  });
  return list;
}

E make(const model::Model& model, const model::ShellElement& element, const std::array<Vec3, 9>& directors,
       const Flatness& flatness) {
  const auto& part = model.parts[static_cast<std::size_t>(element.part)];
  const auto& material = model.materials[static_cast<std::size_t>(part.material)];
  const double h = model.thickness(element), nu = material.poisson_ratio;
  E e;
  std::array<Vec3, 3> x;
  for (std::size_t i = 0; i < 3; ++i) {
    e.nodes[i] = element.nodes[i];
    e.carried[0][i] = directors[i];
    x[i] = model.nodes[static_cast<std::size_t>(element.nodes[i])] + part.offset_z * directors[i];
  }
  const Vec3 normal = (x[1] - x[0]).cross(x[2] - x[0]).normalized(), first = (x[1] - x[0]).normalized();
  e.axes << first, normal.cross(first), normal;
  for (std::size_t i = 0; i < 3; ++i) {
    const auto rotation = base::rotation_between(normal, directors[i]);
    e.carried[1][i] = rotation * e.axes.col(0);
    e.carried[2][i] = rotation * e.axes.col(1);
  }
  e.offset = part.offset_z;
  e.part = element.part;
  e.thickness = h;
  e.measures = 12;
  const Triangle t = flat(x, e.axes);
  const Matrix3d plane = plane_stress(material), plate = h * h * h / 12 * plane;
  add_products(e, t);
  const Rows3x6 mean = mean_strain(t, flatness.shares);
  const double shear = kShearFactor * material.shear_modulus() * h;
  const auto drilling = drilling_strains(t, nu);
  Points points{mean, Rows3::Zero(3, 6), {}};
  Matrix6 across = Matrix6::Zero();
  for (const Vector3d& zeta : {Vector3d(0.5, 0.5, 0), Vector3d(0, 0.5, 0.5), Vector3d(0.5, 0, 0.5)}) {
    const Bending b = bending_at(t, h, nu, zeta);
    Rows3x6 strain = Rows3x6::Zero();
    strain.rightCols<3>() = std::sqrt(flatness.drilling) * drilling[points.varying.size()];
    points.varying.push_back({t.area / 3, strain, b.curvature});
    across += t.area / 3 * shear * b.shear.transpose() * b.shear;
  }
  add_points(e, points, h * plane, plate, flowing_wall(part, material, h));
  if (e.wall)
    e.blocks.push_back({6, across});
  else
    e.blocks.back().stiffness += across;
  const Bending centre = bending_at(t, h, nu, Vector3d::Constant(1.0 / 3));
  e.middle.setZero(8, 12);
  e.middle.block<3, 6>(0, 0) = h * plane * mean;
  e.middle.block<3, 6>(3, 6) = plate * centre.curvature;
  e.middle.block<2, 6>(6, 6) = shear * centre.shear;
  return e;
}
}  // namespace
}  // namespace three

std::unique_ptr<ShellKind> three_node_shells(const model::Model& model) {
  using namespace three;
  std::vector<E> list;
  bool any = false;
  for (const auto& element : model.shell_elements) any = any || element.count == 3;
  if (any) {
    const auto directors = corner_directors(model);
    const auto flatness = flatness_of(model);
    for (std::size_t k = 0; k < model.shell_elements.size(); ++k)
      if (model.shell_elements[k].count == 3)
        list.push_back(make(model, model.shell_elements[k], directors[k], flatness[k]));
    finish(list, model);
  }
  return std::make_unique<MeasuredShells<3>>(std::move(list));
}

}  // namespace archway::elements
