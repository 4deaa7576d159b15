// Obstacles on paths: what touches, with what force, seen from anywhere; parts that pass through each other; branches.
#include <filesystem>
#include <fstream>
#include <set>
#include <unistd.h>

#include <catch2/catch.hpp>

#include "archway/study/build_model.hpp"
#include "support/followed.hpp"
#include "support/pieces.hpp"

namespace contact_tests {

using namespace archway;
using namespace archway::test;
using base::Vec3;

namespace {
std::string vec(const Vec3& v) {
  return fmt::format("[{}, {}, {}]", v.x(), v.y(), v.z());
}
/// Where a study is: rotated, mirrored, far away, in another unit.
struct Stand {
  base::Mat3 rotation = base::Mat3::Identity();
  Vec3 shift = Vec3::Zero();
  double unit = 1;  ///< of length
  std::string at(const Vec3& x) const { return vec(unit * (rotation * x + shift)); }
  std::string way(const Vec3& d) const { return vec(rotation * d); }
};
/// A cantilever bent on to a plane stop under its middle; E in N/mm^2 and lengths in mm for unit 1.
std::string bent(const Stand& s, const std::string& obstacle, double up_to = 1) {
  const double u = s.unit;
  return fmt::format(
             "[study]\ntitle = \"t\"\nformat = 1\nunits = {{ force = \"N\", length = \"{}\" }}\n[materials.m]\nyoungs_modulus = "
             "{}\npoisson_ratio = "
             "0.3\n[profiles.r]\nshape = \"rectangle\"\nwidth = {}\nheight = {}\n",
             u == 1 ? "mm" : "m", 71000 / (u * u), 20 * u, 5 * u) +
         fmt::format(
             "[[members]]\nname = \"arm\"\nmaterial = \"m\"\nprofile = \"r\"\nfrom = {}\nto = {}\nelements = 6\nup "
             "= {}\n",
             s.at({0, 0, 0}), s.at({400, 0, 0}), s.way({0, 0, 1})) +
         support("\"arm.start\"", "\"all\"") + action("push", force("\"arm.end\"", s.way({0, 0, -60}))) +
         fmt::format("\n[[watches]]\nname = \"tip\"\nat = \"arm.end\"\ndirection = {}\n", s.way({0, 0, -1})) +
         obstacle +
         step("g", "GNA",
              fmt::format("load = \"push\"\nfirst_step = 0.1\ntolerance = 1e-7\nstop = {{ load_factor = {} }}", up_to));
}
std::string plane_stop(const Stand& s, const std::string& more = "") {
  return fmt::format("\n[[obstacles]]\nname = \"stop\"\nplane = {{ point = {}, normal = {} }}\n{}\n", s.at({0, 0, -20}),
                     s.way({0, 0, 1}), more);
}
const analysis::ContactForce& last_contact(const study::StudyResult& r) {
  return path_of(r).increments.back().contacts.at(0);
}
}  // namespace

TEST_CASE("contact: a stop gives the same wherever it is and in whatever unit", "[study][fast]") {
  const Stand here;
  const auto own = run(bent(here, plane_stop(here)));
  const double force = last_contact(own).pressed, tip = path_of(own).increments.back().watched[0];
  CHECK(last_contact(own).touching > 0);
  CHECK(force > 20);
  CHECK(last_contact(own).force.z() == Approx(force).epsilon(1e-9));
  CHECK(std::abs(last_contact(own).gap) < 1e-6);
  // loads, reactions and contact are in balance, forces and moments
  const auto& path = path_of(own);
  CHECK((path.applied.force + path.reacted.force).norm() < 1e-5 * 60);
  CHECK((path.applied.moment + path.reacted.moment).norm() < 1e-5 * 60 * 400);
  Stand upright, mirrored, rotated, far, metres;
  upright.rotation << 0, 0, -1, 0, 1, 0, 1, 0, 0;
  mirrored.rotation = Vec3(-1, 1, 1).asDiagonal();
  rotated.rotation = Eigen::AngleAxisd(0.7, Vec3(1, 2, 3).normalized()).toRotationMatrix();
  far.shift = {3e5, -2e5, 4e5};
  metres.unit = 1e-3;
  for (const auto& s : {upright, mirrored, rotated, far, metres}) {
    const auto r = run(bent(s, plane_stop(s)));
    CHECK(last_contact(r).pressed == Approx(force).epsilon(1e-5));
    CHECK(path_of(r).increments.back().watched[0] == Approx(s.unit * tip).epsilon(1e-6));
  }
  // round and triangulated bodies as large as to be planes
  const std::string sphere = "\n[[obstacles]]\nname = \"ball\"\nsphere = { centre = [400, 0, -1e5], radius = 99980 }\n";
  CHECK(last_contact(run(bent(here, sphere))).pressed == Approx(force).epsilon(1e-3));
  const std::string pipe =
      "\n[[obstacles]]\nname = \"pipe\"\ncylinder = { axis = [[400, -9, 1e5], [400, 9, 1e5]], radius = 100020, "
      "inside "
      "= "
      "true }\n";
  CHECK(last_contact(run(bent(here, pipe))).pressed == Approx(force).epsilon(1e-3));
  const auto file = in_file("floor.obj",
                            "v -900 -90 -20\nv 900 -90 -20\nv 900 90 -20\nv -900 90 -20\nv 10 3 -20\nf 1 2 5\nf 2 3 5\n"
                            "f 3 4 5\nf 4 1 5\n");
  const std::string floor = fmt::format("\n[[obstacles]]\nname = \"floor\"\nfile = \"{}\"\n", file);
  CHECK(last_contact(run(bent(here, floor))).pressed == Approx(force).epsilon(1e-6));
}

TEST_CASE("contact: a linear analysis does not see what just lies against an obstacle", "[study][fast]") {
  const Stand here;
  const std::string linear = step("la", "LA", "load = \"push\"");
  const auto alone = run(bent(here, "") + linear);
  const auto lying = run(bent(here,
                              "\n[[obstacles]]\nname = \"stop\"\nplane = { point = [0, 0, 0], normal = [0, 0, 1] }\n"
                              "at = \"arm.end\"\n") +
                         linear);
  CHECK(largest_displacement(lying) == Approx(largest_displacement(alone)).epsilon(1e-9));
}

TEST_CASE("contact: how stiffly it is sought changes nothing over six decades", "[study][fast]") {
  const Stand here;
  const auto spec = io::parse_study(bent(here, plane_stop(here)), "trial.toml", {});
  std::vector<double> forces, gaps;
  for (const double share : {1e-3, 1e-1, 1.0, 1e2, 1e3}) {
    auto model = study::build_model(spec);
    for (auto& t : model.touches) t.stiffness *= share;
    CAPTURE(share);
    const auto path = followed(model);
    forces.push_back(path.increments.back().contacts.at(0).pressed);
    gaps.push_back(path.increments.back().contacts.at(0).gap);
  }
  for (std::size_t k = 0; k < forces.size(); ++k) {
    CHECK(forces[k] == Approx(forces[2]).epsilon(1e-5));
    CHECK(std::abs(gaps[k]) < 1e-3);
  }
}

TEST_CASE("contact: an arm that has yielded falls on to its stop, which carries the rest", "[study][fast]") {
  const Stand here;
  auto text = bent(here,
                   "\n[[obstacles]]\nname = \"stop\"\nplane = { point = [0, 0, -60], normal = [0, 0, 1] }\nat = "
                   "\"arm.end\"\n");
  const auto put = [&](const std::string& old, const std::string& with) {
    text.replace(text.find(old), old.size(), with);
  };
  put("poisson_ratio = 0.3", "poisson_ratio = 0.3\nyield_stress = 60\nyielding = { law = \"perfect\" }");
  put("kind = \"GNA\"", "kind = \"GMNA\"");
  put("tolerance = 1e-7", "tolerance = 1e-6");
  const auto r = run(text + step("m", "MNA", "load = \"push\""));
  CHECK(path_of(r, "m").levels_off);  // small displacements know no stop
  const auto& path = path_of(r);
  CAPTURE(path.message);
  REQUIRE(path.usable());
  const auto& end = path.increments.back();
  CHECK(end.load_factor == Approx(1));
  CHECK(end.watched[0] == Approx(60).epsilon(1e-4));
  CHECK(end.plastic_strain > 0.005);
  // the arm gives less than its plastic moment could, its stop what is left
  CHECK(end.contacts.at(0).pressed > 60 - 60. * 20 * 25 / 4 / 380);
}

TEST_CASE("contact: reach, gaps, overlaps and how they are reported", "[study][fast]") {
  const Stand here;
  // 2.5 mm of reach bring the stop nearer by as much
  const std::string nearer =
      "\n[[obstacles]]\nname = \"stop\"\nplane = { point = [0, 0, -17.5], normal = [0, 0, 1] }\n";
  const double own = last_contact(run(bent(here, nearer))).pressed;
  CHECK(last_contact(run(bent(here, plane_stop(here, "contact_offset = 2.5")))).pressed == Approx(own).epsilon(1e-6));
  const auto through = [&](const std::string& more) {
    return bent(here, "\n[[obstacles]]\nname = \"bed\"\nplane = { point = [0, 0, 1], normal = [0, 0, 1] }\n" + more);
  };
  CHECK_THAT(complaint_of(through("")),
             Catch::Contains("lie inside of obstacle 'bed'") && Catch::Contains("trial.toml:"));
  const auto free = run(through("initial_penetration = \"stress-free\""));
  CHECK(told(free.model->remarks, "free of force"));
  CHECK(path_of(free).increments.back().largest_displacement < 1);  // it lies on its bed
  const auto closed = run(bent(here, plane_stop(here, "initial_gaps = \"closed\"")));
  CHECK(told(closed.model->remarks, "count as closed"));
  CHECK(path_of(closed).increments.back().largest_displacement < 1);
  // an imperfection that reaches into its stop is pushed out of it, and reported
  auto bowed = bent(
      here, plane_stop(here) + shape("sag", "shape = \"bow\"\non = \"arm\"\ndirection = [0, 0, -1]\namplitude = 22"));
  bowed.replace(bowed.find("\"GNA\"\n"), 6, "\"GNIA\"\nimperfection = \"sag\"\n");
  const auto sagging = run(bowed);
  CHECK(told(sagging.find("g")->warnings, "inside of obstacle 'stop'"));
  const auto [keys, said] = GENERATE(Catch::Generators::table<std::string, std::string>({
      {"sphere = { centre = [0, 0, -90], radius = 0 }", "above zero"},
      {"plane = { point = [0, 0, -20], normal = [0, 0, 0] }", "has no length"},
      {"", "is no body"},
      {"plane = { point = [0, 0, -20], normal = [0, 0, 1] }\nfile = \"x.stl\"", "several bodies"},
      {"file = \"nowhere.stl\"", "nowhere.stl"},
      {"plane = { point = [0, 0, -20], normal = [0, 0, 1] }\non = \"arms\"", "no part is called 'arms'"},
      {"plane = { point = [0, 0, -20], normal = [0, 0, 1] }\nfriction = -1", "zero or more"},
      {"plane = { point = [0, 0, -20], normal = [0, 0, 1] }\ncontact_offset = -1", "zero or more"},
      {"plane = { point = [0, 0, -20], normal = [0, 0, 1] }\nat = { near = [400, 0, 0] }\nslip = 1", "slip"},
  }));
  CAPTURE(keys);
  const auto complaint = complaint_of(bent(here, "\n[[obstacles]]\nname = \"stop\"\n" + keys + "\n"));
  CHECK_THAT(complaint, Catch::Contains(said) && Catch::Contains("trial.toml:"));
}

TEST_CASE("contact: a strut that leans on a wall buckles about that state at four times its load", "[study][fast]") {
  const double euler = M_PI * M_PI * 200000 * 12 * 27 / 12 / (420 * 420);
  const auto r = run(
      head() + profile("r", "shape = \"rectangle\"\nwidth = 12\nheight = 3") +
      member("s", "[0, 0, 0]", "[420, 0, 0]", "elements = 8") +
      support("{ on = \"s\", inner_nodes = true }", "[\"y\", \"rx\", \"rz\"]") +
      support("\"s.start\"", "[\"x\", \"y\", \"z\", \"rx\"]") + support("\"s.end\"", "[\"y\", \"z\"]") +
      "\n[[obstacles]]\nname = \"wall\"\nplane = { point = [0, 0, 1], normal = [0, 0, -1] }\n" +
      action("push", force("\"s.end\"", fmt::format("[{}, 0, 0]", -euler))) +
      shape("bow", "shape = \"bow\"\non = \"s\"\ndirection = [0, 0, 1]\namplitude = 0.02") +
      step("g", "GNIA",
           "load = \"push\"\nimperfection = \"bow\"\nlargest_step = 40\nstop = { load_factor = 2, increments = 200 }") +
      step("b", "LBA", "state_of = \"g\"\nload = \"push\"\nmodes = 1\nreversed_load = \"leave-out\""));
  CAPTURE(r.find("b")->skip_reason);
  REQUIRE(last_contact(r).touching > 0);
  REQUIRE(r.find("b")->buckling);
  CHECK(2 + factor(r) == Approx(4).epsilon(0.02));
}

TEST_CASE("contact: a plate that is on nothing but its bed gives it the pressure it gets", "[study][fast]") {
  const std::string faces = GENERATE("", "element_nodes = 3", "element_nodes = 9");
  const auto text = [&](double level) {
    return head() + panel("p", "[0, 0, 0]", "[300, 0, 0]", "[0, 200, 0]", "[6, 4]", faces) +
           support("{ near = [0, 0, 0] }", "[\"x\", \"y\", \"rz\"]") +
           fmt::format("\n[[obstacles]]\nname = \"bed\"\nplane = {{ point = [0, 0, {}], normal = [0, 0, 1] }}\n",
                       level) +
           action("p", "{ kind = \"pressure\", on = \"p\", value = 0.002 }") +
           step("g", "GNA", "load = \"p\"\nfirst_step = 0.25\nstop = { load_factor = 1, increments = 60 }");
  };
  const auto r = run(text(-2));  // half the wall below its middle
  CAPTURE(faces, path_of(r).message);
  REQUIRE(path_of(r).usable());
  const auto& bed = path_of(r).increments.back().contacts.at(0);
  CHECK(bed.force.z() == Approx(0.002 * 300 * 200).epsilon(1e-6));
  CHECK(bed.touching == static_cast<int>(r.model->nodes.size()));
  CHECK(std::abs(bed.gap) < 1e-6);
  CHECK(bed.force.head<2>().norm() < 1e-9 * 120);
  CHECK(bed.moment.x() == Approx(100 * 120).epsilon(1e-6));
  CHECK(bed.moment.y() == Approx(-150 * 120).epsilon(1e-6));
  // a hair above it, nothing holds the plate
  CHECK(complaint_of(text(-2.001)).find("without resistance") != std::string::npos);
}

TEST_CASE("contact: a sled slides with its friction, and loses what it slides", "[study][fast]") {
  // a stiff bar on springs, in compression down and in tension along
  const std::string text =
      head() + profile("r", "shape = \"rectangle\"\nwidth = 40\nheight = 40") +
      member("sled", "[0, 0, 0]", "[100, 0, 0]", "elements = 1") +
      support("\"sled.start\"", "[\"y\", \"rx\", \"rz\"]") + support("\"sled.end\"", "[\"y\"]") +
      "\n[[springs]]\nname = \"rope\"\nat = \"sled.end\"\nstiffness = [10, 0, 0, 0, 0, 0]\n"
      "\n[[obstacles]]\nname = \"ground\"\nplane = { point = [0, 0, 0], normal = [0, 0, 1] }\nat = { any = "
      "[\"sled.start\", "
      "\"sled.end\"] }\nfriction = 0.2\n" +
      action("down", "{ kind = \"line\", on = \"sled\", force = [0, 0, -10] }") +
      action("pull", force("\"sled.start\"", "[300, 0, 0]")) +
      "\n[[watches]]\nname = \"way\"\nat = \"sled.start\"\ndirection = [1, 0, 0]\n" +
      step(
          "g", "GNA",
          "stages = [{ name = \"dead\", load = \"down\", to_load_factor = 1 }, { name = \"haul\", load = \"pull\", to_load_factor = 1 }]");
  const auto r = run(text);
  const auto& path = path_of(r);
  CAPTURE(path.message);
  REQUIRE(path.usable());
  const auto& end = path.increments.back();
  // 1000 N press, so 200 N hold; the rope carries the rest
  CHECK(end.contacts.at(0).pressed == Approx(1000).epsilon(1e-4));
  CHECK(end.contacts.at(0).force.x() == Approx(-200).epsilon(1e-3));
  CHECK(end.watched[0] == Approx(10).epsilon(2e-3));
  CHECK(end.dissipated_energy == Approx(200 * end.watched[0]).epsilon(0.01));
  CHECK(path.increments[3].watched[0] < 0.1);  // below that it sticks
}

TEST_CASE("crossing: parts that pass through each other are reported, neighbours are not", "[study][fast]") {
  const auto text = [](double distance) {
    return head() + panel("low", "[0, 0, 0]", "[200, 0, 0]", "[0, 100, 0]", "[8, 4]", "", 2) +
           panel("side", "[200, 0, 0]", "[0, 0, 60]", "[0, 100, 0]", "[3, 4]", "", 2) +
           panel("high", fmt::format("[5, 10, {}]", distance), "[150, 0, 0]", "[0, 80, 0]", "[5, 3]", "", 2) +
           support("\"low.start\"", "\"all\"") + support("{ on = \"high\", inner_nodes = true }", "\"all\"") +
           support("{ on = \"high\", free_edges = true }", "\"all\"") +
           action("lift", "{ kind = \"edge\", at = \"low.end\", force = [0, 0, 0.5] }") +
           step("g", "GNA", "load = \"lift\"\nfirst_step = 0.1\nstop = { load_factor = 1 }");
  };
  const auto r = run(text(6));
  const auto& path = path_of(r);
  REQUIRE(path.crossings.size() == 1);
  const auto& c = path.crossings[0];
  CHECK(std::set<std::string>{r.model->parts[static_cast<std::size_t>(c.part)].name,
                              r.model->parts[static_cast<std::size_t>(c.other)].name} ==
        std::set<std::string>{"low", "high"});
  CHECK(c.increment > 0);
  CHECK(c.place.z() == Approx(6).margin(1e-6));
  CHECK(told(r.find("g")->warnings, "pass through each other"));
  CHECK(path_of(run(text(400))).crossings.empty());
}

TEST_CASE("branches: both ways from a bifurcation, mirror images of each other, and the primary path as it was",
          "[study][fast]") {
  const auto arch = [](const std::string& more) {
    return head() + profile("r", "shape = \"rectangle\"\nwidth = 12\nheight = 5") +
           "\n[[members]]\nname = \"rib\"\nmaterial = \"m\"\nprofile = \"r\"\nfrom = [-230, 0, 0]\nto = [230, 0, "
           "0]\nvia "
           "= [0, 0, 73]\nelements = 10\nup = [0, 1, 0]\n" +
           support("{ on = \"rib\", inner_nodes = true }", "[\"y\", \"rx\", \"rz\"]") +
           support("{ any = [\"rib.start\", \"rib.end\"] }", "[\"x\", \"y\", \"z\", \"rx\", \"rz\"]") +
           action("push", force("{ near = [0, 0, 73] }", "[0, 0, -3000]")) +
           "\n[[watches]]\nname = \"down\"\nat = { near = [0, 0, 73] }\ndirection = [0, 0, -1]\n\n[[watches]]\nname = "
           "\"sideways\"\nat = { near = [0, 0, 73] }\ndirection = [1, 0, 0]\n" +
           step("g", "GNA", "load = \"push\"\nfirst_step = 0.1\nstop = { watch = \"down\", value = 90 }\n" + more);
  };
  const auto with = run(arch("branches = { increments = 8 }"));
  const auto without = run(arch(""));
  const auto &path = path_of(with), &plain = path_of(without);
  REQUIRE(path.increments.size() == plain.increments.size());
  for (std::size_t k = 0; k < path.increments.size(); ++k)
    CHECK(path.increments[k].load_factor == plain.increments[k].load_factor);
  REQUIRE(path.first_loss > 0);
  const auto at = [&](int sense) -> const analysis::PathResult& {
    for (const auto& b : path.branches)
      if (b.increment == path.first_loss && b.sense == sense) return *b.path;
    throw std::runtime_error("no such branch");
  };
  const auto &one = at(1), &other = at(-1);
  CAPTURE(one.message, other.message);
  REQUIRE(one.increments.size() == 9);
  REQUIRE(other.increments.size() == 9);
  // one lies on the mirror image of the other: loads go with the square of the sideways displacement
  for (std::size_t k = 2; k < 8; ++k) {
    const auto square = [](const analysis::Increment& i) { return i.watched[1] * i.watched[1]; };
    const auto &a = one.increments[k], &b = one.increments[k + 1], &c = other.increments[k];
    CHECK(a.watched[1] * c.watched[1] < 0);
    const double share = (square(c) - square(a)) / (square(b) - square(a));
    CHECK(c.load_factor == Approx(a.load_factor + share * (b.load_factor - a.load_factor)).epsilon(1e-3));
    CHECK(std::abs(a.watched[1]) > 0.1);
  }
  CHECK(one.increments.back().load_factor < path.increments[static_cast<std::size_t>(path.first_loss)].load_factor);
  // and a path that leaves for good goes there too
  const auto left = run(arch("at_bifurcation = \"branch\""));
  const auto& gone = path_of(left);
  REQUIRE(gone.branched);
  const auto after = static_cast<std::size_t>(gone.first_loss) + 1;
  CHECK(gone.increments[after].watched[1] == Approx(one.increments[1].watched[1]).epsilon(1e-6));
  CHECK(complaint_of(arch("branches = { increments = 0 }")).find("one increment or more") != std::string::npos);
}

namespace {
/// A low two-bar dome that snaps through under its load.
std::string dome(const std::string& control) {
  return head() + profile("r", "shape = \"rectangle\"\nwidth = 10\nheight = 10") +
         "\n[[members]]\nname = \"left\"\nmaterial = \"m\"\nprofile = \"r\"\nfrom = [-300, 0, 0]\nto = [0, 0, 20]\n"
         "elements = 4\nup = [0, 1, 0]\n\n[[members]]\nname = \"right\"\nmaterial = \"m\"\nprofile = \"r\"\nfrom = [0, "
         "0, "
         "20]\nto = [300, 0, 0]\nelements = 4\nup = [0, 1, 0]\n" +
         support(
             "{ any = [{ on = \"left\", inner_nodes = true }, { on = \"right\", inner_nodes = true }, \"left.end\"] }",
             "[\"y\", \"rx\", \"rz\"]") +
         support("{ any = [\"left.start\", \"right.end\"] }", "[\"x\", \"y\", \"z\", \"rx\", \"rz\"]") +
         action("push", force("\"left.end\"", "[0, 0, -1000]")) +
         "\n[[watches]]\nname = \"down\"\nat = \"left.end\"\ndirection = [0, 0, -1]\n" +
         step("g", "GNA", "load = \"push\"\nfirst_step = 0.1\n" + control);
}
}  // namespace

TEST_CASE("jump: a path by load goes on from the state that the structure jumps to", "[study][fast]") {
  const auto way = run(dome("stop = { watch = \"down\", value = 60, increments = 200 }"));  // along the arc
  const auto& arc = path_of(way);
  REQUIRE(arc.usable());
  const auto stuck = run(dome("control = \"load\"\nstop = { watch = \"down\", value = 60 }"));
  CHECK_FALSE(path_of(stuck).usable());
  const auto jumped = run(dome("control = \"load\"\njumps = 1\nstop = { watch = \"down\", value = 60 }"));
  const auto& path = path_of(jumped);
  CAPTURE(path.message);
  REQUIRE(path.usable());
  std::size_t at = 0;
  while (at < path.increments.size() && path.increments[at].event != analysis::PathEvent::jump) ++at;
  REQUIRE(at < path.increments.size());
  const auto& jump = path.increments[at];
  CHECK(jump.negative_pivots == 0);
  CHECK(jump.load_factor == Approx(arc.peak_load_factor).epsilon(0.01));
  // the same state as where the arc comes back to this load; given off: the area between the load and the arc
  const auto& before = path.increments[at - 1];
  double under_arc = 0;
  for (std::size_t k = 1; k < arc.increments.size(); ++k) {
    const auto &a = arc.increments[k - 1], &b = arc.increments[k];
    const bool arrives = a.watched[0] > 30 && b.load_factor > jump.load_factor;
    const double share = arrives ? (jump.load_factor - a.load_factor) / (b.load_factor - a.load_factor) : 1;
    const double down = a.watched[0] + share * (b.watched[0] - a.watched[0]),
                 load = a.load_factor + share * (b.load_factor - a.load_factor);
    const double from = std::max(a.watched[0], before.watched[0]);
    if (down > from) under_arc += 1000 * 0.5 * (a.load_factor + load) * (down - from);
    if (!arrives) continue;
    CHECK(jump.watched[0] == Approx(down).epsilon(0.01));
    break;
  }
  CHECK(jump.given_off ==
        Approx(1000 * jump.load_factor * (jump.watched[0] - before.watched[0]) - under_arc).epsilon(0.03));
  CHECK(std::abs(jump.energy_gap) < 0.05 * jump.given_off);  // no error of the steps
  CHECK(complaint_of(dome("jumps = -1")).find("zero or more") != std::string::npos);
}

TEST_CASE("stability: the lowest eigenvector of the tangent stiffness of a path foresees where it is lost",
          "[study][fast]") {
  const auto r = run(dome("record_lowest_eigenvalue = true\nstop = { first_loss = true }"));
  const auto& path = path_of(r);
  REQUIRE(path.first_loss > 3);
  const auto& all = path.increments;
  CHECK(all[0].softest == Approx(1));
  for (int k = 1; k <= path.first_loss; ++k)
    CHECK(all[static_cast<std::size_t>(k)].softest < all[static_cast<std::size_t>(k) - 1].softest);
  CHECK(all[static_cast<std::size_t>(path.first_loss)].softest == 0);
  // foreseen from half way
  const std::vector<analysis::Increment> half(all.begin(), all.begin() + path.first_loss / 2 + 2);
  CHECK(analysis::foreseen_loss(half) ==
        Approx(all[static_cast<std::size_t>(path.first_loss)].load_factor).epsilon(0.25));
  CHECK(std::isnan(path_of(run(dome("stop = { increments = 2 }"))).increments[1].softest));
}

}  // namespace contact_tests
