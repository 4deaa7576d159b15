#include <cmath>

#include "shells/shell_measured_detail.hpp"

namespace archway::elements {

namespace nine {
namespace {
using namespace measured;
using E = Element<9>;
using P = Product<9>;
using W = P::Weights;
constexpr double kShearFactor = 5.0 / 6.0;
const double kTwo = 1 / std::sqrt(3.0), kThree = std::sqrt(0.6);

/// Tying points of one component: grids of 2 or 3 lines along r and s.
struct Grid {
  std::vector<double> r, s;
  int size() const { return static_cast<int>(r.size() * s.size()); }
  Vector2d point(int k) const {
    return {r[static_cast<std::size_t>(k) % r.size()], s[static_cast<std::size_t>(k) / r.size()]};
  }
  double weight(int k, double at_r, double at_s) const {
    const auto line = [](const std::vector<double>& nodes, std::size_t own, double x) {
      double w = 1;
      for (std::size_t j = 0; j < nodes.size(); ++j)
        if (j != own) w *= (x - nodes[j]) / (nodes[own] - nodes[j]);
      return w;
    };
    return line(r, static_cast<std::size_t>(k) % r.size(), at_r) *
           line(s, static_cast<std::size_t>(k) / r.size(), at_s);
  }
};
const std::vector<double> kPair = {-kTwo, kTwo}, kTriple = {-kThree, 0, kThree};
const Grid kAlongR = {kPair, kTriple}, kAlongS = {kTriple, kPair}, kBoth = {kPair, kPair};
// measures: membrane rr ss rs tied and the mean of 11 22 12 as it is, bending the same, shear r s and mean of 1 2,
// drilling at 2 x 2 and 3 x 3 points
constexpr int kTied = 16, kBend = 19, kShear = 38, kTiedShear = 12, kDrill = 52, kRest = 56, kMeasures = 65;

struct Shape {
  W n, r, s;
};
Shape shape_at(double r, double s) {
  const auto f = base::surface_shape(9, r, s);
  return {W(f.n.data()), W(f.dr.data()), W(f.ds.data())};
}

/// Base vectors, axes and measures of a place in the reference.
struct Place {
  Shape shape;
  Matrix2d inverse_jacobian;
  double area = 0;
};

Place place_at(const std::array<Vec3, 9>& x, const Mat3& middle, double r, double s) {
  Place p;
  p.shape = shape_at(r, s);
  const Vec3 gr = blend<9>(p.shape.r, x), gs = blend<9>(p.shape.s, x);
  const auto rotation = base::rotation_between(middle.col(2), gr.cross(gs));
  const Vec3 e1 = rotation * middle.col(0), e2 = rotation * middle.col(1);
  Matrix2d jacobian;
  jacobian << gr.dot(e1), gr.dot(e2), gs.dot(e1), gs.dot(e2);
  p.area = jacobian.determinant();
  p.inverse_jacobian = jacobian.inverse();
  return p;
}

/// From the 16 tied components to local strains at a place.
Eigen::Matrix<double, 3, 16> surface_strain(const Place& p, double r, double s) {
  Eigen::Matrix<double, 3, 16> natural = Eigen::Matrix<double, 3, 16>::Zero();
  for (int k = 0; k < 6; ++k) {
    natural(0, k) = kAlongR.weight(k, r, s);
    natural(1, 6 + k) = kAlongS.weight(k, r, s);
  }
  for (int k = 0; k < 4; ++k) natural(2, 12 + k) = kBoth.weight(k, r, s);
  return detail::to_local_strain(p.inverse_jacobian) * natural;
}

Eigen::Matrix<double, 2, 12> shear_strain(const Place& p, double r, double s) {
  Eigen::Matrix<double, 2, 12> natural = Eigen::Matrix<double, 2, 12>::Zero();
  for (int k = 0; k < 6; ++k) {
    natural(0, k) = kAlongR.weight(k, r, s);
    natural(1, 6 + k) = kAlongS.weight(k, r, s);
  }
  return p.inverse_jacobian * natural;
}

class Maker {
 public:
  Maker(const model::Model& model, const model::ShellElement& element, const std::array<Vec3, 9>& directors)
      : part_(model.parts[static_cast<std::size_t>(element.part)]),
        material_(model.materials[static_cast<std::size_t>(part_.material)]) {
    e_.measures = kMeasures;
    e_.offset = part_.offset_z;
    e_.part = element.part;
    e_.thickness = model.thickness(element);
    e_.nodes = element.nodes;
    e_.carried[0] = directors;
    for (std::size_t i = 0; i < 9; ++i)
      x_[i] = model.nodes[static_cast<std::size_t>(element.nodes[i])] + part_.offset_z * directors[i];
    const Shape f = shape_at(0, 0);
    const Vec3 gr = blend<9>(f.r, x_), normal = gr.cross(blend<9>(f.s, x_)).normalized(), first = gr.normalized();
    e_.axes << first, normal.cross(first), normal;
    for (std::size_t i = 0; i < 9; ++i) {
      const auto rotation = base::rotation_between(normal, directors[i]);
      e_.carried[1][i] = rotation * e_.axes.col(0);
      e_.carried[2][i] = rotation * e_.axes.col(1);
    }
  }

