// Shapes of imperfections, their amplitudes, tables and maps, designs and variants, sweeps, slopes of peaks.
#include <filesystem>
#include <fstream>
#include <unistd.h>

#include "archway/analysis/peak_slope.hpp"
#include "archway/analysis/system.hpp"
#include "archway/imperfection/measured_map.hpp"
#include "archway/io/results_folder.hpp"
#include "archway/io/sweep_files.hpp"
#include "archway/study/build_model.hpp"
#include "support/digits.hpp"
#include "support/pieces.hpp"

namespace imperfections_tests {

using namespace archway;
using namespace archway::test;
using base::Vec3;

namespace {
std::string cylinder(const std::string& name, const std::string& more, const std::string& divisions = "[48, 12]") {
  return fmt::format(
      "\n[[panels]]\nname = \"{}\"\nform = \"cylinder\"\nmaterial = \"m\"\nthickness = 1\naxis = [[0, 0, 0], [0, 0, 300]]\n"
      "\nstart = [200, 0, 0]\nangle_deg = 360\ndivisions = {}\n{}\n",
      name, divisions, more);
}
/// Height out of the surface at the node nearest to a place.
double height_at(const std::string& text, const study::SeededShape& s, const Vec3& place, const Vec3& outward) {
  const auto model = study::build_model(io::parse_study(text, "trial.toml", {}));
  std::size_t best = 0;
  for (std::size_t n = 0; n < model.nodes.size(); ++n)
    if ((model.nodes[n] - place).norm() < (model.nodes[best] - place).norm()) best = n;
  REQUIRE((model.nodes[best] - place).norm() < 1e-6);
  return s.shape->displacement[best].dot(outward);
}
}  // namespace

TEST_CASE("imperfections: shapes on a cylinder have their heights at their places", "[study][fast]") {
  struct Case {
    std::string keys;
    Vec3 place, outward;
    double height;
  };
  const double lambda = M_PI * std::sqrt(200.0) / std::pow(3 * (1 - 0.09), 0.25), x = M_PI * 25 / lambda;
  const auto c = GENERATE_COPY(
      Case{"shape = \"weld-depression\"\nweld_height = 150\namplitude = 0.5", {0, 200, 150}, {0, 1, 0}, -0.5},
      Case{"shape = \"weld-depression\"\nweld_height = 150\namplitude = 0.5",
           {-200, 0, 175},
           {-1, 0, 0},
           -0.5 * std::exp(-x) * (std::cos(x) + std::sin(x))},
      Case{"shape = \"weld-depression\"\nweld_type = \"b\"\nweld_height = 150\namplitude = 0.5",
           {-200, 0, 125},
           {-1, 0, 0},
           -0.5 * std::exp(-x) * std::cos(x)},
      Case{"shape = \"waves\"\nwaves_around = 6\nhalf_waves_along = 3\nphase_deg = 30\namplitude = 2",
           {0, 200, 50},
           {0, 1, 0},
           2 * std::sin(M_PI / 2) * std::cos(6 * M_PI / 3)},
      Case{"shape = \"waves\"\nwaves_around = 0\nhalf_waves_along = 4\nstart_phase_deg = 90\namplitude = 2",
           {200, 0, 0},
           {1, 0, 0},
           2},
      Case{"shape = \"dimple\"\ncentre = [0, 200, 150]\nwidth_along = 100\nwidth_across = 90\namplitude = -1",
           {0, 200, 175},
           {0, 1, 0},
           0.5},
      Case{"shape = \"ovality\"\nphase_deg = 90\namplitude = 3", {0, 200, 0}, {0, 1, 0}, 3},
      Case{"shape = \"weld-roof\"\nweld_angle_deg = 90\nhalf_width = 60\namplitude = 3", {0, 200, 100}, {0, 1, 0}, 3},
      Case{"height = \"2 * xi * cos(theta)\"", {-200, 0, 150}, {-1, 0, 0}, -1});
  const auto text = head() + cylinder("skin", "") + shape("s", c.keys + "\non = \"skin\"");
  CAPTURE(c.keys);
  CHECK(height_at(text, made(text, "s"), c.place, c.outward) == Approx(c.height).margin(1e-9));
}

TEST_CASE("imperfections: a cylinder that lies, is mirrored, far away or of a mesh has the same shape",
          "[study][fast]") {
  // heights go by the part's own coordinates, so everything that is measured is the same
  const std::string keys = "on = \"skin\"\nheight = \"xi * (1 - xi) * cos(5 * theta) + 0.1 * s / 300\"";
  const auto measured = [&](const std::string& panel) {
    const auto text = head() + panel + shape("s", keys);
    return made(text, "s").measured;
  };
  const auto own = measured(cylinder("skin", ""));
  const auto at = [](const std::string& from, const std::string& to, const std::string& start) {
    return fmt::format(
        "\n[[panels]]\nname = \"skin\"\nform = \"cylinder\"\nmaterial = \"m\"\nthickness = 1\naxis = [{}, "
        "{}]\nstart = {}\nangle_deg = 360\ndivisions = [48, 12]\n",
        from, to, start);
  };
  for (const auto& other : {measured(at("[0, 0, 0]", "[300, 0, 0]", "[0, 200, 0]")),
                            measured(at("[0, 0, 0]", "[0, 0, -300]", "[200, 0, 0]")),
                            measured(at("[4e6, 0, 7e5]", "[4e6, 0, 700300]", "[4000200, 0, 7e5]"))}) {
    CHECK(other.largest == Approx(own.largest).epsilon(1e-6));
    CHECK(other.root_mean_square == Approx(own.root_mean_square).epsilon(1e-6));
    CHECK(other.outward == Approx(own.outward).epsilon(1e-6));
    CHECK(other.inward == Approx(own.inward).epsilon(1e-6));
  }
}

TEST_CASE("imperfections: amplitudes of standards against hand numbers", "[study][fast]") {
  const auto [keys, value] = GENERATE(Catch::Generators::table<std::string, double>({
      {"{ standard = \"member-bow\", curve = \"b\", analysis = \"elastic\" }", 3000.0 / 250},
      {"{ standard = \"member-bow\", curve = \"a0\" }", 3000.0 / 300},
      {"{ standard = \"member-bow\", fabrication = \"rolled\", about = \"y\" }", 3000.0 / 250},  // h / b = 2: curve a
      {"{ standard = \"member-bow\", fabrication = \"welded\", about = \"z\" }", 3000.0 / 150},  // curve c
      {"{ standard = \"frame-sway\", height = 4000, columns = 3 }", 4000.0 / 200 * std::sqrt(0.5 * (1 + 1.0 / 3))},
      {"{ standard = \"frame-sway\", height = 16000 }", 16000.0 / 200 * 2 / 3},
      {"{ standard = \"panel\", a = 900, b = 600 }", 3},
      {"{ standard = \"stiffener\", a = 900, b = 600, factor = 2 }", 3},
      {"{ standard = \"flange\", width = 120 }", 2.4},
      {"{ standard = \"shell-dimple\", quality = \"A\", radius = 500, thickness = 2, length = 900 }",
       0.01 * 4 * std::sqrt(1000.0)},
      {"{ standard = \"shell-dimple\", quality = \"B\", compression = \"around\", radius = 500, thickness = 2, length = 900 "
       "}",
       0.016 * 2.3 * std::pow(900.0 * 900 * 1000, 0.25)},
      {"{ standard = \"shell-ovality\", quality = \"C\", radius = 450 }", 0.5 * (0.015 + 0.02 * 0.35) * 450},
      {"{ length_ratio = 0.002, part = \"post\" }", 6},
  }));
  const auto text = head() + profile("r", "shape = \"i\"\nwidth = 100\nheight = 200\nflange = 9\nweb = 6") +
                    member("post", "[0, 0, 0]", "[0, 0, 3000]") +
                    shape("s", "shape = \"bow\"\non = \"post\"\ndirection = [1, 0, 0]\namplitude = " + keys);
  const auto s = made(text, "s");
  CHECK(s.measured.largest == Approx(value).epsilon(1e-6));
  CHECK(s.measured.largest_at.z() == Approx(1500));
  if (keys.find("by") != std::string::npos) CHECK(told(s.notes, "EN 1993-1-"));
}

TEST_CASE("imperfections: members bow, twist and sway, a flange tilts, a panel has waves", "[study][fast]") {
  const auto text =
      head() + profile("r", "shape = \"rectangle\"\nwidth = 40\nheight = 60") +
      member("post", "[0, 0, 0]", "[0, 0, 3000]") + member("beam", "[0, 0, 3000]", "[2000, 0, 3000]") +
      panel("plate", "[0, 500, 0]", "[600, 0, 0]", "[0, 300, 0]", "[12, 6]") +
      shape("sway", "shape = \"sway\"\ndirection = [1, 0, 0]\nfrom_height = 0\nto_height = 3000\namplitude = 15") +
      shape("twist", "shape = \"twist\"\non = \"beam\"\nalong_line = \"growing\"\namplitude = 5") +
      shape("tilt", "shape = \"flange-tilt\"\non = \"plate\"\nhinge_point = [300, 500, 0]\namplitude = 6") +
      shape("waves", "shape = \"waves\"\non = \"plate\"\nhalf_waves_along = 2\nhalf_waves_across = 1\namplitude = 1");
  const auto sway = made(text, "sway");
  CHECK(height_at(text, sway, {2000, 0, 3000}, Vec3::UnitX()) == Approx(15));
  CHECK(height_at(text, sway, {0, 0, 1500}, Vec3::UnitX()) == Approx(7.5));
  // the corner of the section moves by the amplitude, its axis not at all
  const auto twist = made(text, "twist");
  CHECK(twist.measured.largest == Approx(5));
  CHECK(height_at(text, twist, {2000, 0, 3000}, Vec3::UnitZ()) == Approx(0).margin(1e-12));
  CHECK(height_at(text, made(text, "tilt"), {300, 650, 0}, Vec3::UnitZ()) == Approx(3));
  CHECK(height_at(text, made(text, "waves"), {150, 650, 0}, Vec3::UnitZ()) == Approx(1));
  CHECK(height_at(text, made(text, "waves"), {450, 650, 0}, Vec3::UnitZ()) == Approx(-1));
}

TEST_CASE("imperfections: what cannot be made is reported", "[study][fast]") {
  const auto base = head("[parameters]\nt = 2\n") + profile("r", "shape = \"rectangle\"\nwidth = 40\nheight = 60") +
                    member("post", "[0, 0, 0]", "[0, 0, 3000]") + cylinder("skin", "") +
                    panel("square", "[900, 0, 0]", "[300, 0, 0]", "[0, 300, 0]", "[4, 4]");
  const auto [keys, told] = GENERATE(Catch::Generators::table<std::string, std::string>({
      {"amplitude = 1", "does not say what shape it has"},
      {"shape = \"dent\"\namplitude = 1", "'shape'"},
      {"shape = \"waves\"\namplitude = 1", "does not say which parts have it"},
      {"shape = \"waves\"\non = \"skin\"\namplitude = 1", "these parts lie about an axis"},
      {"shape = \"ovality\"\non = \"square\"\namplitude = 1", "goes on a surface of revolution"},
      {"shape = \"bow\"\non = \"post\"\namplitude = 1", "does not say where it goes"},
      {"shape = \"bow\"\non = \"post\"\ndirection = [0, 0, 1]\namplitude = 1", "the bow runs along its own line"},
      {"shape = \"bow\"\non = \"square\"\ndirection = [0, 0, 1]\namplitude = 1", "is no member"},
      {"height = \"sqrt(-1 - s)\"\non = \"skin\"", "no finite height"},
      {"height = \"q * s\"\non = \"skin\"", "cannot evaluate"},
      {"height = \"0.1 * t\"\non = \"skin\"", "'t' is a parameter of the study and a coordinate here"},
      {"height = \"0 * s\"\non = \"skin\"", "does not move anything"},
      {"height = \"s\"\non = \"skim\"", "no part is called 'skim'"},
      {"table = \"nowhere.csv\"", "nowhere.csv"},
      {"shape = \"waves\"\non = [\"skin\", \"post\"]\nhalf_waves_along = 1\namplitude = 1", "are lines and surfaces"},
      {"shape = \"dimple\"\non = \"skin\"\ncentre = [0, 200, 9]\nwidth_along = 0\nwidth_across = 5\namplitude = 1",
       "above zero"},
      {"shape = \"waves\"\non = \"skin\"\nwaves_around = 4", "needs 'amplitude'"},
      {"shape = \"bow\"\non = \"post\"\ndirection = [1, 0, 0]\namplitude = { standard = \"member-bow\", curve = \"e\" }",
       "buckling curve 'e'"},
      {"shape = \"bow\"\non = \"post\"\ndirection = [1, 0, 0]\namplitude = { standard = \"shell-dimple\", quality = \"D\", "
       "radius = 5, thickness = 1, length = 9 }",
       "quality class 'D'"},
  }));
  CAPTURE(keys);
  const auto said = refusal_of_shape(base + shape("s", keys), "s");
  CHECK(said.find(told) != std::string::npos);
  CHECK(said.find("trial.toml:") != std::string::npos);
}

TEST_CASE("imperfections: a shape written out and read back on another mesh is the same", "[study][fast]") {
  const std::string height = "on = \"skin\"\nheight = \"sin(2 * pi * xi) * cos(4 * theta)\"\namplitude = 0.5";
  const auto first = head() + cylinder("skin", "", "[60, 16]") + shape("s", height);
  const auto spec = io::parse_study(first, "trial.toml", {});
  const auto model = study::build_model(spec);
  const auto own = made(first, "s");
  const auto file = in_file("shape.csv", io::imperfection_table(model, *own.shape));
  const auto again = made(head() + cylinder("skin", "", "[60, 16]") + shape("s", "table = \"" + file + "\""), "s");
  for (std::size_t n = 0; n < model.nodes.size(); ++n)
    REQUIRE(again.shape->displacement[n] == own.shape->displacement[n]);
  const auto other = made(head() + cylinder("skin", "", "[64, 15]") + shape("s", "table = \"" + file + "\""), "s");
  CHECK(other.measured.root_mean_square == Approx(own.measured.root_mean_square).epsilon(0.02));
  CHECK(other.measured.largest == Approx(own.measured.largest).epsilon(0.02));
  CHECK(other.warnings.empty());
  const auto coarse = made(head() + cylinder("skin", "", "[12, 4]") + shape("s", "table = \"" + file + "\""), "s");
  CHECK(told(coarse.warnings, "too coarse"));
  const auto far = in_file("far.csv", "x,y,z,ux,uy,uz\n9e5,0,0,1,0,0\n9e5,1,0,1,0,0\n");
  CHECK_THROWS_WITH(made(head() + cylinder("skin", "") + shape("s", "table = \"" + far + "\""), "s"),
                    Catch::Contains("no node is near a row of it"));
  const auto gaps = in_file("bad.csv", "x,y,z,ux,uy,uz\n1,2,3,a,0,0\n");
  CHECK_THROWS_WITH(made(head() + cylinder("skin", "") + shape("s", "table = \"" + gaps + "\""), "s"),
                    Catch::Contains("'a' is not a number"));
}

TEST_CASE("imperfections: a measured map with gaps, an outlier and a shifted axis", "[study][fast]") {
  std::string csv = "angle,height,deviation\n";
  const auto deviation = [](double angle, double h) { return 0.4 * std::cos(5 * angle) * std::sin(M_PI * h / 300); };
  int rows = 0;
  for (int a = 0; a < 90; ++a)
    for (int k = 0; k <= 20; ++k) {
      const double angle = 4.0 * a, h = 15.0 * k, rad = angle * M_PI / 180;
      const double d = deviation(rad, h) + 0.3 + 0.8 * std::cos(rad);  // the shell is wider and is aside
      const bool gap = a % 13 == 5 && k == 7, odd = a == 20 && k == 10;
      csv += fmt::format("{},{},{}\n", angle, h, gap ? "" : fmt::format("{}", odd ? d + 9 : d));
      ++rows;
    }
  const auto file = in_file("map.csv", csv);
  const std::string more = "\nremove_best_fit = true\nremove_outliers = true";
  const auto s =
      made(head() + cylinder("skin", "", "[72, 18]") + shape("s", "on = \"skin\"\nmap = \"" + file + "\"" + more), "s");
  CHECK(s.measured.outward == Approx(0.4).epsilon(0.02));
  CHECK(s.measured.inward == Approx(0.4).epsilon(0.02));
  CHECK(s.measured.root_mean_square == Approx(0.2).epsilon(0.03));
  CAPTURE(s.notes);
  CHECK(told(s.notes, "radius +0.2998"));
  CHECK(told(s.warnings, "1 rows lie far"));
  // a grid: heights down, angles across
  std::string grid = "height";
  for (int a = 0; a < 90; ++a) grid += fmt::format(",{}", 4 * a);
  for (int k = 0; k <= 20; ++k) {
    grid += fmt::format("\n{}", 15 * k);
    for (int a = 0; a < 90; ++a) grid += fmt::format(",{}", deviation(4.0 * a * M_PI / 180, 15.0 * k));
  }
  const auto table = in_file("grid.csv", grid + "\n");
  const auto g =
      made(head() + cylinder("skin", "", "[72, 18]") + shape("s", "on = \"skin\"\nmap = \"" + table + "\""), "s");
  CHECK(g.measured.root_mean_square == Approx(0.2).epsilon(0.02));
  CAPTURE(g.warnings);
  CHECK(g.warnings.empty());
}

TEST_CASE("imperfections: a scanned surface has the deviation that it was made with", "[study][fast]") {
  const auto perfect =
      study::build_model(io::parse_study(head() + cylinder("skin", "", "[120, 30]"), "trial.toml", {}));
  std::string obj;
  for (const auto& x : perfect.nodes) {
    const double angle = std::atan2(x.y(), x.x()), r = 200 + 0.5 * std::cos(3 * angle) * x.z() / 300;
    obj += fmt::format("v {} {} {}\n", r * std::cos(angle), r * std::sin(angle), x.z());
  }
  for (const auto& e : perfect.shell_elements)
    obj += fmt::format("f {} {} {} {}\n", e.nodes[0] + 1, e.nodes[1] + 1, e.nodes[2] + 1, e.nodes[3] + 1);
  const auto file = in_file("scan.obj", obj);
  const auto s =
      made(head() + cylinder("skin", "", "[48, 12]") + shape("s", "on = \"skin\"\nscan = \"" + file + "\""), "s");
  CHECK(s.measured.outward == Approx(0.5).epsilon(0.01));
  CHECK(s.measured.root_mean_square == Approx(0.5 / std::sqrt(6.0)).epsilon(0.02));
}

TEST_CASE("imperfections: random fields have their deviation and correlation, and close", "[study][fast]") {
  const auto spec = io::parse_study(head() + cylinder("skin", "", "[40, 12]"), "trial.toml", {});
  const auto model = study::build_model(spec);
  const imperfection::PartFrame frame(model, {0}, {{{Vec3(0, 0, 0), Vec3(0, 0, 300)}}, Vec3(200, 0, 0), Vec3::Zero()});
  CHECK(frame.closed());
  double square = 0, along = 0, around = 0, seam = 0;
  constexpr int samples = 400;
  for (int k = 1; k <= samples; ++k) {
    const auto height = imperfection::random_height(frame, {90, 150, static_cast<unsigned long long>(k)});
    const auto at = [&](double angle, double z) {
      return height(frame.place_of(Vec3(200 * std::cos(angle), 200 * std::sin(angle), z)));
    };
    const double a = at(1, 100);
    square += a * a / samples;
    along += a * at(1, 190) / samples;
    around += a * at(1 + 150.0 / 200, 100) / samples;
    seam = std::max(seam, std::abs(at(1e-7, 50) - at(2 * M_PI - 1e-7, 50)));
  }
  // within four standard errors of the sample
  CHECK(square == Approx(1).margin(4 * std::sqrt(2.0 / samples)));
  CHECK(along == Approx(std::exp(-1)).margin(4 * std::sqrt(1.2 / samples)));
  CHECK(around == Approx(std::exp(-1)).margin(4 * std::sqrt(1.2 / samples)));
  CHECK(seam < 1e-5);
}

namespace {
/// A shallow arch between pins, one load at its crown; a mode shapes its imperfection.
std::string arch(const std::string& more) {
  return head("[parameters]\ndepth = 12\n") + profile("r", "shape = \"rectangle\"\nwidth = 20\nheight = \"depth\"") +
         "\n[[members]]\nname = \"rib\"\nmaterial = \"m\"\nprofile = \"r\"\nfrom = [0, 0, 0]\nto = [1000, 0, 0]\nvia = "
         "[500, 0, "
         "60]\nelements = 10\nup = [0, 1, 0]\n" +
         "[[supports]]\nat = \"rib.start\"\nrestrain = [\"x\", \"y\", \"z\", \"rx\", \"rz\"]\n[[supports]]\nat = "
         "\"rib.end\"\nrestrain = [\"x\", \"y\", "
         "\"z\"]\n[[supports]]\nat = { on = \"rib\", inner_nodes = true }\nrestrain = [\"y\", \"rx\", \"rz\"]\n" +
         action("push", force("{ near = [500, 0, 60] }", "[0, 0, -1]")) +
         "\n[[watches]]\nname = \"crown\"\nat = { near = [500, 0, 60] }\n" +
         step("lba", "LBA", "load = \"push\"\nmodes = 2\nreversed_load = \"leave-out\"") +
         shape("first", "mode_of = \"lba\"\namplitude = 2") +
         shape("hump", "displacement = [0, 0, \"sin(3 * pi * x / 1000)\"]\non = \"rib\"\namplitude = -1.5") + more;
}
}  // namespace

TEST_CASE("variants: a path on another structure brings what it leans on along, designs run the whole chain",
          "[study][fast]") {
  const auto r =
      run(arch(step("fall", "GNIA",
                    "loads_of = \"lba\"\nimperfection = [\"first\", \"-0.5 * hump\"]\nstop = { first_loss = true }") +
               step("finer", "GNIA", "copy_of = \"fall\"\nrefine = 2") +
               "\n[[designs]]\nname = \"deep\"\n  set = { depth = 15 }\n"));
  for (const char* name : {"lba", "fall", "lba@refine=2", "finer", "lba@deep", "fall@deep"}) {
    CAPTURE(name);
    REQUIRE(r.find(name) != nullptr);
    CHECK(r.find(name)->usable());
  }
  CHECK(r.find("finer")->spec.source == "lba@refine=2");
  CHECK(r.find("fall@deep")->spec.source == "lba@deep");
  CHECK(r.find("fall")->seeded.size() == 2);
  CHECK(path_of(r, "finer").peak_load_factor == Approx(path_of(r, "fall").peak_load_factor).epsilon(0.01));
  CHECK(path_of(r, "fall@deep").peak_load_factor > 1.2 * path_of(r, "fall").peak_load_factor);
  const auto& rows = r.comparison;
  CHECK(std::any_of(rows.begin(), rows.end(),
                    [](const auto& row) { return row.note.find("of 'fall'") != std::string::npos; }));
  // the sum is what its parts make
  const auto& outcome = *r.find("fall");
  for (std::size_t n = 0; n < outcome.imperfection->displacement.size(); ++n)
    REQUIRE((outcome.imperfection->displacement[n] - outcome.seeded[0].shape->displacement[n] +
             0.5 * outcome.seeded[1].shape->displacement[n])
                .norm() < 1e-12);
}

TEST_CASE("sweeps: cases are numbered, keyed by what they hang on, and run as the chain runs them", "[study][fast]") {
  const std::string path =
      step("fall", "GNIA", "loads_of = \"lba\"\nimperfection = \"first\"\nstop = { first_loss = true }");
  const auto sweep = [](const std::string& amplitudes) {
    return "\n[[designs]]\nname = \"deep\"\n  set = { depth = 15 }\n\n[[sweeps]]\nname = \"much\"\nanalysis = "
           "\"fall\"\nimperfections "
           "= [\"first\", \"hump\"]\namplitudes = " +
           amplitudes + "\nboth_signs = true\ndesigns = [\"deep\"]\n";
  };
  const auto spec = io::parse_study(arch(path + sweep("[1, 2]")), "trial.toml", {});
  const auto cases = study::cases_of(spec.sweeps[0]);
  REQUIRE(cases.size() == 16);
  study::Sweep all(spec, spec.sweeps[0], {});
  const auto result = all.run(cases[2]);  // first, 2
  REQUIRE(result.usable);
  const auto chain = run(arch(path));
  CHECK(result.peak == path_of(chain, "fall").peak_load_factor);
  CHECK(all.run(cases[2]).peak == result.peak);  // the same bits again
  CHECK(result.critical == factor(chain, 1, "lba"));
  CHECK(std::isnan(result.branch_load));               // no analysis reports it
  CHECK(all.run(cases[10]).peak > 1.2 * result.peak);  // the deep one
  // adding an amplitude leaves the keys of the others
  const auto more = io::parse_study(arch(path + sweep("[1, 2, 3]")), "trial.toml", {});
  const auto key = io::case_key(spec, spec.sweeps[0], cases[2]);
  CHECK(io::case_key(more, more.sweeps[0], study::cases_of(more.sweeps[0])[2]) == key);
  const auto other = io::parse_study(arch(path + sweep("[1, 2]")), "trial.toml", {{"depth", 13}});
  CHECK(io::case_key(other, other.sweeps[0], cases[2]) != key);
  // a case's file holds all its digits, and nothing of another key
  const auto file = in_file("case.json", io::case_text(result, key));
  REQUIRE(io::read_case(file, key).has_value());
  CHECK(io::read_case(file, key)->peak == result.peak);
  CHECK(!io::read_case(file, "other").has_value());
}

TEST_CASE("sweeps: spread of samples as the standard's tables have it", "[study][fast]") {
  std::vector<double> list;
  for (int k = 0; k < 10; ++k) list.push_back(1 + 0.1 * k);
  const auto s = study::spread_of(list);
  CHECK(s.mean == Approx(1.45));
  CHECK((s.mean - s.fractile) / s.deviation == Approx(1.645).epsilon(1e-3));
  CHECK((s.mean - s.with_confidence) / s.deviation == Approx(2.104).epsilon(1e-3));
}

TEST_CASE("peak: its slope by the null vector is what two runs differ by", "[study][fast]") {
  const auto study = [](double amplitude, double hump) {
    return arch(
        shape("more",
              fmt::format("displacement = [0, 0, \"sin(3 * pi * x / 1000)\"]\non = \"rib\"\namplitude = {}", hump)) +
        shape("own", fmt::format("mode_of = \"lba\"\namplitude = {}", amplitude)) +
        step("fall", "GNIA",
             "loads_of = \"lba\"\nimperfection = [\"own\", \"more\"]\ntolerance = 1e-9\nfirst_step = 4000\nstop = "
             "{ first_loss = true }"));
  };
  const auto r = run(study(2, 0.5));
  const auto& outcome = *r.find("fall");
  const auto& path = *outcome.path;
  REQUIRE(path.peak_is_limit_point);
  const analysis::System system(*outcome.geometry);
  analysis::PathOptions options;
  options.variable = outcome.variable;
  const analysis::PeakSlope slope(system, options, path);
  const auto by_runs = [&](double da, double dh) {
    return path_of(run(study(2 + da, 0.5 + dh)), "fall").peak_load_factor -
           path_of(run(study(2 - da, 0.5 - dh)), "fall").peak_load_factor;
  };
  const auto unit = [](const imperfection::Imperfection& i) {
    auto m = i.displacement;
    for (auto& v : m) v /= i.largest;
    return m;
  };
  CHECK(slope.along(unit(*outcome.seeded[0].shape)) == Approx(by_runs(0.02, 0) / 0.04).epsilon(0.01));
  CHECK(slope.along(unit(*outcome.seeded[1].shape)) == Approx(by_runs(0, 0.02) / 0.04).epsilon(0.01));
}

TEST_CASE("peak: slopes by single nodes add up to the slope of a shape, by thickness to two runs", "[study][fast]") {
  // a shallow roof under a load at its crown
  const auto text = [](double wall, double height) {
    return head() +
           fmt::format(
               "\n[[panels]]\nname = \"roof\"\nmaterial = \"m\"\nthickness = {}\nform = \"cylinder\"\naxis = [[0, "
               "0, 0], [0, 400, 0]]\nstart = [-160, 0, 987]\nangle_deg = 18.4\ndivisions = [8, 8]\n",
               wall) +
           "\n[[supports]]\nat = { any = [\"roof.start\", \"roof.end\"] }\nrestrain = [\"x\", \"y\", \"z\"]\n" +
           action("push", force("{ near = [0, 200, 1000] }", "[0, 0, -1]")) +
           "\n[[watches]]\nname = \"crown\"\nat = { near = [0, 200, 1000] }\n" +
           shape("bump", fmt::format("on = \"roof\"\nheight = \"{} * sin(pi * xi) * sin(2 * pi * across)\"", height)) +
           step(
               "fall", "GNIA",
               "load = \"push\"\nimperfection = \"bump\"\ntolerance = 1e-9\nfirst_step = 400\npeak_slopes = true\nstop "
               "= { first_loss = true }");
  };
  const auto r = run(text(6, 0.2));
  const auto& outcome = *r.find("fall");
  REQUIRE(outcome.path->peak_is_limit_point);
  REQUIRE(outcome.slopes);
  INFO(outcome.slopes->missing);
  REQUIRE(outcome.slopes->missing.empty());
  const auto area = imperfection::tributary(*outcome.model, {0});
  double sum = 0;
  for (std::size_t n = 0; n < area.size(); ++n)
    sum += outcome.slopes->nodes[n] * area[n] * outcome.seeded[0].measured.along_normal[n] /
           outcome.seeded[0].measured.largest;
  CHECK(sum == Approx(outcome.slopes->shapes.at(0).second).epsilon(0.01));
  const auto peak = [&](double wall, double height) {
    return path_of(run(text(wall, height)), "fall").peak_load_factor;
  };
  CHECK(outcome.slopes->shapes.at(0).second == Approx((peak(6, 0.22) - peak(6, 0.18)) / 0.04).epsilon(0.01));
  CHECK(outcome.slopes->walls.at(0).second == Approx((peak(6.01, 0.2) - peak(5.99, 0.2)) / 0.02).epsilon(0.01));
}

TEST_CASE("branch: what its coefficients predict of imperfections", "[study][fast]") {
  using analysis::predicted_share;
  CHECK(predicted_share(0, 1, 5) == 1);
  CHECK(predicted_share(0.3, 1, 0) == 1);
  const double l = predicted_share(-0.2, 0, 0.5);
  CHECK((1 - l) * (1 - l) == Approx(4 * 0.2 * 0.5 * l));
  const double m = predicted_share(0, -0.7, 0.1);
  CHECK(std::pow(1 - m, 1.5) == Approx(1.5 * std::sqrt(3.0) * std::sqrt(0.7) * 0.1 * m));
}

}  // namespace imperfections_tests
