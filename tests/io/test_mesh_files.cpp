// Meshes from elsewhere: there and back in every format, what is said of broken files, and files broken at random.
#include <filesystem>
#include <fstream>
#include <random>

#include "archway/elements/loads.hpp"
#include "archway/io/mesh_file.hpp"
#include "archway/model/mesh.hpp"
#include "support/digits.hpp"
#include "support/models.hpp"

using namespace archway;
using base::Vec3;
using io::MeshFormat;

namespace {
/// A roof of two panels (one of triangles) with, when asked, a nine-node sheet, solids and a bar.
model::Model shed(bool everything) {
  model::Model m = test::with_material();
  model::add_rectangle(m, test::panel_part("north", 2), Vec3::Zero(), Vec3(300, 0, 0), Vec3(0, 200, 90), 6, 4);
  model::add_rectangle(m, test::panel_part("south_side", 2), Vec3::Zero(), Vec3(300, 0, 0), Vec3(0, -200, 90), 3, 2,
                       model::Faces::three);
  if (everything) {
    model::add_rectangle(m, test::panel_part("lid", 2), Vec3(0, 0, 300), Vec3(1, 0, 0) / 3, Vec3(0, 1, 0), 2, 1,
                         model::Faces::nine);
    for (const bool quadratic : {false, true}) {
      model::Part sill = test::panel_part(quadratic ? "sill.2" : "sill", 0);
      sill.kind = model::PartKind::solid;
      model::add_body(m, sill, {2, 1, 1}, false, quadratic, [&](double a, double b, double c) -> Vec3 {
        return {100 * a, 50 * b, -40 * c - (quadratic ? 80 : 10)};
      });
    }
    m.profiles.emplace_back().name = "wire";
    model::Part stay = test::member_part("stay");
    stay.kind = model::PartKind::bar;
    model::add_bar(m, stay, {Vec3(0, 0, 300), Vec3(0, 0, 400), {}}, 1);
  }
  return m;
}

std::string words(MeshFormat format) {
  return std::array<const char*, 5>{"vtu", "obj", "ply", "stl", "csv"}[static_cast<std::size_t>(format)];
}

void same(const model::Model& a, const model::Model& b, MeshFormat format) {
  REQUIRE(a.nodes.size() == b.nodes.size());
  REQUIRE(a.shell_elements.size() == b.shell_elements.size());
  REQUIRE(a.solid_elements.size() == b.solid_elements.size());
  REQUIRE(a.bar_elements.size() == b.bar_elements.size());
  for (std::size_t n = 0; n < a.nodes.size(); ++n) CHECK(a.nodes[n] == b.nodes[n]);
  const auto name = [](const model::Model& m, int part) { return m.parts[static_cast<std::size_t>(part)].name; };
  for (std::size_t e = 0; e < a.shell_elements.size(); ++e) {
    const auto &p = a.shell_elements[e], &q = b.shell_elements[e];
    CHECK(std::vector<int>(p.begin(), p.end()) == std::vector<int>(q.begin(), q.end()));
    if (format != MeshFormat::ply) CHECK(name(a, p.part) == name(b, q.part));  // PLY has numbers for names
  }
  for (std::size_t e = 0; e < a.solid_elements.size(); ++e)
    CHECK((a.solid_elements[e].nodes == b.solid_elements[e].nodes &&
           name(a, a.solid_elements[e].part) == name(b, b.solid_elements[e].part)));
}
}  // namespace

TEST_CASE("mesh files: there and back changes nothing", "[io][fast]") {
  const auto format = GENERATE(MeshFormat::vtu, MeshFormat::obj, MeshFormat::ply, MeshFormat::csv);
  INFO(words(format));
  const model::Model m = shed(format == MeshFormat::vtu || format == MeshFormat::csv);
  const auto folder = std::filesystem::temp_directory_path() / ("archway-mesh-" + std::to_string(std::rand()));
  std::filesystem::create_directory(folder);
  const std::string path = (folder / ("shed." + words(format))).string();
  io::write_mesh(path, m);
  same(m, io::read_mesh(path), format);
  std::filesystem::remove_all(folder);
}