  E make(const model::Model& model) {
    static const auto common = std::make_shared<const std::vector<P>>(tied());
    e_.common = common;
    means();
    drilling();
    stiffness(wall(model));
    return std::move(e_);
  }

 private:
  void add(int measure, With with, double factor, const W& p, const W& q) {
    e_.products.push_back({measure, with, factor, p, q});
  }

  /// Products at the tying points: in natural coordinates they are the same for all elements.
  static std::vector<P> tied() {
    std::vector<P> list;
    const auto add = [&](int measure, With with, double factor, const W& p, const W& q) {
      list.push_back({measure, with, factor, p, q});
    };
    for (int k = 0; k < 6; ++k) {
      const Vector2d r = kAlongR.point(k), s = kAlongS.point(k);
      const Shape fr = shape_at(r.x(), r.y()), fs = shape_at(s.x(), s.y());
      add(k, With::position, 0.5, fr.r, fr.r);
      add(6 + k, With::position, 0.5, fs.s, fs.s);
      add(kBend + k, With::director, 1, fr.r, fr.r);
      add(kBend + 6 + k, With::director, 1, fs.s, fs.s);
      add(kShear + k, With::director, 1, fr.r, fr.n);
      add(kShear + 6 + k, With::director, 1, fs.s, fs.n);
    }
    for (int k = 0; k < 4; ++k) {
      const Vector2d b = kBoth.point(k);
      const Shape f = shape_at(b.x(), b.y());
      add(12 + k, With::position, 1, f.r, f.s);
      add(kBend + 12 + k, With::director, 1, f.r, f.s);
      add(kBend + 12 + k, With::director, 1, f.s, f.r);
    }
    return list;
  }

  /// Mean local strains without tying. Tied strains take their means from these, so that distorted meshes pass the
  /// patch test; on parallelograms the two agree by themselves.
  void means() {
    std::array<Form<9>, 8> form;  // 11 22 12 of the membrane, of bending, and the two shears
    for (int k = 0; k < 8; ++k) {
      auto& f = form[static_cast<std::size_t>(k)];
      f.measure = k < 3 ? kTied + k : k < 6 ? kBend + kTied + k - 3 : kShear + kTiedShear + k - 6;
      f.with = k < 3 ? With::position : With::director;
    }
    for (const auto& g : rule()) area_ += g.weight * place_at(x_, e_.axes, g.r, g.s).area;
    for (const auto& g : rule()) {
      const Place p = place_at(x_, e_.axes, g.r, g.s);
      const double w = g.weight * p.area / area_;
      const Matrix2d& a = p.inverse_jacobian;
      const W d1 = a(0, 0) * p.shape.r + a(0, 1) * p.shape.s, d2 = a(1, 0) * p.shape.r + a(1, 1) * p.shape.s;
      form[0].c += 0.5 * w * d1 * d1.transpose();
      form[1].c += 0.5 * w * d2 * d2.transpose();
      form[2].c += w * d1 * d2.transpose();
      form[3].c += w * d1 * d1.transpose();
      form[4].c += w * d2 * d2.transpose();
      form[5].c += w * (d1 * d2.transpose() + d2 * d1.transpose());
      form[6].c += w * d1 * p.shape.n.transpose();
      form[7].c += w * d2 * p.shape.n.transpose();
    }
    e_.forms.assign(form.begin(), form.end());
  }
  static const std::vector<base::RulePoint>& rule() { return base::surface_rule(9); }

  void drill(int measure, const Place& p) {
    const Matrix2d& a = p.inverse_jacobian;
    add(measure, With::second, 0.5, a(0, 0) * p.shape.r + a(0, 1) * p.shape.s, p.shape.n);
    add(measure, With::first, -0.5, a(1, 0) * p.shape.r + a(1, 1) * p.shape.s, p.shape.n);
  }

