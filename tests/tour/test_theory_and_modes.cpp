// Hand formulas, compared analyses and the page of moving modes, as a user gets them.
#include <nlohmann/json.hpp>

#include "support/digits.hpp"
#include "tour/desk.hpp"

using nlohmann::json;
using tour::Desk;

namespace {
const char* const kPost = R"(
[study]
title = "Trellis post"
format = 1
units = { force = "N", length = "mm" }
[parameters]
wall = 3
[materials.steel]
youngs_modulus = 210000
poisson_ratio = 0.3
[profiles]
post = { shape = "rectangular-hollow", width = 40, height = 60, thickness = "wall", shear_deformation = false }
[[members]]
name = "post"
material = "steel"
profile = "post"
from = [0, 0, 0]
to = [0, 0, 2400]
up = [1, 0, 0]
elements = 2
[[supports]]
at = "post.start"
restrain = "all"
[[springs]]
name = "tie"
at = "post.end"
stiffness = [0, 20, 0, 0, 0, 0]
along = [0, 0, 1]
up = [1, 0, 0]
[[actions]]
name = "roof"
loads = [{ kind = "force", at = "post.end", force = [0, 0, -1000] }]
[[analyses]]
name = "buckling"
kind = "LBA"
load = "roof"
modes = 3
[[analyses]]
name = "thicker"
copy_of = "buckling"
set = { wall = 4 }
[[analyses]]
name = "finer"
copy_of = "buckling"
refine = 3
mesh_check = 2
[[hand_checks]]
analysis = "buckling"
mode = 2
critical_load = 1
formula = "column"
material = "steel"
profile = "post"
about = "z"
inputs = { length = "2 * 1200", ends = "fixed-free", end_sideways = 20 }
[[hand_checks]]
analysis = "buckling"
formula = "column"
material = "steel"
profile = "post"
about = "y"
load_at_factor_one = 1000
inputs = { length = 2400, ends = "fixed-free" }
)";

json results(const Desk& desk, const std::string& folder) {
  return json::parse(desk.read(folder + "/results.json"));
}
}  // namespace

TEST_CASE("cli: theory lists formulas, explains one, evaluates it, and takes sections from a study", "[tour]") {
  const Desk desk;
  desk.write("post.toml", kPost);
  const auto list = desk.run("archway theory");
  CHECK(list.code == 0);
  for (const char* name : {"column", "lateral-beam", "plate", "cylinder", "cone", "sphere"})
    CHECK_THAT(list.out, Catch::Contains(name));
  CHECK_THAT(desk.run("archway theory lateral-beam").out,
             Catch::Contains("load_height") && Catch::Contains("assumes") && Catch::Contains("one of forks"));
  const auto euler =
      desk.run("archway theory column youngs_modulus=210 second_moment=1 length=10 --force kN --length m");
  CHECK_THAT(euler.out, Catch::Contains("20.726169 kN") && Catch::Contains("82.904677"));
  const auto same = json::parse(
      desk.run("archway theory column --study post.toml --material steel --profile post length=2400 --json").out);
  CHECK(same["inputs"]["youngs_modulus"] == 210000);
  CHECK(same["values"][0]["unit"] == "N");
  CHECK(same["values"][1]["value"].get<double>() ==
        archway::test::but_for_rounding(4 * same["values"][0]["value"].get<double>()));
  for (const auto& [line, advice] :
       {std::pair("archway theory colum", "did you mean 'column'"),
        std::pair("archway theory column lenght=3", "'length'"),
        std::pair("archway theory column length=3", "youngs_modulus"),
        std::pair("archway theory plate length", "NAME=VALUE"),
        std::pair("archway theory column --study post.toml --material brass length=1", "steel")}) {
    const auto wrong = desk.run(line);
    CAPTURE(line, wrong.err);
    CHECK(wrong.code == 3);
    CHECK_THAT(wrong.err, Catch::Contains(advice));
    CHECK(wrong.out.empty());
  }
}

