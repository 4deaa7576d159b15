#include <cmath>
#include <map>

#include "mesh_detail.hpp"

namespace archway::model {

using namespace mesh_detail;

namespace {
/// A surface of revolution that reaches the axis: squares about the pole, rings around them, so that no element has
/// two corners in one place. Nodes are numbered by where they are: {0, a, b} in the core, {r, q, 0} on ring r.
class Dome {
 public:
  Dome(Model& model, const Part& part, int index, int quadrants, int divisions_around, int rings, Faces faces)
      : model_(model), name_(part.name), index_(index), quadrants_(quadrants), faces_(faces) {
    const int fine = faces == Faces::nine ? 2 : 1;
    half_ = fine * divisions_around / (2 * quadrants);  // steps of a core side in one quadrant
    rings_ = fine * rings;
    core_ = 1 / (1 + 1.5 * rings / (2.0 * half_ / fine));
  }

  /// \param place  from (share of the way from the pole to the rim, rotation in radians) to a point
  /// \param outwards  the line runs away from the pole
  void add(const std::function<Vec3(double, double)>& place, bool outwards, std::map<int, int>& rim,
           const std::string& rim_group) {
    place_ = place;
    nodes_.clear();
    for (const auto& [q, node] : rim) nodes_[{rings_, q, 0}] = node;
    const auto oriented = [&](const auto& at, int first, int second) {  // at(radial, around)
      if (outwards)
        add_faces(
            model_, [&](int i, int j) { return at(j, i); }, second, first, index_, faces_);
      else
        add_faces(model_, at, first, second, index_, faces_);
    };
    for (int quadrant = 0; quadrant < quadrants_; ++quadrant) {
      oriented([&](int a, int b) { return core_node(quadrant, a, b); }, half_, half_);
      oriented([&](int r, int q) { return ring_node(r, q + 2 * half_ * quadrant); }, rings_, 2 * half_);
    }
    for (int q = 0; q < around() + (quadrants_ == 4 ? 0 : 1); ++q) {
      const int node = ring_node(rings_, q);
      rim[q] = node;
      if (!rim_group.empty()) model_.groups[name_ + rim_group].push_back(node);
    }
    if (quadrants_ == 4) return;
    for (const bool end : {false, true}) {
      auto& group = model_.groups[name_ + (end ? ".end" : ".start")];
      const int last = 2 * half_ * quadrants_;
      for (int a = 0; a < half_; ++a) group.push_back(core_node(end ? quadrants_ - 1 : 0, end ? 0 : a, end ? a : 0));
      for (int r = 0; r <= rings_; ++r) group.push_back(ring_node(r, end ? last : 0));
    }
  }

 private:
  int around() const { return 2 * half_ * quadrants_; }

  /// Core nodes of a quadrant, brought to those of the whole core by quarter rotations.
  int core_node(int quadrant, int a, int b) {
    for (int k = 0; k < quadrant; ++k) a = std::exchange(b, a) * -1;
    return node({0, a, b}, core_point(a, b));
  }
  /// Half square, half circle: corners of 135 degrees for the rings to start from.
  Eigen::Vector2d core_point(double a, double b) const {
    const double x = a / half_, y = b / half_;
    const Eigen::Vector2d square(x / std::sqrt(2.0), y / std::sqrt(2.0)),
        disc(x * std::sqrt(1 - y * y / 2), y * std::sqrt(1 - x * x / 2));
    return core_ * 0.5 * (square + disc);
  }
  int ring_node(int r, int q) {
    if (quadrants_ == 4) q %= around();
    const int quadrant = q / (2 * half_), rest = q % (2 * half_);
    const int a = rest <= half_ ? half_ : 2 * half_ - rest, b = rest <= half_ ? rest : half_;
    if (r == 0) return core_node(quadrant, a, b);
    const double rotation = quadrant * M_PI / 2, share = static_cast<double>(r) / rings_,
                 angle = q * M_PI / (4 * half_);
    const Eigen::Vector2d inner = Eigen::Rotation2Dd(rotation) * core_point(a, b);
    return node({r, q, 0}, (1 - share) * inner + share * Eigen::Vector2d(std::cos(angle), std::sin(angle)));
  }
  int node(const std::array<int, 3>& key, const Eigen::Vector2d& disc) {
    const auto [entry, fresh] = nodes_.try_emplace(key, 0);
    if (fresh) {
      entry->second = add_node(model_, place_(disc.norm(), std::atan2(disc.y(), disc.x())));
      model_.groups[name_].push_back(entry->second);
    }
    return entry->second;
  }

