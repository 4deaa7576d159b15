#include <algorithm>
#include <cmath>
#include <set>
#include <tuple>

#include <fmt/format.h>

#include "archway/io/mesh_file.hpp"
#include "archway/study/everyday.hpp"
#include "archway/study/yielding.hpp"
#include "study_file/study_reader_detail.hpp"

namespace archway::io::detail {

namespace {
class StructureReader : SpotReader {
 public:
  StructureReader(Reading& reading, const study::StudySpec& so_far) : SpotReader(reading) { spec_ = so_far; }

  study::StudySpec read(TableReader& root) {
    root.each_named("materials", "material", [&](const std::string& name, TableReader& t) { material(name, t); });
    root.each_named("profiles", "profile", [&](const std::string& name, TableReader& t) { profile(name, t); });
    read_laminates(root);
    root.each("members", "this member", [&](TableReader& t) { member(t); });
    root.each("bars", "this bar", [&](TableReader& t) { bar(t); });
    root.each("panels", "this panel", [&](TableReader& t) { panel(t); });
    root.each("solids", "this solid", [&](TableReader& t) { solid(t); });
    root.each("meshes", "this mesh", [&](TableReader& t) { mesh(t); });
    root.each("copies", "these copies", [&](TableReader& t) { copies(t); });
    return std::move(spec_);
  }

 private:
  void material(const std::string& name, TableReader& t) {
    study::MaterialSpec m;
    m.place = t.place();
    std::optional<double> modulus, ratio;
    if (t.has("preset")) {
      const auto& known = study::everyday_materials();
      const auto like = study::everyday_material(known[t.choice("preset", known, "")], spec_.units);
      m.material = *like;
      modulus = like->youngs_modulus, ratio = like->poisson_ratio;
    }
    m.material.name = name;
    m.material.youngs_modulus = t.number("youngs_modulus", modulus);
    m.material.poisson_ratio = t.number("poisson_ratio", ratio);
    m.material.density = t.number("density", m.material.density);
    m.material.yield_stress = t.number("yield_stress", 0.0);
    m.material.expansion = t.number("thermal_expansion", m.material.expansion);
    positive(t, "youngs_modulus", m.material.youngs_modulus);
    t.table("yielding", "'yielding'", "for instance { model = \"perfect\" }", [&](study::Keys& keys) {
      auto both = study::read_yielding(keys, m.material);
      m.flow = std::move(both.engineering), m.true_flow = std::move(both.true_stress);
      m.given_as_true = both.given_as_true;
    });
    spec_.materials.push_back(m);
  }

  /// All five strengths, or none.
  void strengths(TableReader& t, theory::Ply& p) {
    const std::vector<std::pair<const char*, double*>> keys = {{"tension_strength_1", &p.along_tension},
                                                               {"compression_strength_1", &p.along_compression},
                                                               {"tension_strength_2", &p.across_tension},
                                                               {"compression_strength_2", &p.across_compression},
                                                               {"shear_strength_12", &p.strength_shear}};
    bool any = false;
    for (const auto& [key, value] : keys) any = any || t.has(key);
    if (!any) return;
    for (const auto& [key, value] : keys) {
      *value = t.number(key);
      if (t.has(key) && !(*value > 0))
        reading_.complain(t.place(key), fmt::format("'{}' is {}", key, *value), "strengths are sizes, above zero");
    }
  }

  void read_laminates(TableReader& root) {
    std::map<std::string, theory::Ply> kinds;
    root.each_named("plies", "ply", [&](const std::string& name, TableReader& t) {
      theory::Ply p;
      p.youngs_along = t.number("youngs_modulus_1");
      p.youngs_across = t.number("youngs_modulus_2");
      p.poisson_ratio = t.number("poisson_ratio");
      p.shear_12 = t.number("shear_modulus_12");
      p.shear_13 = t.number("shear_modulus_13", p.shear_12);
      p.shear_23 = t.number("shear_modulus_23", p.shear_12);
      p.density = t.number("density", 0.0);
      strengths(t, p);
      kinds[name] = p;
    });
    root.each_named("laminates", "laminate", [&](const std::string& name, TableReader& t) {
      study::LaminateSpec l;
      l.place = t.place();
      l.name = name;
      t.each("layup", "this ply", [&](TableReader& p) {
        const std::string kind = p.text("ply");
        std::vector<std::string> names;
        for (const auto& [known, ply] : kinds) names.push_back(known);
        if (kinds.count(kind) == 0)
          reading_.complain(p.place(), fmt::format("there is no ply named '{}'", kind), base::suggestion(kind, names));
        auto ply = kinds[kind];
        ply.thickness = p.number("thickness");
        ply.angle_degrees = p.number("angle_deg", 0.0);
        l.plies.push_back(ply);
      });
      spec_.laminates.push_back(l);
    });
  }

