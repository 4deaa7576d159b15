// Contact between parts on paths: what is in compression through, wherever it is and whichever side leads; parts that
// touch themselves; bonds that become contact; what is refused.
#include <catch2/catch.hpp>

#include "archway/study/build_model.hpp"
#include "support/followed.hpp"
#include "support/pieces.hpp"

namespace contact_between_tests {

using namespace archway;
using namespace archway::test;
using base::Vec3;

namespace {
std::string block(const std::string& name, double low, double height, const std::string& divisions,
                  const std::string& more = "") {
  return fmt::format(
      "\n[[solids]]\nname = \"{}\"\nmaterial = \"m\"\ncorner = [0, 0, {}]\nalong = [10, 0, 0]\nacross = [0, 10, 0]\nup "
      "= [0, 0, {}]\ndivisions = {}\n{}\n",
      name, low, height, divisions, more);
}
std::string contact(const std::string& more) {
  return "\n[[contacts]]\nname = \"joint\"\n" + more + "\n";
}
const std::string kBlocks = support("{ z = 0 }", "[\"z\"]") + support("{ x = 0 }", "[\"x\"]") +
                            support("{ y = 0 }", "[\"y\"]") +
                            action("push", "{ kind = \"surface\", on = \"upper.top\", force = [0, 0, -20] }");
const std::string kPress = "load = \"push\"\nfirst_step = 0.5\ntolerance = 1e-9\nstop = { load_factor = 1 }";

/// Largest difference of displacements from those of a block under uniform pressure, over the largest displacement.
double unevenness(const study::StudyResult& r) {
  const auto& path = path_of(r);
  const auto& model = *r.find("g")->model;
  const auto& state = path.increments.back().kept->state;
  const double top = state.position.back().z() - model.nodes.back().z();
  // one strain everywhere: read off the highest corner
  const Vec3 far = model.nodes.back(), strain = (state.position.back() - far).cwiseQuotient(far);
  double worst = 0;
  for (std::size_t n = 0; n < model.nodes.size(); ++n)
    worst = std::max(worst, (state.position[n] - model.nodes[n] - strain.cwiseProduct(model.nodes[n])).norm());
  return worst / std::abs(top);
}
}  // namespace

TEST_CASE("contact between parts: a uniform pressure passes through whatever meshes meet", "[study][fast]") {
  const auto [lower, upper] = GENERATE(std::pair<std::string, std::string>("[3, 3, 2]", "[4, 4, 2]"),
                                       std::pair<std::string, std::string>("[1, 1, 1]", "[7, 7, 1]"));
  const std::string leads = GENERATE("upper", "lower");
  const std::string kind = GENERATE("", "element_nodes = 20");
  const auto r = run(head() + block("lower", 0, 5, lower, kind) + block("upper", 5, 5, upper, kind) +
                     contact("between = [\"upper\", \"lower\"]\nindependent = \"" + leads + "\"") + kBlocks +
                     step("g", "GNA", kPress));
  CHECK(unevenness(r) < 1e-7);
  CHECK(path_of(r).increments.back().contacts.at(0).pressed == Approx(2000).epsilon(1e-9));
}

namespace {
/// Where a study is: rotated, mirrored, far away.
struct Stand {
  base::Mat3 rotation = base::Mat3::Identity();
  Vec3 shift = Vec3::Zero();
  std::string at(const Vec3& x) const { return way(rotation * x + shift, base::Mat3::Identity()); }
  std::string way(const Vec3& d) const { return way(d, rotation); }