  Model& model_;
  std::string name_;
  int index_, quadrants_, half_ = 0, rings_ = 0;
  double core_ = 0.5;
  Faces faces_;
  std::function<Vec3(double, double)> place_;
  std::map<std::array<int, 3>, int> nodes_;
};

using Turned = std::function<Vec3(double along, double rotation)>;

void add_with_poles(Model& model, const Part& part, const Turned& at, bool starts_on_axis, bool ends_on_axis,
                    double angle, int divisions_around, int divisions_along, Faces faces) {
  const std::string place = fmt::format("panel '{}'", part.name);
  const int quadrants = static_cast<int>(std::lround(angle / (M_PI / 2)));
  if (std::abs(angle - quadrants * M_PI / 2) > 1e-9 || quadrants == 3)
    throw base::InputError(place, "it reaches its axis and is rotated by an angle other than 90, 180 or 360 degrees",
                           "use one of these, or leave a small hole at the axis");
  if (divisions_around % (2 * quadrants) != 0)
    throw base::InputError(place,
                           fmt::format("it reaches its axis and has {} divisions around, not a multiple of {}",
                                       divisions_around, 2 * quadrants),
                           "round them up: the squares about the axis need it");
  const bool both = starts_on_axis && ends_on_axis;
  if (both && divisions_along % 2 != 0)
    throw base::InputError(place, "it reaches its axis at both ends and has an odd number of divisions along",
                           "use an even number");
  require_divisions(divisions_along, "the number of divisions of a panel");
  Dome dome(model, part, add_part(model, part), quadrants, divisions_around, divisions_along / (both ? 2 : 1), faces);
  std::map<int, int> rim;
  const double share = both ? 0.5 : 1.0;
  if (starts_on_axis)
    dome.add([&](double r, double rotation) { return at(share * r, rotation); }, true, rim, both ? "" : ".right");
  if (ends_on_axis)
    dome.add([&](double r, double rotation) { return at(1 - share * r, rotation); }, false, rim, both ? "" : ".left");
}
}  // namespace

void add_revolution(Model& model, const Part& part, const Vec3& axis_from, const Vec3& axis_to, const Line& line,
                    double angle, int divisions_around, int divisions_along, Faces faces, const Spacing& spacing) {
  const Vec3 axis = axis_to - axis_from;
  const std::string place = fmt::format("panel '{}'", part.name);
  if (axis.norm() == 0.0) throw base::InputError(place, "its axis has no length", "give two different points");
  const auto radius = [&](double t) { return axis.normalized().cross(line.at(t) - axis_from).norm(); };
  if (!(line.length() > 0)) throw base::InputError(place, "its line has no length", "give two different points");
  if (!(angle > 0) || angle > 2 * M_PI + 1e-9)
    throw base::InputError(place, "its angle must be above 0 and at most 360 degrees",
                           "swap the axis ends to rotate the other way");
  const Turned at = [&](double along, double rotation) -> Vec3 {
    return axis_from + Eigen::AngleAxisd(rotation, axis.normalized()) * (line.at(along) - axis_from);
  };
  const bool starts = radius(0) < 1e-9 * line.length(), ends = radius(1) < 1e-9 * line.length();
  if ((starts || ends) && !(spacing.s.empty() && spacing.t.empty()))
    throw base::InputError(place, "its mesh is evenly spread, since it reaches the axis", "leave 'finer' out");
  if (starts || ends)
    return add_with_poles(model, part, at, starts, ends, angle, divisions_around, divisions_along, faces);
  add_surface(
      model, part, divisions_around, divisions_along, std::abs(angle - 2 * M_PI) < 1e-9,
      [&](double s, double t) { return at(t, s * angle); }, faces, spacing);
}

void add_cylinder_strip(Model& model, const Part& part, const Vec3& axis_from, const Vec3& axis_to, const Vec3& start,
                        double angle, int divisions_around, int divisions_along, Faces faces, const Spacing& spacing) {
  const Vec3 axis = axis_to - axis_from;
  if (axis.norm() == 0.0)
    throw base::InputError(fmt::format("panel '{}'", part.name), "its axis has no length", "give two different points");
  add_revolution(model, part, axis_from, axis_to, {start, start + axis, {}}, angle, divisions_around, divisions_along,
                 faces, spacing);
}

}  // namespace archway::model
