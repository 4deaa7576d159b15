#include <algorithm>
#include <cmath>

#include "archway/elements/line_geometry.hpp"
#include "archway/model/mesh_lines.hpp"
#include "build/build_model_detail.hpp"

namespace archway::study::detail {

void StructureBuilder::materials_and_profiles() {
  for (const auto& m : spec_.materials) model_.materials.push_back(m.material);
  for (const auto& p : spec_.profiles) at(p.place, [&] { add_profile(p, p.name, p.dimensions); });
  for (const auto& l : spec_.laminates) at(l.place, [&] { add_laminate(l); });
}

/// A laminate and a material of its mean shear stiffness and mass, for what asks for one.
void StructureBuilder::add_laminate(const LaminateSpec& l) {
  const auto stiffness = theory::laminate_stiffness(l.plies);
  model_.laminates.push_back({l.name, stiffness.membrane, stiffness.coupling, stiffness.bending, stiffness.shear});
  model::Material mean;
  mean.name = "laminate " + l.name;
  mean.poisson_ratio = 0.3;
  mean.youngs_modulus = 2 * (1 + mean.poisson_ratio) * stiffness.membrane(2, 2) / stiffness.thickness;
  mean.density = stiffness.density;
  model_.materials.push_back(mean);
}

model::Part StructureBuilder::wall_of(const PanelSpec& p) {
  model::Part part =
      part_of(p.name, model::PartKind::panel, p.laminate.empty() ? p.material : "laminate " + p.laminate, p.place);
  part.thickness = p.thickness;
  part.layers = p.layers;
  part.rigid.shear = !p.shear_flexible;
  if (p.laminate.empty()) return part;
  for (std::size_t k = 0; k < spec_.laminates.size(); ++k) {
    if (spec_.laminates[k].name != p.laminate) continue;
    part.laminate = static_cast<int>(k);
    for (const auto& ply : spec_.laminates[k].plies) part.thickness += ply.thickness;
  }
  part.fibres = p.fibres;
  if (p.faces != model::Faces::nine)
    complain(p.place, fmt::format("panel '{}' is a laminate, which only nine-node elements can be", p.name),
             "add element_nodes = 9");
  return part;
}

void StructureBuilder::add_profile(const ProfileSpec& p, const std::string& name,
                                   const std::map<std::string, double>& dimensions) {
  auto profile = to_profile(name, section_of(p, dimensions));
  if (p.shape == "given" && name == p.name && profile.shear_area_y == 5. / 6 * profile.area &&
      profile.shear_area_z == 5. / 6 * profile.area && p.shear_flexible)
    model_.remarks.push_back(
        fmt::format("profile '{}' gives no shear areas: five sixths of its area are taken, as for a "
                    "rectangle (shear_deformation = false: no shear deformation)",
                    p.name));
  model_.profiles.push_back(std::move(profile));
}

model::Part StructureBuilder::part_of(const std::string& name, model::PartKind kind, const std::string& material,
                                      const SourceLocation& place) {
  model::Part part;
  part.name = name;
  part.kind = kind;
  part.material = index_in(model_.materials, material, place, "material");
  return part;
}

void StructureBuilder::parts() {
  for (const auto& m : spec_.members) add_member(m);
  for (const auto& b : spec_.bars) {
    model::Part part = part_of(b.name, model::PartKind::bar, b.material, b.place);
    part.profile = index_in(model_.profiles, b.profile, b.place, "profile");
    part.tension_only = b.tension_only;
    part.rigid.axial = b.rigid;
    at(b.place, [&] { model::add_bar(model_, part, b.line, b.elements); });
  }
  const auto spacings = panel_spacings();
  for (std::size_t p = 0; p < spec_.panels.size(); ++p) add_panel(spec_.panels[p], spacings[p]);
  for (const auto& s : spec_.solids) add_solid(s);
  for (const auto& m : spec_.meshes) add_mesh(m);
}

/// What a member and its profile keep rigid.
model::Rigid StructureBuilder::rigidity_of(const MemberSpec& m) {
  model::Rigid rigid = m.rigid;
  for (const auto& p : spec_.profiles) rigid.shear |= p.name == m.profile && !p.shear_flexible;
  if (rigid.any() && m.plates > 0)
    complain(m.place, fmt::format("member '{}' is made of plates and cannot be kept rigid", m.name),
             "model it as a line");
  return rigid;
}

/// What is rigid does not yield: the same material, elastic, for members that share one that does.
int StructureBuilder::without_yield(const MemberSpec& m, int material) {
  if (material < 0 || material >= static_cast<int>(spec_.materials.size()) ||
      !spec_.materials[static_cast<std::size_t>(material)].flow.flows())
    return material;
  model_.remarks.push_back(fmt::format("member '{}' is rigid and does not yield", m.name));
  model::Material elastic = model_.materials[static_cast<std::size_t>(material)];
  elastic.name += ", elastic";
  elastic.yield_stress = 0;
  for (std::size_t k = spec_.materials.size(); k < model_.materials.size(); ++k)
    if (model_.materials[k].name == elastic.name) return static_cast<int>(k);
  model_.materials.push_back(std::move(elastic));
  return static_cast<int>(model_.materials.size()) - 1;
}

void StructureBuilder::add_member(const MemberSpec& m) {
  model::Part part = part_of(m.name, model::PartKind::member, m.material, m.place);
  part.profile = index_in(model_.profiles, m.profile, m.place, "profile");
  part.up = m.up;
  part.offset_y = m.offset_y;
  part.offset_z = m.offset_z;
  part.warping = m.warping;
  part.rigid = rigidity_of(m);
  if (part.rigid.axial || part.rigid.bending) part.material = without_yield(m, part.material);
  if (m.warping && part.profile >= 0 && model_.profiles[static_cast<std::size_t>(part.profile)].warping_constant <= 0)
    complain(m.place, fmt::format("member '{}' asks for warping, but profile '{}' does not warp", m.name, m.profile),
             "leave warping out: solid sections, tubes and walls through one point twist without it");
  if (!m.buckling_curve.empty() && part.material >= 0 &&
      !(model_.materials[static_cast<std::size_t>(part.material)].yield_stress > 0))
    complain(m.place, fmt::format("member '{}' has a buckling curve, but '{}' has no yield stress", m.name, m.material),
             "give the material a yield_stress");
  if (m.plates > 0) return add_plates(m, part);
  std::vector<model::Line> lines = {m.line};
  if (!m.through.empty()) {
    lines = {{m.line.from, m.through.front(), {}}};
    for (std::size_t k = 0; k + 1 < m.through.size(); ++k) lines.push_back({m.through[k], m.through[k + 1], {}});
    lines.push_back({m.through.back(), m.line.to, {}});
  }
  lines.front().from += m.start.offset;
  lines.back().to += m.end.offset;
  const std::size_t first = model_.line_elements.size();
  at(m.place, [&] { model::add_member(model_, part, lines, m.elements); });
  if (!m.profile_end.empty()) taper(m, part.profile, first);
}

std::vector<model::ProfileWall> StructureBuilder::walls_of(const std::string& profile, const SourceLocation& place) {
  std::vector<model::ProfileWall> walls;
  for (const auto& p : spec_.profiles) {
    if (p.name != profile) continue;
    at(p.place, [&] {
      const auto drawn = section_of(p, p.dimensions).walls;
      for (const auto& w : drawn.walls)
        walls.push_back({drawn.points[static_cast<std::size_t>(w.from)], drawn.points[static_cast<std::size_t>(w.to)],
                         w.thickness});
    });
    if (walls.empty())
      complain(place, fmt::format("profile '{}' has no walls to make plates of", profile),
               "solid, round and given sections stay lines; use a solid, a cylinder or a polyline");
    return walls;
  }
  index_in(spec_.profiles, profile, place, "profile");
  return walls;
}

void StructureBuilder::add_plates(const MemberSpec& m, model::Part part) {
  const bool plain = m.through.empty() && m.profile_end.empty() && m.start.released.empty() && m.end.released.empty() &&
                     m.start.offset.isZero(0.0) && m.end.offset.isZero(0.0) && m.offset_y == 0 && m.offset_z == 0;
  if (!plain)
    return complain(m.place, fmt::format("member '{}' cannot be modelled with plates as it is", m.name),
                    "omit corners, tapers, releases and offsets, or model it as a line");
  const auto walls = walls_of(m.profile, m.place);
  if (walls.empty()) return;
  const auto words = [&](const MemberEnd& end) {
    return !m.warping || end.warping == MemberEnd::Warping::fixed ? "fixed"
           : end.warping == MemberEnd::Warping::free              ? "free"
                                                                  : "continuous";
  };
  model_.remarks.push_back(fmt::format(
      "member '{}' of plates: end sections keep their shape; warping is {} at the start and {} at the end{}", m.name,
      words(m.start), words(m.end), m.warping ? "" : " (warping = true lets sections warp)"));
  part.warping = false;
  part.profile = -1;
  at(m.place, [&] { model::add_extrusion(model_, part, walls, m.line, m.up, m.elements, m.plates); });
}

void StructureBuilder::taper(const MemberSpec& m, int start, std::size_t first) {
  const int end = index_in(model_.profiles, m.profile_end, m.place, "profile");
  if (start < 0 || end < 0) return;
  const ProfileSpec &a = spec_.profiles[static_cast<std::size_t>(start)],
                    &b = spec_.profiles[static_cast<std::size_t>(end)];
  if (a.shape != b.shape || a.shape == "polyline" || a.dimensions.size() != b.dimensions.size())
    return complain(m.place,
                    fmt::format("member '{}' cannot taper from '{}' to '{}'", m.name, m.profile, m.profile_end),
                    "both must be of one shape, with the same dimensions given, and not polylines");
  const auto count = static_cast<double>(model_.line_elements.size() - first);
  const auto section = [&](double s) {  // its number; -1: it cannot be, which is reported
    auto dimensions = a.dimensions;
    for (auto& [key, value] : dimensions) value += s * (b.dimensions.at(key) - value);
    int number = -1;
    at(m.place, [&] {
      add_profile(a, fmt::format("{} at {:.3f}", m.name, s), dimensions);
      number = static_cast<int>(model_.profiles.size()) - 1;
    });
    return number;
  };
  int last = start;
  for (std::size_t e = first; e < model_.line_elements.size(); ++e) {
    auto& element = model_.line_elements[e];
    const auto before = static_cast<double>(e - first);
    for (std::size_t g = 0; g < 3; ++g)
      element.profiles[g] = section((before + elements::line_gauss_places()[g]) / count);
    element.end_profiles = {last, e + 1 == model_.line_elements.size() ? end : section((before + 1) / count)};
    last = element.end_profiles[1];
  }
}

namespace {
/// Lines between two sides that may both be finer.
std::vector<double> lines_between(const std::vector<Finer>& finer, int divisions, const char* first, const char* last) {
  double at_first = 1, at_last = 1;
  for (const auto& f : finer) {
    if (f.towards == first) at_first = f.times;
    if (f.towards == last) at_last = f.times;
  }
  return at_first == 1 && at_last == 1 ? std::vector<double>() : model::graded_lines(divisions, at_first, at_last);
}

/// The two parts are bonded to each other, so that their meshes need not match.
bool bonded(const StudySpec& spec, const std::string& one, const std::string& other) {
  const auto pair = [&](const BondSpec& b, const std::string& follow, const std::string& lead) {
    const auto names = [&](const model::Selection& s) {
      return s.group.empty() || s.group == follow || s.group.rfind(follow + ".", 0) == 0;
    };
    const auto& any = b.follow.selection.any;
    return b.to == lead && (any.empty() ? names(b.follow.selection) : std::any_of(any.begin(), any.end(), names));
  };
  return std::any_of(spec.bonds.begin(), spec.bonds.end(),
                     [&](const BondSpec& b) { return pair(b, one, other) || pair(b, other, one); });
}
}  // namespace

/// Flat panels with four sides are matched where they meet, but for pairs that are bonded and those with lines of their
/// own.
std::vector<model::Spacing> StructureBuilder::panel_spacings() {
  std::vector<model::Spacing> spacings(spec_.panels.size());
  std::vector<model::FourSided> matched;
  std::vector<std::size_t> which;
  double size = 0;
  for (std::size_t k = 0; k < spec_.panels.size(); ++k) {
    const auto& p = spec_.panels[k];
    spacings[k] = {lines_between(p.finer, p.divisions[0], "start", "end"),
                   lines_between(p.finer, p.divisions[1], "left", "right")};
    model::FourSided panel;
    if (p.surface == Surface::rectangle)
      panel.corners = {p.corner, p.corner + p.along, p.corner + p.along + p.across, p.corner + p.across};
    else if (p.surface == Surface::corners && p.corners.size() == 4)
      panel.corners = {p.corners[0], p.corners[1], p.corners[2], p.corners[3]};
    else
      continue;
    panel.divisions = {p.divisions[0], p.divisions[1]};
    if (!p.finer.empty() || p.divisions[0] < 1 || p.divisions[1] < 1) continue;
    for (const auto& c : panel.corners) size = std::max(size, (c - panel.corners[0]).norm());
    matched.push_back(panel);
    which.push_back(k);
  }
  std::set<std::pair<std::size_t, std::size_t>> apart;
  for (std::size_t i = 0; i < which.size(); ++i)
    for (std::size_t k = 0; k < i && !spec_.bonds.empty(); ++k)
      if (bonded(spec_, spec_.panels[which[i]].name, spec_.panels[which[k]].name)) apart.insert({k, i});
  const auto lines = model::matching_lines(matched, 1e-6 * size, apart);
  for (std::size_t i = 0; i < which.size(); ++i) spacings[which[i]] = lines[i];
  return spacings;
}

/// Thickness by place, in the middle of each element; the part has the least.
void StructureBuilder::vary_thickness(const PanelSpec& p, std::size_t first) {
  if (first == model_.shell_elements.size()) return;
  double least = HUGE_VAL;
  Vec3 place = Vec3::Zero();
  std::vector<double> own;
  for (std::size_t e = first; e < model_.shell_elements.size(); ++e) {
    const Vec3 middle = model_.middle(model_.shell_elements[e]);
    own.push_back(p.thickness_at(middle));
    if (!std::isfinite(own.back())) own.back() = -1;
    if (own.back() < least) least = own.back(), place = middle;
  }
  if (!(least > 0))
    return complain(p.place,
                    fmt::format("the thickness of panel '{}' is not above zero at ({:.6g}, {:.6g}, {:.6g})", p.name,
                                place.x(), place.y(), place.z()),
                    "see to the expression: x, y and z are those of the middle of an element");
  model_.parts[static_cast<std::size_t>(model_.shell_elements[first].part)].thickness = least;
  for (std::size_t e = first; e < model_.shell_elements.size(); ++e)
    model_.shell_elements[e].thicker = own[e - first] - least;
}

void StructureBuilder::add_panel(const PanelSpec& p, const model::Spacing& spacing) {
  model::Part part = wall_of(p);
  part.offset_z = p.offset;
  if (p.surface != Surface::extrusion && !p.thickness_at && !(part.thickness > 0))
    complain(p.place, fmt::format("the thickness of panel '{}' is {}", p.name, p.thickness), "it must be above zero");
  if (p.surface == Surface::cylinder)
    if (const Vec3 axis = p.axis_to - p.axis_from; axis.norm() > 0)
      if (const double off = axis.normalized().dot(p.start - p.axis_from); std::abs(off) > 1e-6 * axis.norm())
        return complain(
            p.place,
            fmt::format("panel '{}' begins at 'start', which lies {:.6g} {} along the axis from its first point: "
                        "it would end as far beyond the second point",
                        p.name, off, spec_.units.length),
            "give 'start' at the height of the first point of 'axis', where the cylinder begins");
  const double angle = p.angle_degrees * M_PI / 180;
  const std::size_t first = model_.shell_elements.size();
  if (p.thickness_at) part.thickness = 1;  // until its elements are there
  at(p.place, [&] {
    if (p.surface == Surface::rectangle)
      model::add_rectangle(model_, part, p.corner, p.along, p.across, p.divisions[0], p.divisions[1], p.faces, spacing);
    else if (p.surface == Surface::corners)
      model::add_corners(model_, part, p.corners, p.divisions[0], p.divisions[1], p.faces, spacing);
    else if (p.surface == Surface::extrusion)
      model::add_extrusion(model_, part, walls_of(p.profile, p.place), p.line, p.up, p.divisions[0], p.divisions[1],
                           p.faces);
    else if (p.surface == Surface::cylinder)
      model::add_cylinder_strip(model_, part, p.axis_from, p.axis_to, p.start, angle, p.divisions[0], p.divisions[1],
                                p.faces, spacing);
    else
      model::add_revolution(model_, part, p.axis_from, p.axis_to, p.line, angle, p.divisions[0], p.divisions[1],
                            p.faces, spacing);
  });
  if (p.thickness_at) vary_thickness(p, first);
  if (p.flipped)
    for (std::size_t e = first; e < model_.shell_elements.size(); ++e) model::flip(model_.shell_elements[e]);
}

void StructureBuilder::add_solid(const SolidSpec& s) {
  const model::Part part = part_of(s.name, model::PartKind::solid, s.material, s.place);
  const bool block = s.body == Body::block;
  const Vec3 axis = s.axis_to - s.axis_from;
  if (block && std::abs(s.along.cross(s.across).dot(s.up)) <= 1e-9 * s.along.norm() * s.across.norm() * s.up.norm())
    return complain(s.place, fmt::format("the sides of solid '{}' span no volume", s.name),
                    "give 'along', 'across' and 'up' that do not lie in one plane");
  const Vec3 arm = block ? Vec3(Vec3::UnitX()) : Vec3(s.start - s.axis_from);
  const Vec3 out = block ? arm : Vec3(arm - arm.dot(axis) / axis.squaredNorm() * axis);
  if (!block && (axis.norm() == 0.0 || !(out.norm() > 1e-9 * axis.norm()) || !(s.angle_degrees > 0) ||
                 s.angle_degrees > 360 + 1e-9))
    return complain(
        s.place, fmt::format("tube '{}' has no axis, no inner radius or no angle", s.name),
        "the points of 'axis' must differ, 'start' must lie off the axis, 'angle_deg' must be above 0 and at most 360");
  if (!block)
    if (const double off = axis.normalized().dot(arm); std::abs(off) > 1e-6 * axis.norm())
      return complain(
          s.place,
          fmt::format("tube '{}' begins at 'start', which lies {:.6g} {} along the axis from its first point", s.name,
                      off, spec_.units.length),
          "give 'start' at the height of the first point of 'axis', where the tube begins");
  at(s.place, [&] {
    const std::array<std::vector<double>, 3> lines = {lines_between(s.finer, s.divisions[0], "start", "end"),
                                                      lines_between(s.finer, s.divisions[1], "left", "right"),
                                                      lines_between(s.finer, s.divisions[2], "bottom", "top")};
    model::add_body(model_, part, s.divisions, !block && s.angle_degrees > 360 - 1e-7, s.quadratic,
                    [&](double even_a, double even_b, double even_c) -> Vec3 {
                      const double a = model::along_lines(lines[0], even_a), b = model::along_lines(lines[1], even_b),
                                   c = model::along_lines(lines[2], even_c);
                      if (block) return s.corner + a * s.along + b * s.across + c * s.up;
                      const Eigen::AngleAxisd rotation(a * s.angle_degrees * M_PI / 180, axis.normalized());
                      return s.axis_from + rotation * (arm + c * s.wall * out.normalized()) + b * axis;
                    });
  });
}

void StructureBuilder::add_mesh(const MeshSpec& m) {
  model::Model mesh = *m.mesh;
  for (auto& x : mesh.nodes) x *= m.scale;
  if (m.merge > 0) model::merge_coincident_nodes(mesh, m.merge);
  const int nodes = model_.node_count(), parts = static_cast<int>(model_.parts.size());
  for (auto part : mesh.parts) {
    if (part_index(part.name) >= 0)
      complain(m.place, fmt::format("part '{}' of the mesh has the name of another part", part.name),
               "rename one of them");
    const auto material = m.materials.find(part.name);
    part.material =
        index_in(model_.materials, material == m.materials.end() ? m.material : material->second, m.place, "material");
    const auto thickness = m.thicknesses.find(part.name);
    part.thickness = thickness == m.thicknesses.end() ? m.thickness : thickness->second;
    if (part.kind == model::PartKind::panel && !(part.thickness > 0))
      complain(m.place, fmt::format("part '{}' of the mesh has no thickness", part.name),
               "add thickness = .., for all its panels or under parts");
    if (part.kind == model::PartKind::bar) part.profile = index_in(model_.profiles, m.profile, m.place, "profile");
    model_.parts.push_back(part);
  }
  const auto shifted = [&](auto list, auto& into) {
    for (auto& e : list) {
      for (int& n : e.nodes) n += nodes;
      e.part += parts;
      into.push_back(e);
    }
  };
  shifted(mesh.shell_elements, model_.shell_elements);
  shifted(mesh.solid_elements, model_.solid_elements);
  shifted(mesh.bar_elements, model_.bar_elements);
  model_.nodes.insert(model_.nodes.end(), mesh.nodes.begin(), mesh.nodes.end());
  for (const auto& [name, list] : mesh.groups)
    for (const int n : list) model_.groups[name].push_back(n + nodes);
}

}  // namespace archway::study::detail