  void profile(const std::string& name, TableReader& t) {
    study::ProfileSpec p;
    p.place = t.place();
    p.name = name;
    p.shape = t.text("shape");
    p.shear_flexible = t.flag("shear_deformation", true);
    p.fibres = t.whole("section_points", theory::kFibres);
    if (p.shape == "polyline") {
      polyline(t, p);
      spec_.profiles.push_back(p);
      return;
    }
    bool known = false;
    for (const auto& shape : theory::known_shapes())
      if (shape.name == p.shape) {
        known = true;
        for (const auto& dimension : shape.dimensions) {
          p.dimensions[dimension] = t.number(dimension);
          positive(t, dimension, p.dimensions[dimension]);
        }
        for (const auto& dimension : shape.optional)
          if (t.has(dimension)) p.dimensions[dimension] = t.number(dimension);
      }
    if (!known)  // the shape itself is complained about when the model is built; its dimensions are not to blame
      for (const auto& shape : theory::known_shapes())
        for (const auto* list : {&shape.dimensions, &shape.optional})
          for (const auto& dimension : *list) t.has(dimension);
    spec_.profiles.push_back(p);
  }

  void polyline(TableReader& t, study::ProfileSpec& p) {
    const auto rows = [&](const std::string& key, std::size_t width, const char* example) {
      std::vector<std::vector<double>> list;
      const auto* found = t.node(key);
      const auto* array = found == nullptr ? nullptr : found->as_array();
      bool good = array != nullptr && !array->empty();
      for (std::size_t i = 0; good && i < array->size(); ++i) {
        const auto* row = array->get(i)->as_array();
        good = row != nullptr && row->size() == width;
        list.emplace_back();
        for (std::size_t k = 0; good && k < width; ++k)
          list.back().push_back(reading_.number(*row->get(k), fmt::format("'{}'", key)).value_or(0));
      }
      if (!good) {
        reading_.complain(t.place(key), fmt::format("'{}' must be a list of lists of {} numbers", key, width), example);
        list.clear();
      }
      return list;
    };
    for (const auto& row : rows("points", 2, "for instance points = [[0, 0], [0, 80], [40, 80]]"))
      p.walls.points.emplace_back(row[0], row[1]);
    for (const auto& row :
         rows("walls", 3, "for instance walls = [[1, 2, 4], [2, 3, 4]]: from point, to point, thickness"))
      p.walls.walls.push_back({reading_.whole(row[0], t.place("walls"), "a point of a wall").value_or(1) - 1,
                               reading_.whole(row[1], t.place("walls"), "a point of a wall").value_or(1) - 1, row[2]});
  }

  void member(TableReader& t) {
    study::MemberSpec m;
    m.place = t.place();
    m.name = t.text("name");
    m.material = t.text("material");
    m.profile = t.text("profile");
    m.profile_end = t.text("profile_end", "");
    line(t, m.line);
    if (t.has("through")) {
      m.through = places(t, "through", 1);
      if (m.line.via)
        reading_.complain(t.place("through"), "'through' and 'via' cannot stand together",
                          "'via' bends the member into an arc, 'through' gives it corners");
    }
    m.elements = t.whole("elements", 8);
    if (t.has("buckling_curve")) {
      static const std::vector<std::string> kCurves = {"a0", "a", "b", "c", "d"};
      m.buckling_curve = kCurves[t.choice("buckling_curve", kCurves, "")];
    }
    if (t.choice("idealisation", {"line", "plates"}, "line") == 1) m.plates = t.whole("elements_across", 4);
    if (m.elements < 1 || m.plates < 0) reading_.complain(t.place(), "numbers of elements must be at least 1", "");
    m.up_given = t.has("up");
    if (m.up_given) m.up = t.vector("up");
    if (t.has("offset")) {
      const auto offset = numbers(t, "offset", 2);
      m.offset_y = offset[0], m.offset_z = offset[1];
    }
    m.warping = t.flag("warping", false);
    m.rigid = rigid(t);
    if (t.has("piece_of")) m.piece_of = t.text("piece_of");
    end(t, "start", m.start);
    end(t, "end", m.end);
    using Warping = study::MemberEnd::Warping;
    if (!m.warping && (m.start.warping != Warping::continuous || m.end.warping != Warping::continuous))
      reading_.complain(t.place(), "the member has no degree of freedom of warping to hold or to free at its ends",
                        "add warping = true");
    spec_.members.push_back(m);
  }

