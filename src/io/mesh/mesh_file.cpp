#include "archway/io/mesh_file.hpp"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <fstream>
#include <set>
#include <sstream>

#include "archway/io/vtu.hpp"
#include "archway/model/mesh.hpp"
#include "files/read_file_detail.hpp"
#include "mesh/mesh_reader_detail.hpp"

namespace archway::io {

using detail::bad_mesh;

namespace {
std::string content_of(const std::string& path) {
  constexpr std::size_t most = std::size_t{2} << 30;
  return detail::read_file(path, "mesh file", most, "check the path");
}

std::string stem_of(const std::string& path) {
  return path.substr(0, path.size() - 4);
}

std::string listed_name(const model::Model& m, int part) {
  return m.parts[static_cast<std::size_t>(part)].name;
}

/// Panels of a part after the other, as formats with groups want them.
template <class Use>
void by_part(const model::Model& m, const Use& use) {
  for (std::size_t p = 0; p < m.parts.size(); ++p) {
    std::vector<const model::ShellElement*> own;
    for (const auto& e : m.shell_elements)
      if (e.part == static_cast<int>(p)) own.push_back(&e);
    if (!own.empty()) use(m.parts[p].name, own);
  }
}

void panels_only(const model::Model& m, const char* format, bool nine) {
  if (!m.solid_elements.empty() || !m.line_elements.empty() || !m.bar_elements.empty())
    throw base::InputError("", fmt::format("{} holds panels only", format), "write .vtu or .csv");
  for (const auto& e : m.shell_elements)
    if (e.count == 9 && !nine)
      throw base::InputError("", fmt::format("{} holds faces of three and four corners only", format),
                             "write .vtu or .csv");
}

std::string obj_text(const model::Model& m) {
  panels_only(m, "OBJ", false);
  std::string out = "# made by archway\n";
  for (const auto& x : m.nodes) out += fmt::format("v {:.17g} {:.17g} {:.17g}\n", x.x(), x.y(), x.z());
  by_part(m, [&](const std::string& name, const auto& elements) {
    out += fmt::format("g {}\n", name);
    for (const auto* e : elements) {
      out += "f";
      for (const int n : *e) out += fmt::format(" {}", n + 1);
      out += "\n";
    }
  });
  return out;
}

std::string ply_text(const model::Model& m) {
  panels_only(m, "PLY", false);
  std::string out = fmt::format(
      "ply\nformat binary_little_endian 1.0\ncomment made by archway\nelement vertex {}\nproperty double x\nproperty "
      "double y\nproperty double "
      "z\n"
      "element face {}\nproperty list uchar int vertex_indices\nproperty int part\nend_header\n",
      m.nodes.size(), m.shell_elements.size());
  const auto put = [&](const auto& value) { out.append(reinterpret_cast<const char*>(&value), sizeof value); };
  for (const auto& x : m.nodes)
    for (int k = 0; k < 3; ++k) put(x[k]);
  for (const auto& e : m.shell_elements) {
    put(static_cast<std::uint8_t>(e.count));
    for (const int n : e) put(static_cast<std::int32_t>(n));
    put(static_cast<std::int32_t>(e.part));
  }
  return out;
}

std::string stl_text(const model::Model& m) {
  panels_only(m, "STL", false);
  std::string out;
  by_part(m, [&](const std::string& name, const auto& elements) {
    out += fmt::format("solid {}\n", name);
    for (const auto* e : elements)
      for (std::size_t k = 1; k + 1 < static_cast<std::size_t>(e->count); ++k) {
        const auto x = [&](std::size_t i) { return m.nodes[static_cast<std::size_t>(e->nodes[i])]; };
        const base::Vec3 normal = (x(k) - x(0)).cross(x(k + 1) - x(0)).normalized();
        out += fmt::format("facet normal {:.9g} {:.9g} {:.9g}\nouter loop\n", normal.x(), normal.y(), normal.z());
        for (const std::size_t i : {std::size_t{0}, k, k + 1})
          out += fmt::format("vertex {:.17g} {:.17g} {:.17g}\n", x(i).x(), x(i).y(), x(i).z());
        out += "endloop\nendfacet\n";
      }
    out += fmt::format("endsolid {}\n", name);
  });
  return out;
}

std::string vtu_text(const model::Model& m) {
  VtuField part{"part", 1, {}};
  for (const auto& e : m.shell_elements) part.values.push_back(e.part);
  for (const auto& e : m.line_elements) part.values.insert(part.values.end(), 3, e.part);
  for (const auto& e : m.bar_elements) part.values.push_back(e.part);
  for (const auto& e : m.solid_elements) part.values.push_back(e.part);
  std::string text = vtu(m, {}, {part}), codes;
  for (const auto& p : m.parts) {
    for (const char c : p.name) codes += fmt::format("{} ", static_cast<int>(c));
    codes += "0 ";
  }
  const std::string grid = "<UnstructuredGrid>\n";
  text.insert(text.find(grid) + grid.size(),
              fmt::format("<FieldData>\n<Array type=\"String\" Name=\"part names\" NumberOfTuples=\"{}\" "
                          "format=\"ascii\">{}</Array>\n</FieldData>\n",
                          m.parts.size(), codes));
  return text;
}
}  // namespace

MeshFormat mesh_format(const std::string& path) {
  static const std::map<std::string, MeshFormat> endings = {{".vtu", MeshFormat::vtu},
                                                            {".obj", MeshFormat::obj},
                                                            {".ply", MeshFormat::ply},
                                                            {".stl", MeshFormat::stl},
                                                            {".csv", MeshFormat::csv}};
  const auto found = endings.find(path.size() > 4 ? path.substr(path.size() - 4) : "");
  if (found == endings.end())
    throw base::InputError(path, "this ending is of no mesh format that is read or written",
                           "use .vtu, .obj, .ply, .stl or .csv (for the pair NAME-nodes.csv, NAME-elements.csv)");
  return found->second;
}

model::Model parse_mesh(const std::string& content, MeshFormat format, const std::string& file) {
  switch (format) {
    case MeshFormat::vtu:
      return detail::read_vtu(content, file);
    case MeshFormat::obj:
      return detail::read_obj(content, file);
    case MeshFormat::ply:
      return detail::read_ply(content, file);
    case MeshFormat::stl:
      return detail::read_stl(content, file);
    case MeshFormat::csv:
      break;
  }
  throw base::InputError(file, "a CSV mesh is a pair of files", "read nodes and elements");
}

model::Model parse_mesh_csv(const std::string& nodes, const std::string& elements, const std::string& file) {
  detail::MeshMaker maker(file);
  detail::Lines places(nodes, file + "-nodes.csv"), list(elements, file + "-elements.csv");
  std::string_view line;
  bool first = true;
  while (places.next(line)) {
    const auto w = detail::words_of(line, " \t\r,;");
    const bool head = std::exchange(first, false) && !w.empty() && !detail::number_in<double>(w[0]);
    if (w.empty() || head) continue;
    if (w.size() != 3) places.bad(fmt::format("{} numbers, not three", w.size()), "write x,y,z");
    maker.mesh.nodes.emplace_back(places.coordinate(w[0]), places.coordinate(w[1]), places.coordinate(w[2]));
  }
  first = true;
  std::vector<int> own;
  while (list.next(line)) {
    const auto w = detail::words_of(line, " \t\r,;");
    const bool head = std::exchange(first, false) && w.size() > 1 && !detail::number_in<long>(w[1]);
    if (w.empty() || head) continue;
    own.clear();
    for (std::size_t k = 1; k < w.size(); ++k) {
      const long n = list.whole(w[k]);
      if (n < 1 || n > maker.mesh.node_count())
        list.bad(fmt::format("node {} does not exist ({} are given)", n, maker.mesh.node_count()),
                 "nodes count from 1");
      own.push_back(static_cast<int>(n - 1));
    }
    if (!maker.add(own, std::string(w[0]), own.size() == 8 || own.size() == 20))
      list.bad(fmt::format("an element of {} nodes", own.size()),
               "2: bar, 3, 4, 9: panel, 8, 20: solid; write part,node,node,...");
  }
  return maker.finish();
}

model::Model read_mesh(const std::string& path) {
  const auto format = mesh_format(path);
  if (format != MeshFormat::csv) return parse_mesh(content_of(path), format, path);
  const std::string stem = stem_of(path);
  return parse_mesh_csv(content_of(stem + "-nodes.csv"), content_of(stem + "-elements.csv"), stem);
}

std::string mesh_text(const model::Model& model, MeshFormat format) {
  switch (format) {
    case MeshFormat::vtu:
      return vtu_text(model);
    case MeshFormat::obj:
      return obj_text(model);
    case MeshFormat::ply:
      return ply_text(model);
    case MeshFormat::stl:
      return stl_text(model);
    case MeshFormat::csv:
      break;
  }
  throw base::InputError("", "a CSV mesh is a pair of files", "write nodes and elements");
}

std::pair<std::string, std::string> mesh_csv(const model::Model& m) {
  std::string nodes = "x,y,z\n", elements = "part,nodes\n";
  for (const auto& x : m.nodes) nodes += fmt::format("{:.17g},{:.17g},{:.17g}\n", x.x(), x.y(), x.z());
  const auto add = [&](const int* first, const int* last, int part) {
    elements += listed_name(m, part);
    for (; first != last; ++first) elements += fmt::format(",{}", *first + 1);
    elements += "\n";
  };
  for (const auto& e : m.shell_elements) add(e.begin(), e.end(), e.part);
  for (const auto& e : m.line_elements)
    for (std::size_t k = 0; k < 3; ++k) add(&e.nodes[k], &e.nodes[k] + 2, e.part);
  for (const auto& e : m.bar_elements) add(e.nodes.data(), e.nodes.data() + 2, e.part);
  for (const auto& e : m.solid_elements) add(e.begin(), e.end(), e.part);
  return {nodes, elements};
}

void write_mesh(const std::string& path, const model::Model& model) {
  const auto format = mesh_format(path);
  const auto write = [](const std::string& name, const std::string& text) {
    std::ofstream file(name, std::ios::binary);
    file << text;
    file.close();
    if (!file)
      throw base::InputError(name, "the file cannot be written", "check that the folder exists and may be written");
  };
  if (format != MeshFormat::csv) return write(path, mesh_text(model, format));
  const auto [nodes, elements] = mesh_csv(model);
  write(stem_of(path) + "-nodes.csv", nodes);
  write(stem_of(path) + "-elements.csv", elements);
}

namespace {
void look_at_shape(const model::Model& m, int element, MeshReport& report) {
  const auto& e = m.shell_elements[static_cast<std::size_t>(element)];
  const auto n = static_cast<std::size_t>(e.corners());
  const auto x = [&](std::size_t k) { return m.nodes[static_cast<std::size_t>(e.nodes[k % n])]; };
  double longest = 0, shortest = HUGE_VAL, angle = 180;
  for (std::size_t k = 0; k < n; ++k) {
    const base::Vec3 ahead = x(k + 1) - x(k), back = x(k + n - 1) - x(k);
    longest = std::max(longest, ahead.norm());
    shortest = std::min(shortest, ahead.norm());
    angle = std::min(angle, std::atan2(ahead.cross(back).norm(), ahead.dot(back)) * 180 / M_PI);
  }
  if (!(longest <= 10 * shortest)) report.slender.emplace_back(element, shortest > 0 ? longest / shortest : HUGE_VAL);
  if (angle < 20) report.skewed.emplace_back(element, angle);
}
}  // namespace

MeshReport inspect_mesh(model::Model& mesh, double tolerance) {
  MeshReport report;
  report.merged =
      model::merge_coincident_nodes(mesh, tolerance > 0 ? tolerance : 1e-12 * std::max(mesh.size(), 1e-300));
  struct Use {
    int count = 0, forward = 0, last = -1, part = -1;
    bool one_part = true;
  };
  std::map<std::pair<int, int>, Use> edges;
  std::set<std::vector<int>> seen;
  for (std::size_t k = 0; k < mesh.shell_elements.size(); ++k) {
    const auto& e = mesh.shell_elements[k];
    std::vector<int> sorted(e.begin(), e.end());
    std::sort(sorted.begin(), sorted.end());
    if (!seen.insert(sorted).second) {
      report.duplicates.push_back(static_cast<int>(k));
      continue;
    }
    look_at_shape(mesh, static_cast<int>(k), report);
    const auto n = static_cast<std::size_t>(e.corners());
    for (std::size_t i = 0; i < n; ++i) {
      const int a = e.nodes[i], b = e.nodes[(i + 1) % n];
      auto& use = edges[std::minmax(a, b)];
      ++use.count;
      use.forward += a < b ? 1 : -1;
      use.last = static_cast<int>(k);
      use.one_part = use.one_part && (use.part < 0 || use.part == e.part);
      use.part = e.part;
    }
  }
  std::set<int> rotated;
  for (const auto& [edge, use] : edges) {
    if (use.count == 1) {
      ++report.free_edges;
      report.free_length +=
          (mesh.nodes[static_cast<std::size_t>(edge.first)] - mesh.nodes[static_cast<std::size_t>(edge.second)]).norm();
    }
    if (use.count > 2) ++report.branched_edges;
    if (use.count == 2 && use.forward != 0 && use.one_part) rotated.insert(use.last);  // both run the edge the same way
  }
  report.flipped.assign(rotated.begin(), rotated.end());
  return report;
}

}  // namespace archway::io