TEST_CASE("mesh files: STL keeps places, parts and area in triangles", "[io][fast]") {
  const model::Model m = shed(false);
  auto back = io::parse_mesh(io::mesh_text(m, MeshFormat::stl), MeshFormat::stl, "shed.stl");
  CHECK(back.parts.size() == 2);
  CHECK(back.shell_elements.size() == 2 * 24 + 12);
  CHECK(back.nodes.size() == 7 * 5 + 4 * 3 - 4);  // the ridge is shared
  for (std::size_t p = 0; p < 2; ++p) {
    back.parts[p].thickness = 1;
    back.parts[p].material = 0;
    back.materials = m.materials;
    CHECK(elements::mass_of(back, static_cast<int>(p)).measure ==
          archway::test::but_for_rounding(300 * std::hypot(200, 90)));
  }
  std::string binary(80, ' ');  // one triangle
  const std::uint32_t count = 1;
  binary.append(reinterpret_cast<const char*>(&count), 4);
  const float values[12] = {0, 0, 1, 0, 0, 0, 2, 0, 0, 0, 3, 0};
  binary.append(reinterpret_cast<const char*>(values), 48);
  binary.append(2, '\0');
  CHECK(io::parse_mesh(binary, MeshFormat::stl, "one.stl").nodes.at(2) == Vec3(0, 3, 0));
}

TEST_CASE("mesh files: VTU arrays as text, base64 and big-endian PLY are read", "[io][fast]") {
  const std::string head = "<VTKFile type=\"UnstructuredGrid\" byte_order=\"LittleEndian\"><UnstructuredGrid><Piece>";
  const std::string text =
      head +
      "<Points><DataArray type=\"Float64\" NumberOfComponents=\"3\">0 0 0 2 0 0 2 2 0 0 2 0</DataArray></Points><Cells>"
      "<DataArray Name=\"connectivity\" type=\"Int32\" format=\"binary\">EAAAAAAAAAABAAAAAgAAAAMAAAA=</DataArray>"
      "<DataArray Name=\"offsets\" type=\"Int32\">4</DataArray><DataArray Name=\"types\" type=\"UInt8\">9</DataArray>"
      "</Cells></Piece></UnstructuredGrid></VTKFile>";
  const auto m = io::parse_mesh(text, MeshFormat::vtu, "one.vtu");
  REQUIRE(m.shell_elements.size() == 1);
  CHECK(m.nodes[2] == Vec3(2, 2, 0));
  std::string ply =
      "ply\nformat binary_big_endian 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\n"
      "element face 1\nproperty list uchar int vertex_index\nend_header\n";
  for (const char* bytes : {"\0\0\0\0\0\0\0\0\0\0\0\0", "\x40\0\0\0\0\0\0\0\0\0\0\0", "\0\0\0\0\x40\0\0\0\0\0\0\0"})
    ply.append(bytes, 12);
  ply.append("\3\0\0\0\0\0\0\0\1\0\0\0\2", 13);
  const auto p = io::parse_mesh(ply, MeshFormat::ply, "one.ply");
  CHECK(p.nodes.at(1) == Vec3(2, 0, 0));
  CHECK(p.shell_elements.size() == 1);
}

TEST_CASE("mesh files: broken ones are reported with their place and a remedy", "[io][fast]") {
  const auto [format, text, message] = GENERATE(table<MeshFormat, std::string, std::string>({
      {MeshFormat::obj, "v 0 0 0\nv 1 0\n", "x:2: a vertex with fewer than three coordinates"},
      {MeshFormat::obj, "v 0 0 zero\n", "x:1: 'zero' is not a number"},
      {MeshFormat::obj, "v 0 0 nan\n", "x:1: 'nan' is not a number"},
      {MeshFormat::obj, "v 0 0 0\nv 1 0 0\nv 1 1 0\nf 1 2 7\n", "x:4: vertex 7 does not exist (3 so far)"},
      {MeshFormat::obj, "v 0 0 0\nf 1 1 1 1 1\n", "x:2: a face of 5 corners"},
      {MeshFormat::obj, "# nothing\n", "x: the file has no elements"},
      {MeshFormat::ply, "plyer\n", "x:1: the file does not begin with 'ply'"},
      {MeshFormat::ply, "ply\nformat ascii 1.0\nelement vertex 2\nproperty float x\n", "x:4: the head has no end"},
      {MeshFormat::ply, "ply\nformat ascii 1.0\nelement vertex 2\nproperty float x\nend_header\n1\n",
       "x: the file ends before all elements are read"},
      {MeshFormat::ply, "ply\nelement vertex 99999999999\nproperty float x\nend_header\n1\n", "the file is too short"},
      {MeshFormat::ply, "ply\nelement face 1\nproperty list uchar int vertex_index\nend_header\n3 0 1 2\n",
       "face 0 names vertex 0, which does not exist"},
      {MeshFormat::stl, "solid a\nfacet normal 0 0 1\nouter loop\nvertex 0 0\n",
       "x:4: a vertex without three coordinates"},
      {MeshFormat::stl, "solid a\nfacet\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nendloop\n",
       "x:6: a facet of 2 corners"},
      {MeshFormat::stl, std::string(80, ' ') + std::string("\5\0\0\0", 4),
       "5 triangles are announced, the file has room for 0"},
      {MeshFormat::vtu, "<VTKFile", "x:1: this is not XML"},
      {MeshFormat::vtu, "<VTKFile type=\"PolyData\"/>", "x: this is not an unstructured grid"},
      {MeshFormat::vtu, "<VTKFile type=\"UnstructuredGrid\"><UnstructuredGrid><Piece/></UnstructuredGrid></VTKFile>",
       "x: a piece lacks its points or its cells"},
      {MeshFormat::vtu, "<VTKFile type=\"UnstructuredGrid\" byte_order=\"BigEndian\"/>", "big-endian"},
  }));
  INFO(text);
  try {
    (void)io::parse_mesh(text, format, "x");
    FAIL("nothing was complained about");
  } catch (const base::InputError& error) {
    CHECK_THAT(error.what(), Catch::Contains(message));
    CHECK(!error.complaints()[0].remedy.empty());
  }
}

