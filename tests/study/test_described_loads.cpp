// Every kind of load as it is written in a study, and the total it must come to.
#include <fmt/format.h>

#include "archway/io/study_file.hpp"
#include "archway/study/chain.hpp"
#include "support/digits.hpp"

namespace described_loads_tests {

using namespace archway;
using base::Vec3;

namespace {
/// A table top of 400 x 200 at height 300 on one leg of 300, kN and m are left for the unit tests.
std::string table_with(const std::string& load, const std::string& more = "") {
  return R"([study]
title = "Potting table"
format = 1
units = { force = "N", length = "mm" }
[materials.ash]
youngs_modulus = 12000
poisson_ratio = 0.3
density = 7e-10
[profiles]
leg = { shape = "rectangle", width = 40, height = 60 }
[[members]]
name = "leg"
material = "ash"
profile = "leg"
from = [0, 0, 0]
to = [0, 0, 300]
up = [1, 0, 0]
elements = 3
[[panels]]
name = "top"
material = "ash"
thickness = 20
corner = [0, 0, 300]
along = [400, 0, 0]
across = [0, 200, 0]
divisions = [8, 4]
[[supports]]
name = "floor"
at = "leg.start"
restrain = "all"
[[actions]]
name = "load"
loads = [)" +
         load + "]\n" + more;
}

struct Row {
  std::string name, load;
  Vec3 force, moment;  // about the origin
};
const double kLegMass = 7e-10 * 40 * 60 * 300, kTopMass = 7e-10 * 20 * 400 * 200, kG = 9806.65;
}  // namespace

TEST_CASE("described loads: totals in force and moment", "[study][fast]") {
  const auto row = GENERATE(values<Row>({
      {"force at a place", R"({ kind = "force", at = { near = [400, 200, 300] }, force = [0, 0, -5] })", Vec3(0, 0, -5),
       Vec3(-1000, 2000, 0)},
      {"moment", R"({ kind = "force", at = "leg.end", moment = [1, 2, 3] })", Vec3(0, 0, 0), Vec3(1, 2, 3)},
      {"total over an edge's nodes",
       R"({ kind = "force", at = "top.end", force = [0, 0, -5], distribution = "total" })", Vec3(0, 0, -5),
       Vec3(-500, 2000, 0)},
      {"on each of an edge's nodes", R"({ kind = "force", at = "top.end", force = [0, 0, -5], distribution = "each" })",
       Vec3(0, 0, -25), Vec3(-2500, 10000, 0)},
      {"edge load by length", R"({ kind = "edge", at = "top.end", force = [2, 0, 0] })", Vec3(400, 0, 0),
       Vec3(0, 120000, -40000)},
      {"edge load as a total", R"({ kind = "edge", at = "top.end", force = [2, 0, 0], distribution = "total" })",
       Vec3(2, 0, 0), Vec3(0, 600, -200)},
      {"line load on a member", R"({ kind = "line", on = "leg", force = [0.5, 0, 0] })", Vec3(150, 0, 0),
       Vec3(0, 22500, 0)},
      {"line load on part of a member",
       R"({ kind = "line", on = "leg", force = [0.5, 0, 0], where = [[-1, -1, 199], [1, 1, 301]] })", Vec3(50, 0, 0),
       Vec3(0, 12500, 0)},
      {"vertical load on a vertical member, by plan",
       R"({ kind = "line", on = "leg", force = [0, 0, -3], projected = true })", Vec3(0, 0, 0), Vec3(0, 0, 0)},
      {"surface load", R"({ kind = "surface", on = "top", force = [0, 0, -0.01] })", Vec3(0, 0, -800),
       Vec3(-80000, 160000, 0)},
      {"surface load on half the top",
       R"({ kind = "surface", on = "top", force = [0, 0, -0.01], where = [[200, -1, 299], [401, 201, 301]] })",
       Vec3(0, 0, -400), Vec3(-40000, 120000, 0)},
      {"pressure", R"({ kind = "pressure", on = "top", value = 0.02 })", Vec3(0, 0, -1600), Vec3(-160000, 320000, 0)},
      {"pressure of fixed direction", R"({ kind = "pressure", on = "top", value = 0.02, follower = false })",
       Vec3(0, 0, -1600), Vec3(-160000, 320000, 0)},
      {"member pressure", R"({ kind = "member-pressure", on = "leg", value = 2, plane_normal = [0, 1, 0] })",
       Vec3(600, 0, 0), Vec3(0, 90000, 0)},
      {"gravity", R"({ kind = "gravity" })", Vec3(0, 0, -kG * (kLegMass + kTopMass)),
       Vec3(-kG * kTopMass * 100, kG * kTopMass * 200, 0)},
      {"acceleration", R"({ kind = "acceleration", value = [1000, 0, 0] })", Vec3(1000 * (kLegMass + kTopMass), 0, 0),
       Vec3(0, 1000 * (kLegMass * 150 + kTopMass * 300), -1000 * kTopMass * 100)},
      {"line load that varies", R"({ kind = "line", on = "leg", force = ["0.01 * z", 0, 0] })", Vec3(450, 0, 0),
       Vec3(0, 90000, 0)},
      {"edge load that varies", R"({ kind = "edge", at = "top.end", force = [0, 0, "-y / 100"] })", Vec3(0, 0, -200),
       Vec3(-8e4 / 3, 80000, 0)},
      {"surface load that varies", R"({ kind = "surface", on = "top", force = [0, 0, "-x / 1000"] })",
       Vec3(0, 0, -16000), Vec3(-1.6e6, 12.8e6 / 3, 0)},
      {"pressure that varies", R"({ kind = "pressure", on = "top", value = "0.001 * y" })", Vec3(0, 0, -8000),
       Vec3(-3.2e6 / 3, 1.6e6, 0)},
      {"surface load as a total", R"({ kind = "surface", on = "top", force = [0, 0, -5], distribution = "total" })",
       Vec3(0, 0, -5), Vec3(-500, 1000, 0)},
      {"two loads add up",
       R"({ kind = "force", at = "leg.end", force = [1, 0, 0] }, { kind = "force", at = "leg.end", force = [0, 2, 0] })",
       Vec3(1, 2, 0), Vec3(-600, 300, 0)},
  }));
  INFO(row.name);
  const auto spec = io::parse_study(table_with(row.load), "table.toml");
  const auto report = study::check_model(spec, study::build_model(spec), true);
  CHECK_FALSE(report.has_mechanism);
  REQUIRE(report.actions.size() == 1);
  const auto& total = report.actions[0].about_origin;
  CHECK((total.force - row.force).norm() <= 1e-9 * (1 + row.force.norm()));
  CHECK((total.moment - row.moment).norm() <= 1e-9 * (1 + row.moment.norm()));
}

TEST_CASE("described loads: the preload carries every one of them to the floor", "[study][fast]") {
  const std::string load =
      GENERATE(as<std::string>{}, R"({ kind = "gravity" })", R"({ kind = "pressure", on = "top", value = 0.0002 })",
               R"({ kind = "line", on = "leg", force = [0.05, 0.01, 0] })",
               R"({ kind = "force", at = "leg.end", moment = [100, 200, 300] })");
  const auto r = study::run_study(io::parse_study(
      table_with(load, "[[analyses]]\nname = \"standing\"\nkind = \"LA\"\nload = \"load\"\n"), "table.toml"));
  REQUIRE(r.complete());
  const auto& linear = *r.find("standing")->linear;
  CHECK((linear.applied.force + linear.reacted.force).norm() <= 1e-8 * (1 + linear.applied.force.norm()));
  CHECK((linear.applied.moment + linear.reacted.moment).norm() <= 1e-8 * (1 + linear.applied.moment.norm()));
}

TEST_CASE("described loads: a force on several nodes is reported per node and in total", "[study][fast]") {
  const auto spec = io::parse_study(
      table_with(R"({ kind = "force", at = "top.end", force = [0, 0, -5], distribution = "each" })"), "table.toml");
  const auto model = study::build_model(spec);
  REQUIRE(model.actions[0].notes.size() == 1);
  CHECK(model.actions[0].notes[0] == "force on 5 nodes ('top.end'): 5 N each, 25 N in total");
}

TEST_CASE("described loads: a prescribed displacement in LA and along a path", "[study][fast]") {
  const auto r = study::run_study(
      io::parse_study(table_with(R"({ kind = "displacement", at = "leg.end", dof = "x", value = 3 })", R"(
[[watches]]
name = "head"
at = "leg.end"
direction = [1, 0, 0]
[[analyses]]
name = "pushed"
kind = "LA"
load = "load"
[[analyses]]
name = "pushed-far"
kind = "GNA"
load = "load"
control = "load"
first_step = 2
stop = { load_factor = 10 }
)"),
                      "table.toml"));
  REQUIRE(r.complete());
  const auto& linear = *r.find("pushed")->linear;
  const double e = 12000, i = 40 * 60 * 60 * 60 / 12.0, l = 300, shear = 1 / (12000 / 2.6 * 2400 * 5 / 6);
  // the top is heavy and free to rotate: the leg is a cantilever pushed at its head
  const double want = 3 / (l * l * l / (3 * e * i) + l * shear);
  double reaction = 0;
  for (const auto& f : linear.member_forces) reaction = std::max(reaction, std::abs(f.points[1].shear_z));
  CHECK_DIGITS(reaction, want, 6, "cantilever with shear");
  const auto& path = *r.find("pushed-far")->path;
  CHECK_DIGITS(path.increments.back().watched[0], 30, 9, "factor times displacement");
  CHECK_DIGITS(path.increments.back().load_factor, 10, 12, "to the end");
  CHECK(path.increments.back().negative_pivots == 0);
}

TEST_CASE("described loads: units of the study reach gravity", "[study][fast]") {
  auto text = table_with(R"({ kind = "gravity" })");
  const auto in_mm = io::parse_study(text, "table.toml");
  const double weight = study::check_model(in_mm, study::build_model(in_mm), false).actions[0].about_origin.force.z();
  for (const auto& [from, to] :
       std::vector<std::pair<std::string, std::string>>{{"\"mm\"", "\"m\""},
                                                        {"density = 7e-10", "density = 700"},
                                                        {"12000", "12000e6"},
                                                        {"width = 40, height = 60", "width = 0.04, height = 0.06"},
                                                        {"to = [0, 0, 300]", "to = [0, 0, 0.3]"},
                                                        {"thickness = 20", "thickness = 0.02"},
                                                        {"corner = [0, 0, 300]", "corner = [0, 0, 0.3]"},
                                                        {"along = [400", "along = [0.4"},
                                                        {"across = [0, 200", "across = [0, 0.2"}})
    text.replace(text.find(from), from.size(), to);
  const auto in_m = io::parse_study(text, "table.toml");
  CHECK_DIGITS(study::check_model(in_m, study::build_model(in_m), false).actions[0].about_origin.force.z(), weight, 12,
               "the same table");
}

TEST_CASE("described loads: a warmed beam of an everyday material pushes its walls apart, in any units",
          "[study][fast]") {
  const auto units = GENERATE(std::make_pair("N", "mm"), std::make_pair("kN", "m"));
  const double metre = units.second == std::string("mm") ? 1000 : 1,
               newton = units.first == std::string("N") ? 1 : 1e-3;
  const auto study = [&](const std::string& material, const std::string& load) {
    return fmt::format(R"([study]
title = "Ridge beam between two walls"
format = 1
units = {{ force = "{}", length = "{}" }}
[materials.metal]
{}
[profiles]
ridge = {{ shape = "rectangle", width = {}, height = {} }}
[[members]]
name = "ridge"
material = "metal"
profile = "ridge"
from = [0, 0, 0]
to = [{}, 0, 0]
elements = 2
[[supports]]
name = "left"
at = "ridge.start"
restrain = "all"
[[supports]]
name = "right"
at = "ridge.end"
restrain = "all"
[[actions]]
name = "warm"
loads = [{}]
[[analyses]]
name = "a"
kind = "LA"
load = "warm"
)",
                       units.first, units.second, material, 0.05 * metre, 0.02 * metre, 4 * metre, load);
  };
  const auto run = [&](const std::string& text) { return study::run_study(io::parse_study(text, "ridge.toml", {})); };
  const auto result = run(study("preset = \"steel\"", "{ kind = \"temperature\", value = 30 }"));
  const auto& linear = *result.find("a")->linear;
  const double push = 210e9 * 1e-3 * 12e-6 * 30 * newton;
  for (const auto& f : linear.member_forces.front().points) CHECK(f.axial == archway::test::but_for_rounding(-push));
  const auto reactions = analysis::reactions_by_support(*result.model, linear.reactions, linear.spring_forces);
  REQUIRE(reactions.size() == 2);
  CHECK(reactions[0].force.isApprox(Vec3(push, 0, 0), 1e-9));
  CHECK(reactions[1].force.isApprox(Vec3(-push, 0, 0), 1e-9));
  CHECK(linear.imbalance < 1e-9);
  CHECK_THROWS_WITH(run(study("youngs_modulus = 1\npoisson_ratio = 0", "{ kind = \"temperature\", value = 30 }")),
                    Catch::Contains("has no coefficient of expansion"));
  CHECK_THROWS_WITH(run(study("preset = \"steel\"", "{ kind = \"temperature\", value = 30, on = \"rigde\" }")),
                    Catch::Contains("no part is called 'rigde'"));
}

}  // namespace described_loads_tests