  model::Rigid rigid(TableReader& t) {
    model::Rigid r;
    for (const auto& word : t.texts("rigid")) {
      r.axial |= word == "axial" || word == "all";
      r.shear |= word == "shear" || word == "all";
      r.bending |= word == "bending" || word == "all";
      r.torsion |= word == "torsion" || word == "all";
      static const std::set<std::string> kWords = {"axial", "shear", "bending", "torsion", "all"};
      if (kWords.count(word) == 0)
        reading_.complain(t.place("rigid"), fmt::format("'rigid' has no '{}'", word),
                          "list what is kept rigid: \"axial\", \"shear\", \"bending\", \"torsion\", or \"all\"");
    }
    return r;
  }

  void line(TableReader& t, model::Line& line) {
    line.from = position(t, "from");
    line.to = position(t, "to");
    if (t.has("via")) line.via = position(t, "via");
  }

  void end(TableReader& t, const std::string& which, study::MemberEnd& e) {
    e.offset = t.vector("offset_" + which, Vec3(Vec3::Zero()));
    e.warping = static_cast<study::MemberEnd::Warping>(
        t.choice("warping_" + which, {"continuous", "free", "fixed"}, "continuous"));
    const std::string key = "release_" + which;
    const auto* found = t.node(key);
    if (found == nullptr) return;
    const auto* list = found->as_array();
    bool good = list != nullptr;
    for (std::size_t i = 0; good && i < list->size(); ++i) {
      const int dof = dof_of(list->get(i)->value_or(std::string()));
      good = dof >= 0 && dof < 6;
      if (good) e.released.push_back(dof);
    }
    if (!good)
      reading_.complain(t.place(key), fmt::format("'{}' must list degrees of freedom in the member's own axes", key),
                        "for instance [\"ry\", \"rz\"]: a hinge for both bendings; x is along the member");
  }

  std::vector<Vec3> places(TableReader& t, const std::string& key, std::size_t least) {
    std::vector<Vec3> list;
    const auto* found = t.node(key);
    const auto* array = found == nullptr ? nullptr : found->as_array();
    if (array == nullptr || array->size() < least) {
      reading_.complain(t.place(key), fmt::format("'{}' must list points", key),
                        "for instance [[0, 0, 0], [100, 0, 50]]");
      return list;
    }
    for (const auto& item : *array) {
      const auto name = item.value_exact<std::string>();
      const auto point = name ? spec_.points.find(*name) : spec_.points.end();
      list.push_back(point != spec_.points.end() ? point->second
                                                 : reading_.vector(item, "a point").value_or(Vec3::Zero()));
    }
    return list;
  }

  void mesh(TableReader& t) {
    study::MeshSpec m;
    m.place = t.place();
    m.file = t.text("file");
    m.scale = t.number("scale", 1.0);
    positive(t, "scale", m.scale);
    m.merge = t.number("merge_distance", 0.0);
    m.material = t.text("material", "");
    m.profile = t.text("profile", "");
    m.thickness = t.number("thickness", 0.0);
    if (const auto* parts = t.node("parts"); parts != nullptr && parts->is_table()) {
      TableReader all(reading_, *parts->as_table(), "'parts'");
      for (const auto& [key, value] : *parts->as_table()) {
        const std::string name(key.str());
        all.has(name);
        if (!value.is_table()) {
          reading_.complain(reading_.place(value), "a part of a mesh is described by a table",
                            "for instance web = { thickness = 3 }");
          continue;
        }
        TableReader one(reading_, *value.as_table(), "this part");
        if (one.has("thickness")) m.thicknesses[name] = one.number("thickness");
        if (one.has("material")) m.materials[name] = one.text("material");
        one.finish();
      }
    }
    try {
      if (!m.file.empty()) m.mesh = std::make_shared<model::Model>(read_mesh(reading_.beside(m.file)));
    } catch (const base::InputError& error) {
      for (const auto& c : error.complaints())
        reading_.complain(t.place("file"), (c.place.empty() ? "" : c.place + ": ") + c.problem, c.remedy);
    }
    if (m.mesh) spec_.meshes.push_back(m);
  }