  void drilling() {
    const double stiffness = material_.shear_modulus() * e_.thickness;
    VectorXd diagonal(13);
    for (int k = 0; k < 4; ++k) {
      const Vector2d b = kBoth.point(k);
      const Place p = place_at(x_, e_.axes, b.x(), b.y());
      drill(kDrill + k, p);
      diagonal[k] = p.area * stiffness;
    }
    int k = 0;
    for (const auto& g : base::surface_rule(9)) {
      const Place p = place_at(x_, e_.axes, g.r, g.s);
      drill(kRest + k, p);
      diagonal[4 + k] = ShellBatch::kDrillingRest * g.weight * p.area * stiffness;
      ++k;
    }
    e_.blocks.push_back({kDrill, diagonal});
  }

  /// Membrane, bending and shear stiffness of the elastic wall in the axes of the element.
  struct Wall {
    Matrix3d membrane, bending;
    Matrix2d shear;
  };
  Wall wall(const model::Model& model) const {
    const double h = e_.thickness;
    const Matrix3d plane = plane_stress(material_);
    if (part_.laminate < 0)
      return {h * plane, h * h * h / 12 * plane, kShearFactor * material_.shear_modulus() * h * Matrix2d::Identity()};
    const auto& own = model.laminates[static_cast<std::size_t>(part_.laminate)];
    // angle from the element's first axis to the fibres
    const double to_fibres = std::atan2(part_.fibres.dot(e_.axes.col(1)), part_.fibres.dot(e_.axes.col(0)));
    const double c = std::cos(to_fibres), s = std::sin(to_fibres);
    Matrix3d rotation;
    rotation << c * c, s * s, c * s, s * s, c * c, -c * s, -2 * c * s, 2 * c * s, c * c - s * s;
    Matrix2d rotation_shear;
    rotation_shear << c, s, -s, c;
    return {rotation.transpose() * own.membrane * rotation, rotation.transpose() * own.bending * rotation,
            rotation_shear.transpose() * own.shear * rotation_shear};
  }

  void stiffness(Wall law) {
    if (part_.rigid.shear)
      law.shear += detail::thin_wall_shear(law.bending.topLeftCorner<2, 2>().trace() / 2, area_) * Matrix2d::Identity();
    Eigen::Matrix<double, 3, 16> mean = Eigen::Matrix<double, 3, 16>::Zero();
    Eigen::Matrix<double, 2, 12> mean_shear = Eigen::Matrix<double, 2, 12>::Zero();
    for (const auto& g : rule()) {
      const Place p = place_at(x_, e_.axes, g.r, g.s);
      mean += g.weight * p.area / area_ * surface_strain(p, g.r, g.s);
      mean_shear += g.weight * p.area / area_ * shear_strain(p, g.r, g.s);
    }
    Points points{Rows3::Zero(3, kBend), Rows3::Zero(3, kBend), {}};
    MatrixXd across = MatrixXd::Zero(14, 14);
    for (const auto& g : rule()) {
      const Place p = place_at(x_, e_.axes, g.r, g.s);
      const double w = g.weight * p.area;
      Eigen::Matrix<double, 3, 19> b;
      b << surface_strain(p, g.r, g.s) - mean, Matrix3d::Identity();
      Eigen::Matrix<double, 2, 14> q;
      q << shear_strain(p, g.r, g.s) - mean_shear, Matrix2d::Identity();
      points.varying.push_back({w, b, b});
      across += w * q.transpose() * law.shear * q;
    }
    add_points(e_, points, law.membrane, law.bending,
               part_.laminate < 0 ? flowing_wall(part_, material_, e_.thickness) : nullptr);
    e_.blocks.push_back({kShear, across});
    e_.middle.setZero(8, kMeasures);
    e_.middle.block<3, 3>(0, kTied) = law.membrane;
    e_.middle.block<3, 3>(3, kBend + kTied) = law.bending;
    e_.middle.block<2, 2>(6, kShear + kTiedShear) = law.shear;
  }

  const model::Part& part_;
  const model::Material& material_;
  E e_;
  std::array<Vec3, 9> x_;
  double area_ = 0;
};
}  // namespace
}  // namespace nine

std::unique_ptr<ShellKind> nine_node_shells(const model::Model& model) {
  using namespace nine;
  std::vector<E> list;
  bool any = false;
  for (const auto& element : model.shell_elements) any = any || element.count == 9;
  if (any) {
    const auto directors = corner_directors(model);
    for (std::size_t k = 0; k < model.shell_elements.size(); ++k)
      if (model.shell_elements[k].count == 9)
        list.push_back(Maker(model, model.shell_elements[k], directors[k]).make(model));
    finish(list, model);
  }
  return std::make_unique<MeasuredShells<9>>(std::move(list));
}

}  // namespace archway::elements