TEST_CASE("cli: a copied analysis, a second mesh and hand checks stand in one table", "[tour]") {
  const Desk desk;
  desk.write("post.toml", kPost);
  const auto run = desk.run("archway run post.toml --no-figures");
  REQUIRE(run.code == 0);
  CHECK_THAT(run.out, Catch::Contains("thicker beside buckling") && Catch::Contains("structure: wall = 4") &&
                          Catch::Contains("Beside hand formulas") && Catch::Contains("2 times finer"));
  const json all = results(desk, "post-results");
  const auto factor = [&](const char* name, int mode) {
    return all["analyses"][name]["modes"][mode]["load_factor"].get<double>();
  };
  // every hand check agrees with its mode to what two cubic elements can do
  REQUIRE(all["hand_checks"].size() == 2);
  for (const auto& h : all["hand_checks"]) CHECK(std::abs(h["deviation"].get<double>()) < 2e-4);
  CHECK(all["hand_checks"][0]["load_factor"].get<double>() == Approx(factor("buckling", 1)).epsilon(2e-4));
  CHECK(all["comparison"][1]["kind"] == "theory");
  // one millimetre more of wall: not only another number, another structure with its own shares
  CHECK(all["analyses"]["thicker"]["variant"]["set"]["wall"] == 4);
  CHECK(factor("thicker", 1) > 1.05 * factor("buckling", 1));
  CHECK(all["shapes"].size() == 2);
  for (const auto& c : all["shapes"]) {
    CHECK(c["with"] == "buckling");
    for (const auto& m : c["modes"]) {
      CHECK(m["mode"] == m["other_mode"]);
      CHECK(m["mac"].get<double>() > 0.99);
    }
  }
  const auto& second = all["analyses"]["finer"]["second_mesh"];
  CHECK(second["dofs"].get<int>() > 100);
  CHECK(second["extrapolated"][2].get<double>() == Approx(factor("finer", 2)).epsilon(1e-5));
}

TEST_CASE("cli: what a copied analysis or a hand check gets wrong is reported at its line", "[tour]") {
  const Desk desk;
  const auto code_and_text = [&](const std::string& more) {
    desk.write("post.toml", std::string(kPost) + more);
    const auto checked = desk.run("archway check post.toml");
    CHECK(checked.code == 3);
    return checked.err;
  };
  CHECK_THAT(code_and_text("[[analyses]]\nname = \"a\"\ncopy_of = \"bukling\"\n"),
             Catch::Contains("post.toml:") && Catch::Contains("'buckling'"));
  CHECK_THAT(code_and_text("[[analyses]]\nname = \"a\"\ncopy_of = \"buckling\"\n"
                           "set = { wal = 3 }\n"),
             Catch::Contains("no parameter 'wal'") && Catch::Contains("'wall'"));
  CHECK_THAT(code_and_text("[[analyses]]\nname = \"a\"\ncopy_of = \"buckling\"\nmesh_check = 1\n"),
             Catch::Contains("mesh_check"));
  CHECK_THAT(code_and_text("[[analyses]]\nname = \"path\"\nkind = \"GNA\"\nloads_of = \"thicker\"\n"),
             Catch::Contains("another structure"));
  CHECK_THAT(code_and_text("[[hand_checks]]\nanalysis = \"buckling\"\nformula = \"column\"\ninputs = { length = 3 }\n"),
             Catch::Contains("needs a number"));
  CHECK_THAT(
      code_and_text("[[hand_checks]]\nanalysis = \"buckling\"\nformula = \"ring\"\nmaterial = \"steel\"\nprofile = "
                    "\"post\"\ninputs = { radius = 3 }\n"),
      Catch::Contains("at_factor_one"));
  CHECK_THAT(code_and_text("[[hand_checks]]\nanalysis = \"roof\"\nformula = \"column\"\n"),
             Catch::Contains("not a buckling analysis"));
}

TEST_CASE("page: modes move in a browser without a network", "[tour]") {
  const Desk desk;
  desk.write("post.toml", kPost);
  REQUIRE(desk.run("archway run post.toml -q").code == 0);
  const std::string page = desk.read("post-results/modes.html");
  CHECK(page.find("http") == std::string::npos);
  CHECK(page.find("src=") == std::string::npos);
  REQUIRE(desk.run("command -v chromium").code == 0);
  const auto shown = desk.run(
      "chromium --headless --no-sandbox --use-angle=swiftshader --enable-unsafe-swiftshader --window-size=1280,800 "
      "--user-data-dir=profile --virtual-time-budget=4000 --dump-dom post-results/modes.html");
  REQUIRE(shown.code == 0);
  CHECK_THAT(shown.out, !Catch::Contains("data-trouble"));
  CHECK_THAT(shown.out, Catch::Contains("data-left=\"0\"") && Catch::Contains("data-right=\"1\""));
  for (const char* side : {"data-painted-left=\"", "data-painted-right=\""}) {
    const auto at = shown.out.find(side);
    REQUIRE(at != std::string::npos);
    CHECK(std::stoi(shown.out.substr(at + std::string(side).size())) > 300);
  }
  // nine modes of three analyses, each with its words and its factor
  const json all = results(desk, "post-results");
  for (const char* name : {"buckling", "thicker", "finer"})
    for (const auto& mode : all["analyses"][name]["modes"])
      CHECK_THAT(shown.out, Catch::Contains(mode["words"].get<std::string>()));
}