TEST_CASE("mesh files: CSV reports the line, other endings and wrong contents are refused", "[io][fast]") {
  CHECK_THROWS_WITH(io::parse_mesh_csv("x,y,z\n0,0,0\n1,0\n", "", "m"),
                    Catch::Contains("m-nodes.csv:3: 2 numbers, not three"));
  CHECK_THROWS_WITH(io::parse_mesh_csv("0,0,0\n", "part,nodes\nskin,1,2,3\n", "m"),
                    Catch::Contains("m-elements.csv:2: node 2 does not exist (1 are given)"));
  CHECK_THROWS_WITH(io::parse_mesh_csv("0,0,0\n1,0,0\n", "skin,1,2,1,2,1\n", "m"),
                    Catch::Contains("m-elements.csv:1: an element of 5 nodes"));
  CHECK_THROWS_WITH(io::read_mesh("vase.step"), Catch::Contains("no mesh format"));
  CHECK_THROWS_WITH(io::read_mesh("nowhere.obj"), Catch::Contains("cannot be opened"));
  CHECK_THROWS_WITH(io::mesh_text(shed(true), MeshFormat::obj), Catch::Contains("OBJ holds panels only"));
}

TEST_CASE("mesh files: what is odd about a mesh is found", "[io][fast]") {
  model::Model m = test::with_material();
  model::add_rectangle(m, test::panel_part("a", 1), Vec3::Zero(), Vec3(100, 0, 0), Vec3(0, 100, 0), 4, 4);
  m.nodes.push_back(m.nodes[0] + Vec3(1e-4, 0, 0));
  m.shell_elements[0].nodes[0] = m.node_count() - 1;
  m.shell_elements.push_back(m.shell_elements[3]);
  model::flip(m.shell_elements[15]);
  auto copy = m;
  CHECK(io::inspect_mesh(copy, 0).merged == 0);
  const auto report = io::inspect_mesh(m, 1e-3);
  CHECK(report.merged == 1);
  CHECK(report.free_edges == 16);
  CHECK(report.free_length == archway::test::but_for_rounding(400));
  CHECK(report.duplicates == std::vector<int>{16});
  CHECK(report.flipped == std::vector<int>{15});
  CHECK((report.slender.empty() && report.skewed.empty()));
  m.nodes[static_cast<std::size_t>(m.shell_elements[5].nodes[0])] += Vec3(24, 24, 0);
  CHECK(!io::inspect_mesh(m, 0).skewed.empty());
}

TEST_CASE("mesh files: broken at random they are read or refused, never more", "[io][fast]") {
  const auto format = GENERATE(MeshFormat::vtu, MeshFormat::obj, MeshFormat::ply, MeshFormat::stl);
  INFO(words(format));
  const std::string good = io::mesh_text(shed(format == MeshFormat::vtu), format);
  std::mt19937 random(7);
  int refused = 0;
  for (int run = 0; run < 2000; ++run) {
    std::string text = good;
    for (unsigned k = 0; k <= random() % 4 && !text.empty(); ++k) {
      const std::size_t at = random() % text.size();
      switch (random() % 4) {
        case 0:
          text[at] = static_cast<char>(random());
          break;
        case 1:
          text.erase(at, random() % 40);
          break;
        case 2:
          text.insert(at, text.substr(random() % text.size(), random() % 30));
          break;
        default:
          text.resize(at + 1);
      }
    }
    try {
      const auto mesh = io::parse_mesh(text, format, "x");
      mesh.each_element([&](const int* first, const int* last, int part) {
        REQUIRE(part < static_cast<int>(mesh.parts.size()));
        for (; first != last; ++first) REQUIRE((*first >= 0 && *first < mesh.node_count()));
      });
    } catch (const base::InputError&) {
      ++refused;
    }
  }
  CHECK(refused > 100);
  CHECK(refused < 2000);
}
