// What a mesh is worth: finer meshes of imported parts, the error that is estimated beside the true one, half waves.
#include <catch2/catch.hpp>

#include "support/digits.hpp"
#include "support/pieces.hpp"

namespace mesh_quality_tests {

using namespace archway;
using namespace archway::test;

namespace {
constexpr double kLong = 600, kWide = 300;
std::string plate(const std::string& faces, int along, int across) {
  return panel("p", "[0, 0, 0]", "[600, 0, 0]", "[0, 300, 0]", fmt::format("[{}, {}]", along, across),
               "element_nodes = " + nodes_of(faces), 3);
}
/// The same plate as a file of quadrilaterals or triangles.
std::string plate_file(bool triangles, int along, int across) {
  std::string text = "o p\n";
  for (int j = 0; j <= across; ++j)
    for (int i = 0; i <= along; ++i) text += fmt::format("v {} {} 0\n", kLong * i / along, kWide * j / across);
  for (int j = 0; j < across; ++j)
    for (int i = 0; i < along; ++i) {
      const int a = j * (along + 1) + i + 1, b = a + 1, c = b + along + 1, d = c - 1;
      text += triangles ? fmt::format("f {} {} {}\nf {} {} {}\n", a, b, c, a, c, d)
                        : fmt::format("f {} {} {} {}\n", a, b, c, d);
    }
  return in_file(triangles ? "three.obj" : "four.obj", text);
}
std::string plate_mesh(bool triangles, int along, int across) {
  return "\n[[meshes]]\nfile = \"" + plate_file(triangles, along, across) + "\"\nmaterial = \"m\"\nthickness = 3\n";
}
/// Held all around, in compression along; `rotations`: the edges are clamped.
std::string pressed(const std::string& parts, bool clamped, const std::string& more, const std::string& study = "") {
  const std::string hold = clamped ? "[\"z\", \"rx\", \"ry\"]" : "[\"z\"]";
  std::string text = head(study) + parts;
  for (const char* edge : {"x = 0", "x = 600", "y = 0", "y = 300"})
    text += support(fmt::format("{{ {} }}", edge), hold);
  return text + support("{ near = [0, 0, 0] }", "[\"x\", \"y\"]") + support("{ near = [600, 0, 0] }", "[\"y\"]") +
         action("q",
                "{ kind = \"force\", at = { x = 600 }, force = [-1000, 0, 0], distribution = \"total\" }, "
                "{ kind = \"force\", at = { x = 0 }, force = [1000, 0, 0], distribution = \"total\" }") +
         step("b", "LBA", "load = \"q\"\nmodes = 3\n" + more);
}
}  // namespace

TEST_CASE("mesh quality: refine makes imported meshes finer, as it does with panels", "[study][fast]") {
  const bool triangles = GENERATE(false, true);
  INFO(triangles);
  const auto coarse = run(pressed(plate_mesh(triangles, 8, 4), false, "")),
             finer = run(pressed(plate_mesh(triangles, 8, 4), false, "", "refine = 2\n")),
             file = run(pressed(plate_mesh(triangles, 16, 8), false, "")),
             second = run(pressed(plate_mesh(triangles, 8, 4), false, "mesh_check = 2"));
  CHECK_DIGITS(factor(finer), factor(file), triangles ? 2 : 9, "triangles are cut in another pattern");
  CHECK(std::abs(factor(finer) / factor(coarse) - 1) > 1e-3);
  REQUIRE(second.find("b")->second_mesh);
  CHECK_DIGITS(second.find("b")->second_mesh->modes.at(0).other_load_factor, factor(finer), 9, "the same mesh");
  CHECK_FALSE(told(second.find("b")->warnings, "changes nothing"));
}

TEST_CASE("mesh quality: a mesh that cannot be made finer is refused with its place", "[study][fast]") {
  const auto refusal = [](const std::string& study) {
    return complaint_of(pressed(plate_mesh(false, 8, 4), false, "", study));
  };
  CHECK_THAT(refusal("refine = 3\n"), Catch::Contains("refine is 3") && Catch::Contains("come from its file"));
  CHECK_THAT(refusal("refine = 0.5\n"), Catch::Contains("refine is 0.5"));
  CHECK_THAT(refusal("refine = 65536\n"), Catch::Contains("makes more than 5e+06 nodes"));
}

TEST_CASE("mesh quality: the error that is estimated is not below the true one", "[study][fast]") {
  struct Row {
    std::string what, coarse, fine;
  };
  const auto block = [](int n, const std::string& more) {
    return fmt::format(
        "[[solids]]\nname = \"p\"\nmaterial = \"m\"\nbody = \"block\"\ncorner = [0, 0, 0]\nalong = [600, 0, 0]\n"
        "across = [0, 300, 0]\nup = [0, 0, 30]\ndivisions = [{}, {}, 1]\n{}\n",
        2 * n, n, more);
  };
  const auto strut = [](int n, const std::string& hold) {
    return head() + profile("r", "shape = \"rectangle\"\nwidth = 20\nheight = 30") +
           member("a", "[0, 0, 0]", "[0, 0, 1000]", fmt::format("up = [1, 0, 0]\nelements = {}", n)) +
           support("\"a.start\"", "\"all\"") + support("\"a.end\"", hold) +
           action("q", force("\"a.end\"", "[0, 0, -1000]")) + step("b", "LBA", "load = \"q\"\nmodes = 2");
  };
  std::vector<Row> rows;
  for (const bool clamped : {false, true}) {
    const std::string ends = clamped ? " clamped" : " hinged";
    for (const int n : {2, 3, 4})
      rows.push_back({"nine-node" + ends, pressed(plate("nine", 2 * n, n), clamped, ""),
                      pressed(plate("nine", 24, 12), clamped, "")});
    for (const int n : {4, 6})
      rows.push_back({"four-node" + ends, pressed(plate("four", 2 * n, n), clamped, ""),
                      pressed(plate("nine", 24, 12), clamped, "")});
  }
  for (const int n : {2, 3})
    rows.push_back({"twenty-node", pressed(block(n, "element_nodes = 20"), false, ""),
                    pressed(block(8, "element_nodes = 20"), false, "")});
  for (const int n : {1, 2, 3})
    for (const std::string hold : {"[\"x\", \"y\", \"rx\", \"ry\", \"rz\"]", "[\"x\", \"y\"]"})
      rows.push_back({"member " + hold, strut(n, hold), strut(12, hold)});
  // a little below is what an estimate may be; a mode that only the fine mesh has is compared in its order
  constexpr double kBelow = 0.8, kMeaningless = 0.5;
  for (const auto& row : rows) {
    const auto coarse = run(row.coarse), fine = run(row.fine);
    const auto& o = *coarse.find("b");
    for (std::size_t m = 0; m < 2 && m < o.buckling->modes.size(); ++m) {
      const double error = std::abs(factor(coarse, m + 1) / factor(fine, m + 1) - 1);
      INFO(row.what << " " << o.model->node_count() << " mode " << m + 1 << ": " << error);
      CHECK(o.readings[m].mesh_error > kBelow * std::min(error, kMeaningless));
      if (error > 1e-3) CHECK(o.readings[m].mesh_error < 12 * error);  // and says something
    }
  }
}

TEST_CASE("mesh quality: half waves between planes of symmetry, hinges and free ends", "[study][fast]") {
  // a strip on a bed: the number of its half waves goes with the bed
  struct Row {
    std::string ends;
    double bed;
    int waves;
  };
  const std::string mirror = "[\"x\", \"y\", \"rx\", \"ry\", \"rz\"]", hinge = "[\"x\", \"z\", \"y\", \"rx\", \"rz\"]";
  for (const auto& row : {Row{mirror, 1e-2, 2}, Row{mirror, 1, 7}, Row{hinge, 1e-2, 2}, Row{hinge, 1, 7}}) {
    INFO(row.ends << row.bed);
    const auto r = run(head() + panel("p", "[0, 0, 0]", "[1000, 0, 0]", "[0, 20, 0]", "[48, 1]", "", 10) +
                       support("{ on = \"p\", x = 0 }", row.ends) + support("{ on = \"p\", x = 1000 }", row.ends) +
                       "\n[[foundations]]\nname = \"bed\"\non = \"p\"\nnormal = " + fmt::format("{}", row.bed / 20) +
                       "\n" + action("q", "{ kind = \"temperature\", on = \"p\", value = 100 }") +
                       step("b", "LBA", "load = \"q\"\nmodes = 1"));
    const auto waves = analysis::wave_counts(*r.find("b")->model, r.find("b")->buckling->modes.at(0).shape);
    REQUIRE(waves.size() == 1);
    // the best whole number of half waves: (k pi / L)^4 E I near the bed, where neighbours have the same load
    const double stiffness = 200000 * 20 * (1000 / 12.0), bed = row.bed;
    int best = 1;
    const auto load = [&](int k) {
      return stiffness * std::pow(k * M_PI / 1000, 2) + bed / std::pow(k * M_PI / 1000, 2);
    };
    while (load(best + 1) < load(best)) ++best;
    CHECK(waves[0].lines.at(0).half_waves == best);
  }
}

}  // namespace mesh_quality_tests