  void copies(TableReader& t) {
    study::CopySpec c;
    c.place = t.place();
    c.of = t.texts("parts");
    if (!t.has("parts"))
      reading_.complain(t.place(), "'parts' must name the parts to copy", "for instance parts = [\"rib\", \"skin\"]");
    c.move = t.vector("move", Vec3(Vec3::Zero()));
    const auto table = [&](const char* key, const char* example, const auto& read) {
      const auto* found = t.node(key);
      if (found == nullptr) return;
      if (!found->is_table()) return reading_.complain(t.place(key), fmt::format("'{}' must be a table", key), example);
      TableReader r(reading_, *found->as_table(), fmt::format("'{}'", key));
      read(r);
      r.finish();
    };
    table("rotate", "{ axis = [[..], [..]], angle_deg = 30 }", [&](TableReader& r) {
      c.axis = two_points(r, "axis");
      c.angle_degrees = r.number("angle_deg");
    });
    table("mirror", "{ point = [0, 0, 0], normal = [1, 0, 0] }", [&](TableReader& r) {
      c.mirror = {position(r, "point"), position(r, "normal")};
    });
    if ((c.axis && c.axis->first == c.axis->second) || (c.mirror && c.mirror->second.isZero(0.0)))
      reading_.complain(t.place(), "the axis or the normal of these copies has no direction", "");
    if (!c.axis && !c.mirror && c.move.isZero(0.0))
      reading_.complain(t.place(), "these copies would lie where the original lies",
                        "add move = [..], rotate = {..} or mirror = {..}");
    c.count = t.whole("count", 1);
    if (c.count < 1) reading_.complain(t.place("count"), fmt::format("'count' is {}", c.count), "make at least one");
    if (t.has("thickness")) c.thickness = t.number("thickness");
    c.profile = t.text("profile", "");
    c.material = t.text("material", "");
    if (t.has("with")) {
      c.carry = t.texts("with");
      c.carry_all = c.carry == std::vector<std::string>{"all"};
      if (c.carry_all) c.carry.clear();
    }
    spec_.copies.push_back(c);
  }

  void bar(TableReader& t) {
    study::BarSpec b;
    b.place = t.place();
    b.name = t.text("name");
    b.material = t.text("material");
    b.profile = t.text("profile");
    line(t, b.line);
    b.elements = t.whole("elements", 1);
    b.tension_only = t.flag("tension_only", false);
    b.rigid = t.flag("inextensible", false);
    spec_.bars.push_back(b);
  }

  void panel(TableReader& t) {
    study::PanelSpec p;
    p.place = t.place();
    p.name = t.text("name");
    if (t.has("laminate")) {
      p.laminate = t.text("laminate");
      p.fibres = t.vector("fibre_direction");
    } else {
      p.material = t.text("material");
    }
    p.offset = t.number("offset", 0.0);
    p.layers = t.whole("thickness_points", p.layers);
    p.shear_flexible = t.flag("shear_deformation", true);
    const int nodes = element_nodes(t, {4, 3, 9});
    if (!p.shear_flexible && nodes == 3)
      reading_.complain(t.place("shear_deformation"), "three-node elements always have transverse shear deformation",
                        "use element_nodes = 4 or 9 for a thin plate");
    if (p.layers < 4 || p.layers > 32 || p.layers % 4 != 0)
      reading_.complain(t.place("thickness_points"), fmt::format("'thickness_points' is {}", p.layers),
                        "points through the thickness: 4, 8, 12 .. 32");
    p.faces = nodes == 3 ? model::Faces::three : nodes == 9 ? model::Faces::nine : model::Faces::four;
    p.surface = static_cast<study::Surface>(
        t.choice("form", {"rectangle", "cylinder", "revolution", "corners", "extrusion"}, "rectangle"));
    if (p.surface != study::Surface::extrusion && p.laminate.empty()) {
      p.thickness_at = t.field("thickness");
      if (!p.thickness_at) {
        p.thickness = t.number("thickness");
        positive(t, "thickness", p.thickness);
      }
    }
    if (p.surface == study::Surface::rectangle) {
      p.corner = position(t, "corner");
      p.along = t.vector("along");
      p.across = t.vector("across");
    } else if (p.surface == study::Surface::corners) {
      p.corners = places(t, "corners", 3);
    } else if (p.surface == study::Surface::extrusion) {
      p.profile = t.text("profile");
      line(t, p.line);
      p.up = t.vector("up", Vec3(Vec3::UnitZ()));
    } else {
      std::tie(p.axis_from, p.axis_to) = two_points(t, "axis");
      if (p.surface == study::Surface::cylinder) p.start = position(t, "start");
      if (p.surface == study::Surface::revolution) line(t, p.line);
      p.angle_degrees = t.number("angle_deg");
    }
    const auto d = divisions(t, 2, "[16, 8]: elements along (or around) and across");
    for (std::size_t i = 0; i < 2; ++i) p.divisions[i] = d[i];
    p.finer = finer(t, {"start", "end", "left", "right"});
    spec_.panels.push_back(p);
  }