 private:
  static std::string way(const Vec3& d, const base::Mat3& by) {
    const Vec3 v = by * d;
    return fmt::format("[{}, {}, {}]", v.x(), v.y(), v.z());
  }
};
/// A plate that hangs out over another one, in compression down on to it.
std::string two_plates(const Stand& s, const std::string& contacts, const std::string& divisions = "[10, 2]",
                       const std::string& below = "[7, 3]") {
  return head() + panel("upper", s.at({0, 0, 8}), s.way({120, 0, 0}), s.way({0, 30, 0}), divisions, "", 4) +
         panel("lower", s.at({60, 0, 0}), s.way({120, 0, 0}), s.way({0, 30, 0}), below, "", 6) +
         support("\"upper.start\"", "\"all\"") + support("\"lower.end\"", "\"all\"") +
         action("push", fmt::format("{{ kind = \"force\", at = \"upper.end\", force = {}, distribution = \"total\" }}",
                                    s.way({0, 0, -900}))) +
         contacts + step("g", "GNA", "load = \"push\"\nfirst_step = 0.2\ntolerance = 1e-8\nstop = { load_factor = 1 }");
}
const std::string kPlates = contact("between = [\"upper\", \"lower\"]");
}  // namespace

TEST_CASE("contact between parts: the same wherever it is, and whichever side leads", "[study][fast]") {
  const auto own = run(two_plates({}, kPlates));
  const auto& force = path_of(own).increments.back().contacts.at(0);
  REQUIRE(path_of(own).increments.back().load_factor == Approx(1));
  CHECK(force.touching > 0);
  CHECK(force.force.z() > 100);
  CHECK(force.gap > -1e-5);
  CHECK(force.area > 0);
  SECTION("rotated, mirrored and far away") {
    const double c = std::cos(0.7), d = std::sin(0.7);
    base::Mat3 rotation, mirror = base::Mat3::Identity();
    rotation << c, 0, d, 0, 1, 0, -d, 0, c;
    mirror(1, 1) = -1;
    for (const Stand& stand :
         {Stand{rotation}, Stand{rotation * mirror}, Stand{base::Mat3::Identity(), {8e3, -5e3, 2e3}}}) {
      const auto other = run(two_plates(stand, kPlates));
      const auto& there = path_of(other).increments.back().contacts.at(0);
      CHECK(there.force.norm() == Approx(force.force.norm()).epsilon(1e-6));
      CHECK(path_of(other).increments.back().largest_displacement ==
            Approx(path_of(own).increments.back().largest_displacement).epsilon(1e-6));
    }
  }
  SECTION("led by the other side") {
    std::vector<double> forces;
    for (const char* leads : {"upper", "lower"}) {
      const auto led = contact(fmt::format("between = [\"upper\", \"lower\"]\nindependent = \"{}\"", leads));
      const auto other = run(two_plates({}, led, "[24, 2]", "[17, 3]"));
      forces.push_back(path_of(other).increments.back().contacts.at(0).force.norm());
    }
    CHECK(forces[0] == Approx(forces[1]).epsilon(0.01));
  }
  SECTION("an LBA about the state keeps closed what touches") {
    const auto loose = run(two_plates({}, "") + step("b", "LBA", "load = \"push\"\nmodes = 1"));
    const auto about = run(two_plates({}, kPlates) + step("b", "LBA", "state_of = \"g\"\nload = \"push\"\nmodes = 1"));
    CHECK(about.find("b")->buckling->modes.size() == 1);
    CHECK(loose.find("b")->buckling->modes.size() == 1);
  }
}

TEST_CASE("contact between parts: how stiffly it is sought changes nothing over five decades", "[study][fast]") {
  const auto spec = io::parse_study(two_plates({}, kPlates), "trial.toml", {});
  std::vector<double> forces;
  for (const double share : {1.0, 1e-3, 1e-1, 1e1, 1e2}) {
    auto model = study::build_model(spec);
    for (auto& f : model.contacts.at(0).followers) f.stiffness *= share;
    CAPTURE(share);
    const auto path = followed(model);
    forces.push_back(path.increments.back().contacts.at(0).force.norm());
    CHECK(forces.back() == Approx(forces.front()).epsilon(1e-5));
    CHECK(path.increments.back().contacts.at(0).gap > -1e-4);
  }
}

TEST_CASE("contact between parts: small displacements do not see it", "[study][fast]") {
  // a block that lies on another one: nothing holds it
  std::string text = head() + block("lower", 0, 5, "[2, 2, 1]") + block("upper", 5, 5, "[3, 3, 1]") +
                     contact("between = [\"upper\", \"lower\"]") + kBlocks + step("m", "MNA", kPress);
  const std::string last = "thermal_expansion = 1.2e-5\n";
  text.insert(text.find(last) + last.size(), "yield_stress = 900\nyielding = { law = \"perfect\" }\n");
  CHECK(path_of(run(text), "m").ending == analysis::Ending::mechanism);
}

TEST_CASE("contact between parts: where an imperfection moves them into each other they fit", "[study][fast]") {
  const std::string by = GENERATE("0.05*sin(pi*x/80)*sin(pi*y/40)", "-0.05*sin(pi*x/80)*sin(pi*y/40)");
  const auto r =
      run(head() + panel("skin", "[0, 0, 1.5]", "[80, 0, 0]", "[0, 40, 0]", "[8, 4]", "", 1) +
          panel("strap", "[0, 0, 0]", "[80, 0, 0]", "[0, 40, 0]", "[6, 3]", "", 2) +
          support("{ any = [\"skin.start\", \"strap.start\"] }", "\"all\"") +
          support("{ any = [\"skin.end\", \"strap.end\"] }", "\"all\"") + contact("between = [\"skin\", \"strap\"]") +
          shape("dent", "on = \"skin\"\ndisplacement = [\"0\", \"0\", \"" + by + "\"]") +
          action("push", "{ kind = \"pressure\", on = \"skin\", value = 0.5 }") +
          step("g", "GNIA", "imperfection = \"dent\"\nload = \"push\"\nstop = { load_factor = 1 }"));
  const auto& path = path_of(r);
  CAPTURE(path.message);
  REQUIRE(path.usable());
  CHECK(path.increments.front().contacts.at(0).pressed == 0.0);
  CHECK(path.increments.front().largest_displacement < 1e-9);
  // pushed on to the strap it hands on most of the pressure where it can give way
  CHECK(path.increments.back().contacts.at(0).pressed > 10);
}

TEST_CASE("contact between parts: a bond becomes contact on paths in one word", "[study][fast]") {
  const auto blocks = [](const std::string& word) {
    return head() + block("lower", 0, 5, "[2, 2, 1]") + block("upper", 5, 5, "[3, 3, 1]") +
           fmt::format("\n[[bonds]]\nname = \"seam\"\ndependent = \"upper.bottom\"\nindependent = \"lower\"\n{}\n",
                       word) +
           kBlocks + action("pull", "{ kind = \"surface\", on = \"upper.top\", force = [0, 0, 20] }");
  };
  const std::string path = "first_step = 0.5\ntolerance = 1e-9\nstop = { load_factor = 1 }\nload = ";
  const auto both =
      run(blocks("on_paths = \"contact\"") + step("la", "LA", "load = \"pull\"") + step("g", "GNA", path + "\"push\""));
  CHECK(largest_displacement(both) > 0);  // bonded: it can be in tension
  CHECK(unevenness(both) < 1e-7);
  CHECK(path_of(both).increments.back().contacts.at(0).pressed == Approx(2000).epsilon(1e-9));
  const auto bonded = run(blocks("") + step("g", "GNA", path + "\"push\""));
  CHECK(path_of(bonded).increments.back().contacts.empty());
}

TEST_CASE("contact between parts: a drum of solids on a block is in compression as half spaces are", "[study][fast]") {
  // half of both, plane strain; [TimoshenkoGoodier1970] art. 140 (two equal materials, one of them flat)
  const double modulus = 1000, radius = 100;
  const std::string finer = "grading = [{ towards = \"start\", ratio = 10 }, { towards = \"top\", ratio = 10 }]\n";
  const std::string drum =
      "[study]\ntitle = \"t\"\nformat = 1\nunits = { force = \"N\", length = \"mm\" }\n[materials.m]\nyoungs_modulus = 1000\npoisson_ratio = "
      "0.3\n[[solids]]\nname = \"drum\"\nmaterial = \"m\"\nbody = \"tube\"\naxis = [[0, 1, 100], [0, 0, "
      "100]]\nstart = [0, 1, 50]\nwall_thickness = 50\nangle_deg = 30\ndivisions = [30, 1, 18]\n" +
      finer +
      "[[solids]]\nname = \"block\"\nmaterial = \"m\"\ncorner = [0, 0, -50]\nalong = [50, 0, 0]\nacross = [0, 1, "
      "0]\nup "
      "= [0, 0, 50]\ndivisions = [27, 1, 18]\n" +
      finer + contact("between = [\"drum\", \"block\"]") +
      support("{ box = [[-1e3, -1, -1e3], [1e3, 2, 1e3]] }", "[\"y\"]") + support("{ x = 0 }", "[\"x\"]") +
      support("\"block.bottom\"", "[\"z\"]") +
      action("down", "{ kind = \"displacement\", at = \"drum.bottom\", dof = \"z\", value = -1 }") +
      step("g", "GNA", "load = \"down\"\ncontrol = \"load\"\nfirst_step = 0.2\nstop = { load_factor = 1 }");
  const auto r = run(drum);
  const auto& last = path_of(r).increments.back();
  REQUIRE(last.load_factor == Approx(1));
  const auto& pressed = last.contacts.at(0);
  const double force = 2 * pressed.force.norm(), both = modulus / (2 * (1 - 0.3 * 0.3));
  CHECK(pressed.pressure == Approx(std::sqrt(force * both / (3.14159265358979 * radius))).epsilon(0.02));
  const double half = std::sqrt(4 * force * radius / (3.14159265358979 * both));
  CHECK(pressed.area == Approx(half).epsilon(0.1));  // to half an element
}

TEST_CASE("contact between parts: one that touches itself", "[study][fast]") {
  // half of a ring under pressure from outside, in compression flat until its crown meets its bottom
  const std::string ring =
      head() +
      "\n[[panels]]\nname = \"ring\"\nmaterial = \"m\"\nthickness = 0.8\nform = \"cylinder\"\naxis = [[0, 0, "
      "0], [0, 12, 0]]\nstart = [0, 0, -120]\nangle_deg = 180\ndivisions = [24, 1]\n" +
      support("\"ring\"", "[\"y\", \"rx\", \"rz\"]") + support("\"ring.start\"", "[\"x\", \"ry\"]") +
      support("\"ring.end\"", "[\"x\", \"ry\"]") + support("{ near = [-120, 0, 0] }", "[\"z\"]") +
      action("close", "{ kind = \"pressure\", on = \"ring\", value = 0.0148148 }") +
      shape("oval",
            "on = \"ring\"\ndisplacement = [\"0.5 * (x^2 - z^2) / 120^3 * x\", 0, \"0.5 * (x^2 - z^2) / 120^3 * "
            "z\"]") +
      "\n[[watches]]\nname = \"closing\"\nat = { near = [0, 0, 120] }\nrelative_to = { near = [0, 0, -120] }\ndirection = [0, "
      "0, -1]\n";
  const std::string path = step("g", "GNIA",
                                "load = \"close\"\nimperfection = \"oval\"\nfirst_step = 0.2\nstop = { load_factor "
                                "= 2, increments = 80 }");
  const auto free = run(ring + path);
  CHECK(!path_of(free).crossings.empty());  // reported
  const auto held = run(ring + contact("self_contact = \"ring\"") + path);
  CHECK(path_of(held).crossings.empty());
  const auto& last = path_of(held).increments.back();
  CHECK(last.load_factor == Approx(2));
  CHECK(last.watched[0] < 240 - 0.8 + 0.1);  // walls do not enter each other, but for a mesh of 24
  CHECK(last.contacts.at(0).pressed > 1);
}

TEST_CASE("contact between parts: what is wrong is reported in words", "[study][fast]") {
  const std::string plates = two_plates({}, "");
  const auto with = [&](const std::string& more) { return complaint_of(plates + "\n[[contacts]]\n" + more + "\n"); };
  CHECK(with("between = [\"upper\", \"lowr\"]").find("no part is called 'lowr'") != std::string::npos);
  CHECK(with("between = [\"upper\"]").find("between 1 parts") != std::string::npos);
  CHECK(with("name = \"c\"").find("does not say what may touch what") != std::string::npos);
  CHECK(with("between = [\"upper\", \"upper\"]").find("self_contact = \"upper\"") != std::string::npos);
  CHECK(with("between = [\"upper\", \"lower\"]\nindependent = \"x\"").find("none of the two") != std::string::npos);
  const std::string overlapping = head() + block("lower", 0, 5, "[2, 2, 1]") + block("upper", 4.9, 5, "[3, 3, 1]") +
                                  kBlocks + step("g", "GNA", kPress);
  CHECK(complaint_of(overlapping + contact("between = [\"upper\", \"lower\"]")).find("by up to 0.1") !=
        std::string::npos);
  const auto resting =
      run(overlapping + contact("between = [\"upper\", \"lower\"]\ninitial_penetration = \"stress-free\""));
  CHECK(path_of(resting).increments.front().contacts.at(0).pressed == Approx(0).margin(1e-9));
  CHECK(path_of(resting).increments.back().contacts.at(0).pressed == Approx(2000).epsilon(1e-3));
  const std::string bonded = head() + block("lower", 0, 5, "[2, 2, 1]") + block("upper", 5, 5, "[3, 3, 1]") +
                             "\n[[bonds]]\nname = \"seam\"\ndependent = \"upper.bottom\"\nindependent = \"lower\"\n" +
                             kBlocks + step("g", "GNA", kPress);
  CHECK(complaint_of(bonded + contact("between = [\"lower\", \"upper\"]")).find("are bonded by 'seam'") !=
        std::string::npos);
  const std::string frame = head() + profile("r", "shape = \"rectangle\"\nwidth = 5\nheight = 5") +
                            member("a", "[0, 0, 0]", "[100, 0, 0]") + member("b", "[0, 0, 20]", "[100, 0, 20]");
  CHECK(complaint_of(frame + contact("between = [\"a\", \"b\"]\nfriction = -1")).find("the friction is -1") !=
        std::string::npos);
}

TEST_CASE("contact between parts: panels joined along an edge stay joined there", "[study][fast]") {
  const std::string tee = head() + panel("skin", "[0, 0, 0]", "[100, 0, 0]", "[0, 60, 0]", "[8, 6]", "", 1) +
                          panel("rib", "[0, 30, 0]", "[100, 0, 0]", "[0, 0, 20]", "[8, 2]", "", 1) +
                          support("\"skin.start\"", "\"all\"") +
                          action("push", force("{ near = [100, 30, 20] }", "[0, 0, -2]")) +
                          step("g", "GNA", "load = \"push\"\nstop = { load_factor = 1 }");
  const double loose = path_of(run(tee)).increments.back().largest_displacement;
  const auto r = run(tee + contact("between = [\"skin\", \"rib\"]"));
  CHECK(path_of(r).increments.back().largest_displacement == Approx(loose).epsilon(1e-9));
  CHECK(path_of(r).increments.back().contacts.at(0).touching == 0);
}

}  // namespace contact_between_tests
