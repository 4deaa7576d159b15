// Forces through a cut are in balance with what acts ahead of it, whatever carries them across.
#include <catch2/catch.hpp>

#include "archway/elements/line_geometry.hpp"
#include "archway/study/section_of.hpp"
#include "support/pieces.hpp"

namespace cut_forces_tests {

using namespace archway;
using namespace archway::test;

namespace {
struct Through {
  base::Vec3 force, moment;
};
Through through(const study::StudyResult& r, const char* analysis, const base::Vec3& at, const base::Vec3& normal,
                const std::vector<std::string>& parts = {}) {
  const auto [cut, words] = study::forces_through(*r.find(analysis), at, normal, parts, std::nullopt);
  return {cut.force, cut.moment + cut.about.cross(cut.force)};  // about the origin
}
}  // namespace

TEST_CASE("cuts: panels joined by fasteners and bonds, members and solids carry what acts ahead", "[study][fast]") {
  // a plate, a second one hung on it by rivets, a member bonded... all cut at once; the load is far ahead
  const std::string study =
      head() + profile("r", "shape = \"rectangle\"\nwidth = 30\nheight = 50") +
      panel("deck", "[0, 0, 0]", "[1000, 0, 0]", "[0, 200, 0]", "[10, 4]") +
      panel("strip", "[0, 50, -6]", "[1000, 0, 0]", "[0, 100, 0]", "[7, 3]") +
      "\n[[fasteners]]\nname = \"rivets\"\nparts = [\"deck\", \"strip\"]\nfrom = [30, 100, 0]\nto = [970, 100, "
      "0]\npitch "
      "= 47\nstiffness = [1e5, 1e5, 1e5, 1e6, 1e6, 1e6]\n" +
      member("beam", "[0, 200, 0]", "[1000, 200, 0]", "elements = 10") + support("{ x = 0 }", "\"all\"") +
      action("p", force("{ near = [1000, 100, 0] }", "[300, 40, -500]")) + step("la", "LA", "load = \"p\"") +
      step("g", "GNA", "load = \"p\"\nstop = { load_factor = 1 }");
  const auto r = run(study);
  const base::Vec3 load(300, 40, -500), place(1000, 100, 0);
  for (const double x : {120.0, 333.0, 500.0, 871.0}) {
    CAPTURE(x);
    const auto linear = through(r, "la", {x, 0, 0}, base::Vec3::UnitX());
    CHECK((linear.force - load).norm() < 1e-7 * load.norm());
    CHECK((linear.moment - place.cross(load)).norm() < 1e-7 * place.cross(load).norm());
    // the other way round it is the opposite
    const auto behind = through(r, "la", {x, 0, 0}, -base::Vec3::UnitX());
    CHECK((behind.force + load).norm() < 1e-7 * load.norm());
    const auto moved = through(r, "g", {x, 0, 0}, base::Vec3::UnitX());
    CHECK((moved.force - load).norm() < 1e-4 * load.norm());
  }
  // of one part alone what it carries itself: the normal force of the beam
  const auto beam = through(r, "la", {500, 0, 0}, base::Vec3::UnitX(), {"beam"});
  const auto& element = r.find("la")->linear->member_forces.at(5);  // begins at the cut
  CHECK(beam.force.x() == Approx(elements::along_element(element.points, 0).axial).epsilon(1e-5));
  CHECK_THROWS_WITH(through(r, "la", {2000, 0, 0}, base::Vec3::UnitX()), Catch::Contains("on one side"));
}

}  // namespace cut_forces_tests