  /// Number of nodes of an element: one of those offered; the first is the default.
  int element_nodes(TableReader& t, const std::vector<int>& offered) {
    const int nodes = t.whole("element_nodes", offered.front());
    if (std::find(offered.begin(), offered.end(), nodes) != offered.end()) return nodes;
    reading_.complain(t.place("element_nodes"), fmt::format("there is no element of {} nodes here", nodes),
                      fmt::format("use one of: {}", fmt::join(offered, ", ")));
    return offered.front();
  }

  std::vector<int> divisions(TableReader& t, std::size_t count, const char* example) {
    std::vector<int> d(count, 1);
    if (!t.has("divisions")) {
      reading_.complain(t.place(), fmt::format("this {} needs 'divisions'", count == 2 ? "panel" : "solid"),
                        fmt::format("add divisions = {}", example));
      return d;
    }
    const auto* list = t.node("divisions")->as_array();
    if (list == nullptr || list->size() != count) {
      reading_.complain(t.place("divisions"),
                        fmt::format("'divisions' must be {} whole numbers", count == 2 ? "two" : "three"),
                        fmt::format("for instance {}", count == 2 ? "[16, 8]" : "[16, 4, 2]"));
      return d;
    }
    for (std::size_t i = 0; i < count; ++i)
      d[i] = reading_
                 .whole(reading_.number(*list->get(i), "'divisions'").value_or(NAN), reading_.place(*list->get(i)),
                        "a number of divisions")
                 .value_or(1);
    return d;
  }

  std::vector<study::Finer> finer(TableReader& t, const std::vector<std::string>& sides) {
    std::vector<study::Finer> list;
    t.each("grading", "this refinement", [&](TableReader& f) {
      study::Finer one;
      one.towards = sides[f.choice("towards", sides, "")];
      one.times = f.number("ratio");
      if (!(one.times >= 1))
        reading_.complain(f.place("ratio"), fmt::format("'ratio' is {}", one.times),
                          "say how many times smaller the elements there are than the largest, for instance 4");
      else
        list.push_back(one);
    });
    return list;
  }

  void solid(TableReader& t) {
    study::SolidSpec s;
    s.place = t.place();
    s.name = t.text("name");
    s.material = t.text("material");
    s.body = t.choice("body", {"block", "tube"}, "block") == 0 ? study::Body::block : study::Body::tube;
    s.quadratic = element_nodes(t, {8, 20}) == 20;
    if (s.body == study::Body::block) {
      s.corner = position(t, "corner");
      s.along = t.vector("along");
      s.across = t.vector("across");
      s.up = t.vector("up");
    } else {
      std::tie(s.axis_from, s.axis_to) = two_points(t, "axis");
      s.start = position(t, "start");
      s.wall = t.number("wall_thickness");
      positive(t, "wall_thickness", s.wall);
      s.angle_degrees = t.number("angle_deg", 360.0);
    }
    const auto d = divisions(t, 3, "[16, 4, 2]: along, across, up (tube: around, along the axis, through the wall)");
    for (std::size_t i = 0; i < 3; ++i) s.divisions[i] = d[i];
    s.finer = finer(t, {"start", "end", "left", "right", "bottom", "top"});
    spec_.solids.push_back(s);
  }
};
}  // namespace

void read_structure(Reading& reading, TableReader& root, study::StudySpec& spec) {
  spec = StructureReader(reading, spec).read(root);
}

}  // namespace archway::io::detail
