#include <cmath>

#include <fmt/format.h>

#include "archway/io/mesh_file.hpp"
#include "study_file/study_reader_detail.hpp"

namespace archway::io::detail {

namespace {
using model::Obstacle;

/// [[obstacles]]: rigid bodies in the way.
class ObstacleReader : SpotReader {
 public:
  explicit ObstacleReader(Reading& reading) : SpotReader(reading) {}

  study::ObstacleSpec read(TableReader& t) {
    study::ObstacleSpec o;
    o.place = t.place();
    o.body.name = t.text("name");
    body(t, o.body);
    o.on = t.texts("on");
    if (t.has("at")) o.at = spot(t, "at");
    o.by_nodes = t.choice("touches", {"face", "nodes"}, "face") == 1;
    if (t.has("contact_offset")) o.reach = t.number("contact_offset");
    if (o.reach && *o.reach < 0)
      t.complain(t.place("contact_offset"), fmt::format("the reach is {:g}", *o.reach), "give a length, zero or more");
    o.body.friction = read_friction(t);
    o.close_gaps = t.choice("initial_gaps", {"kept", "closed"}, "kept") == 1;
    o.overlap_is_free = t.choice("initial_penetration", {"refused", "stress-free"}, "refused") == 1;
    return o;
  }

 private:
  static double length(study::Keys& t, const std::string& key) {
    const double value = t.number(key);
    if (!(value > 0)) t.complain(t.place(key), fmt::format("'{}' is {:g}", key, value), "give a length above zero");
    return value;
  }
  static Vec3 direction(study::Keys& t, const std::string& key, const Vec3& way) {
    if (way.norm() > 0) return way.normalized();
    t.complain(t.place(key), "this direction has no length", "give a direction");
    return Vec3::UnitZ();
  }

  void body(TableReader& t, Obstacle& o) {
    int given = 0;
    for (const char* key : {"plane", "cylinder", "sphere", "file"}) given += t.has(key) ? 1 : 0;
    if (given != 1)
      t.complain(
          t.place(), fmt::format("obstacle '{}' is {}", o.name, given == 0 ? "no body" : "several bodies"),
          "give one of plane = { point = [..], normal = [..] }, cylinder = { axis = [[..], [..]], radius = .. }, "
          "sphere = { centre = [..], radius = .. }, file = \"file.stl\"");
    t.table("plane", "this plane", "plane = { point = [0, 0, 0], normal = [0, 0, 1] }", [&](study::Keys& b) {
      o.place = b.vector("point");
      o.axis = direction(b, "normal", b.vector("normal"));
    });
    t.table("cylinder", "this cylinder", "cylinder = { axis = [[..], [..]], radius = .. }", [&](study::Keys& b) {
      o.kind = Obstacle::Kind::cylinder;
      const auto [from, to] = b.two_points("axis");
      o.place = from;
      o.axis = direction(b, "axis", to - from);
      o.radius = length(b, "radius");
      o.inside = b.flag("inside", false);
    });
    t.table("sphere", "this sphere", "sphere = { centre = [..], radius = .. }", [&](study::Keys& b) {
      o.kind = Obstacle::Kind::sphere;
      o.place = b.vector("centre");
      o.radius = length(b, "radius");
      o.inside = b.flag("inside", false);
    });
    if (t.has("file")) surface(t, o);
  }

  /// Faces of four corners become two triangles.
  void surface(TableReader& t, Obstacle& o) {
    o.kind = Obstacle::Kind::surface;
    const std::string path = t.text("file");
    const double scale = t.number("scale", 1.0);
    const Vec3 shift = t.vector("move", Vec3(Vec3::Zero()));
    const bool rotated = t.flag("flip_normals", false);
    try {
      const auto mesh = read_mesh(reading_.beside(path));
      double all = 0;
      int flat = 0;
      for (const auto& e : mesh.shell_elements)
        for (std::size_t k = 2; k < static_cast<std::size_t>(e.corners()); ++k) {
          std::array<Vec3, 3> f;
          for (std::size_t i = 0; i < 3; ++i) {
            const std::size_t corner = i == 0 ? 0 : k - 2 + i;
            f[i] = scale * mesh.nodes[static_cast<std::size_t>(e.nodes[corner])] + shift;
          }
          if (rotated) std::swap(f[1], f[2]);
          const double area = (f[1] - f[0]).cross(f[2] - f[0]).norm();
          const double longest = std::max({(f[1] - f[0]).norm(), (f[2] - f[1]).norm(), (f[0] - f[2]).norm()});
          if (!(area > 1e-12 * longest * longest)) {
            ++flat;
            continue;
          }
          all += area;
          o.facets.push_back(f);
        }
      if (o.facets.empty() || !(all > 0))
        t.complain(t.place("file"), fmt::format("'{}' has no faces with an area", path), "give triangles or quads");
      o.degenerate = flat;
    } catch (const base::InputError& error) {
      for (const auto& c : error.complaints())
        t.complain(t.place("file"), (c.place.empty() ? "" : c.place + ": ") + c.problem, c.remedy);
    }
  }
};
}  // namespace

void read_obstacles(Reading& reading, TableReader& root, study::StudySpec& spec) {
  ObstacleReader reader(reading);
  root.each("obstacles", "this obstacle", [&](TableReader& t) { spec.obstacles.push_back(reader.read(t)); });
}

}  // namespace archway::io::detail
