// Imperfections that change the thickness of walls: formulas, maps, tables, random fields; their paths and slopes.
#include <filesystem>
#include <fstream>
#include <unistd.h>

#include <catch2/catch.hpp>

#include "archway/io/results_folder.hpp"
#include "archway/study/build_model.hpp"
#include "support/pieces.hpp"

namespace walls_tests {

using namespace archway;
using namespace archway::test;
using base::Vec3;

namespace {
std::string material(double poisson_ratio, const std::string& more = "") {
  return fmt::format(
      "[study]\ntitle = \"t\"\nformat = 1\nunits = {{ force = \"N\", length = \"mm\" }}\n[materials.m]\nyoungs_modulus = 200000\npoisson_ratio = "
      "{}\ndensity = 8e-9\n{}\n",
      poisson_ratio, more);
}
/// A in compression plate on simple supports that starts with a wave, with walls as `walls` says.
std::string plate(const std::string& faces, double thickness, const std::string& walls, const std::string& kind,
                  const std::string& more) {
  return material(0.3, kind == "GNIA" ? "" : "yield_stress = 250\nyielding = { law = \"perfect\" }") +
         panel("p", "[0, 0, 0]", "[300, 0, 0]", "[0, 200, 0]", "[6, 4]", faces, thickness) +
         support("{ on = \"p\", free_edges = true }", "[\"z\"]") + support("\"p.start\"", "[\"x\"]") +
         support("{ near = [0, 0, 0] }", "[\"y\"]") +
         action("push", "{ kind = \"edge\", at = \"p.end\", force = [-10, 0, 0] }") +
         action("own", "{ kind = \"acceleration\", value = [0, 0, -9810] }") +
         shape("wave", "shape = \"waves\"\non = \"p\"\nhalf_waves_along = 1\nhalf_waves_across = 1\namplitude = 0.4") +
         walls + step("la", "LA", "load = \"own\"") +
         step("g", kind, "preload_of = \"la\"\nload = \"push\"\nfirst_step = 4\ntolerance = 1e-10\n" + more);
}
/// A strip along x, clamped at its start, of one wall whose thickness grows from 4 to 8.
std::string strip(const std::string& loads, int elements) {
  return material(0) + panel("p", "[0, 0, 0]", "[400, 0, 0]", "[0, 10, 0]", fmt::format("[{}, 1]", elements), "", 4) +
         support("\"p.start\"", "[\"x\", \"y\", \"z\", \"rx\", \"ry\", \"rz\"]") + action("push", loads) +
         "\n[[watches]]\nname = \"tip\"\nat = { near = [400, 0, 0] }\ndirection = [0, 0, 1]\n\n[[watches]]\nname = "
         "\"end\"\nat = { near = [400, 0, 0] }\ndirection = [1, 0, 0]\n" +
         shape("taper", "on = \"p\"\nheight = \"8 - 4 * xi\"\nquantity = \"thickness\"") +
         step("g", "GNIA", "load = \"push\"\nimperfection = \"taper\"\nfirst_step = 1\nstop = { load_factor = 1 }");
}
}  // namespace

TEST_CASE("walls: thicker everywhere is another thickness, to the digit, for every element and law", "[study][fast]") {
  const auto [faces, kind] =
      GENERATE(Catch::Generators::table<std::string, std::string>({{"", "GNIA"},
                                                                   {"element_nodes = 3", "GNIA"},
                                                                   {"element_nodes = 9", "GNIA"},
                                                                   {"", "GMNIA"},
                                                                   {"element_nodes = 3", "GMNIA"},
                                                                   {"element_nodes = 9", "GMNIA"}}));
  CAPTURE(faces, kind);
  const std::string stop = "\nstop = { increments = 4 }";
  const auto thick = run(plate(faces, 5, "", kind, "imperfection = \"wave\"" + stop));
  const auto with = run(plate(faces, 4, shape("more", "on = \"p\"\nheight = \"1\"\nquantity = \"thickness-change\""),
                              kind, "imperfection = [\"wave\", \"more\"]" + stop));
  const auto &a = path_of(thick).increments, &b = path_of(with).increments;
  REQUIRE(a.size() == b.size());
  for (std::size_t k = 0; k < a.size(); ++k) {
    CHECK(b[k].load_factor == Approx(a[k].load_factor).epsilon(1e-8));
    CHECK(b[k].largest_displacement == Approx(a[k].largest_displacement).epsilon(1e-8));
    CHECK(b[k].plastic_strain == Approx(a[k].plastic_strain).margin(1e-9));
  }
  CHECK(with.find("g")->imperfection->largest == Approx(0.4).epsilon(1e-9));  // that of what moves
  CHECK(with.find("g")->seeded.at(1).measured.largest == Approx(1));
  CHECK(with.find("g")->seeded.at(1).measured.thinnest == Approx(5));
}

TEST_CASE("walls: a strip that tapers against its integrals", "[study][fast]") {
  const auto watched = [](const study::StudyResult& r, std::size_t watch) {
    return path_of(r).increments.back().watched.at(watch);
  };
  // u = F L / (E b (t1 - t0)) ln(t1 / t0); bending by the integral of F x^2 / (E I)
  const auto pulled = run(strip(force("{ near = [400, 5, 0] }", "[100, 0, 0]"), 1));
  CHECK_FALSE(pulled.find("g")->skipped);
  const auto pull = run(strip("{ kind = \"edge\", at = \"p.end\", force = [10, 0, 0] }", 40));
  CHECK(watched(pull, 1) == Approx(100.0 * 400 / (2e5 * 10 * 4) * std::log(2.0)).epsilon(2e-4));
  const auto bent = run(strip("{ kind = \"edge\", at = \"p.end\", force = [0, 0, 0.01] }", 40));
  double sum = 0;
  constexpr int cells = 2000;
  for (int k = 0; k < cells; ++k) {
    const double arm = 400 * (k + 0.5) / cells, t = 4 + 4 * arm / 400;  // from the tip, which is 4 thick
    sum += 0.1 * arm * arm / (2e5 * 10 * t * t * t / 12) * 400 / cells;
  }
  CHECK(watched(bent, 0) == Approx(sum).epsilon(1e-3));
}

TEST_CASE("walls: the slope of a peak by a map of thicknesses is what two runs differ by", "[study][fast]") {
  const auto text = [](double amplitude) {
    return head() +
           "\n[[panels]]\nname = \"roof\"\nmaterial = \"m\"\nthickness = 6\nform = \"cylinder\"\naxis = [[0, 0, "
           "0], [0, 400, 0]]\nstart = [-160, 0, 987]\nangle_deg = 18.4\ndivisions = [8, 8]\n"
           "\n[[supports]]\nat = { any = [\"roof.start\", \"roof.end\"] }\nrestrain = [\"x\", \"y\", \"z\"]\n" +
           action("push", force("{ near = [0, 200, 1000] }", "[0, 0, -1]")) +
           shape("worn", fmt::format("on = \"roof\"\nheight = \"cos(2 * pi * across) - xi\"\nquantity = "
                                     "\"thickness-change\"\namplitude = {}",
                                     amplitude)) +
           step("fall", "GNIA",
                "load = \"push\"\nimperfection = \"worn\"\ntolerance = 1e-9\nfirst_step = 400\npeak_slopes = "
                "true\nstop = { first_loss = true }");
  };
  const auto r = run(text(0.3));
  const auto& slopes = *r.find("fall")->slopes;
  INFO(slopes.missing);
  REQUIRE(slopes.shapes.size() == 1);
  const auto peak = [&](double amplitude) { return path_of(run(text(amplitude)), "fall").peak_load_factor; };
  CHECK(slopes.shapes[0].second == Approx((peak(0.303) - peak(0.297)) / 0.006).epsilon(0.01));
}

TEST_CASE("walls: maps, tables and random fields of thickness", "[study][fast]") {
  const auto skin = [](const std::string& divisions) {
    return head() + fmt::format(
                        "\n[[panels]]\nname = \"skin\"\nform = \"cylinder\"\nmaterial = \"m\"\nthickness = "
                        "2\naxis = [[0, "
                        "0, 0], [0, 0, 300]]\nstart = [200, 0, 0]\nangle_deg = 360\ndivisions = {}\n",
                        divisions);
  };
  std::string csv = "angle,height,deviation\n";
  for (int a = 0; a < 60; ++a)
    for (int k = 0; k <= 20; ++k)
      if (a % 17 != 3 || k != 9)  // a reading that is missing
        csv +=
            fmt::format("{},{},{}\n", 6 * a, 15 * k, 1.9 + 0.2 * std::cos(2 * a * M_PI / 30) * std::sin(k * M_PI / 20));
  const auto map = in_file("map.csv", csv);
  const auto read =
      made(skin("[60, 20]") + shape("s", "on = \"skin\"\nquantity = \"thickness\"\nmap = \"" + map + "\""), "s");
  CHECK(read.measured.thinnest == Approx(1.7).epsilon(0.01));
  CHECK(read.measured.thickest == Approx(2.1).epsilon(0.01));
  CHECK(read.measured.walls_only);
  CHECK(read.measured.root_mean_square == Approx(std::sqrt(0.01 + 0.01)).epsilon(0.02));
  // written out and read back: the same digits on the same mesh, the same wall on another
  const auto model = study::build_model(io::parse_study(skin("[60, 20]"), "trial.toml", {}));
  const auto file = in_file("walls.csv", io::wall_table(model, read.height));
  const std::string back = shape("s", "on = \"skin\"\nquantity = \"thickness-change\"\ntable = \"" + file + "\"");
  const auto again = made(skin("[60, 20]") + back, "s");
  CHECK(again.shape->thicker == read.shape->thicker);
  const auto other = made(skin("[64, 18]") + back, "s");
  CHECK(other.measured.root_mean_square == Approx(read.measured.root_mean_square).epsilon(0.02));
  double squares = 0;
  for (int seed = 1; seed <= 60; ++seed) {
    const auto s =
        made(skin("[40, 12]") + shape("s", fmt::format("shape = \"random\"\non = \"skin\"\nquantity = "
                                                       "\"thickness-change\"\ncorrelation_along = 150\nseed = "
                                                       "{}\namplitude = {{ rms = 0.1 }}",
                                                       seed)),
             "s");
    squares += s.measured.root_mean_square * s.measured.root_mean_square / 60;
  }
  CHECK(squares == Approx(0.01).epsilon(0.2));  // about fifteen patches a sample, less what means over elements take
}

TEST_CASE("walls: what cannot be a thickness is reported", "[study][fast]") {
  const auto base = head() + profile("r", "shape = \"rectangle\"\nwidth = 40\nheight = 60") +
                    member("post", "[0, 0, 0]", "[0, 0, 3000]") +
                    panel("thin", "[900, 0, 0]", "[300, 0, 0]", "[0, 300, 0]", "[4, 4]") +
                    panel("thick", "[1200, 0, 0]", "[300, 0, 0]", "[0, 300, 0]", "[4, 4]", "", 6);
  const auto [keys, told] = GENERATE(Catch::Generators::table<std::string, std::string>({
      {"height = \"-5 * xi\"\non = \"thin\"\nquantity = \"thickness-change\"",
       "the wall of 'thin' would be -0.375 thick"},
      {"height = \"0\"\non = \"thin\"\nquantity = \"thickness\"", "the wall of 'thin' would be"},
      {"height = \"0\"\non = \"thin\"\nquantity = \"thickness-change\"", "does not change anything"},
      {"height = \"1\"\non = [\"thin\", \"thick\"]\nquantity = \"thickness\"", "of different thickness"},
      {"height = \"1\"\non = \"thin\"\nquantity = \"thickness\"\namplitude = 2", "have no amplitude"},
      {"height = \"1\"\non = \"thin\"\nquantity = \"wall\"", "'quantity'"},
      {"height = \"1\"\non = \"thin\"\nquantity = \"thickness-change\"\ndirection = [0, 0, 1]", "on both faces alike"},
      {"shape = \"waves\"\non = \"thin\"\namplitude = 1\nquantity = \"thickness\"", "has no thicknesses of its own"},
      {"shape = \"twist\"\non = \"post\"\namplitude = 1\nquantity = \"thickness-change\"", "no height over a surface"},
      {"displacement = [0, 0, \"x\"]\non = \"thin\"\nquantity = \"thickness-change\"", "no height over a surface"},
      {"height = \"s\"\non = \"post\"\nquantity = \"thickness-change\"", "is no panel"},
  }));
  CAPTURE(keys);
  const auto said = refusal_of_shape(base + shape("s", keys), "s");
  CAPTURE(said);
  CHECK(said.find(told) != std::string::npos);
  CHECK(said.find("trial.toml:") != std::string::npos);
}

TEST_CASE("sections: the slope of a peak by a tapered rib is what two runs differ by", "[study][fast]") {
  const auto text = [](double share) {
    // in the plane of the arch the section's stiffnesses all grow with its width
    return head() + profile("foot", fmt::format("shape = \"rectangle\"\nwidth = {}\nheight = 20", 20 * share)) +
           profile("crown", fmt::format("shape = \"rectangle\"\nwidth = {}\nheight = 20", 14 * share)) +
           "\n[[members]]\nname = \"rib\"\nmaterial = \"m\"\nprofile = \"foot\"\nprofile_end = \"crown\"\nfrom = [0, "
           "0, "
           "0]\nto = [1000, 0, 60]\nelements = 10\nup = [0, 0, 1]\n" +
           support("\"rib.start\"", "[\"x\", \"y\", \"z\", \"rx\", \"rz\"]") +
           support("\"rib.end\"", "[\"x\", \"y\", \"rx\", \"ry\", \"rz\"]") +
           support("{ on = \"rib\", inner_nodes = true }", "[\"y\", \"rx\", \"rz\"]") +
           action("push", force("\"rib.end\"", "[0, 0, -1000]")) +
           shape("hump", "displacement = [0, 0, \"sin(pi * x / 1000)\"]\non = \"rib\"\namplitude = 1") +
           step("fall", "GNIA",
                "load = \"push\"\nimperfection = \"hump\"\ntolerance = 1e-9\nfirst_step = 1\npeak_slopes = true\nstop "
                "= { first_loss = true }");
  };
  const auto r = run(text(1));
  const auto& slopes = *r.find("fall")->slopes;
  INFO(slopes.missing);
  REQUIRE(slopes.sections.size() == 1);
  const auto peak = [&](double share) { return path_of(run(text(share)), "fall").peak_load_factor; };
  CHECK(slopes.sections[0].second == Approx((peak(1.005) - peak(0.995)) / 0.01).epsilon(0.01));
}

TEST_CASE("sections: sensitivities of a tapered column and of a laminate are exact", "[study][fast]") {
  const auto column =
      run(head() + profile("foot", "shape = \"rectangle\"\nwidth = 40\nheight = 60") +
          profile("head", "shape = \"rectangle\"\nwidth = 20\nheight = 30") +
          "\n[[members]]\nname = \"post\"\nmaterial = \"m\"\nprofile = \"foot\"\nprofile_end = \"head\"\nfrom = [0, 0, "
          "0]\nto = [0, 0, 4000]\nelements = 6\n" +
          support("\"post.start\"", "[\"x\", \"y\", \"z\", \"rx\", \"ry\", \"rz\"]") +
          action("push", force("\"post.end\"", "[0, 0, -1000]")) +
          step("b", "LBA", "load = \"push\"\nmodes = 1\nreversed_load = \"leave-out\"\nsensitivities = true"));
  // all stiffnesses times a factor: the load times the factor
  CHECK(column.find("b")->sensitivities.at(0).relative.at(0) == Approx(1).epsilon(1e-4));
  const auto plate = run(
      "[study]\ntitle = \"t\"\nformat = 1\nunits = { force = \"N\", length = \"mm\" }\n[plies.tape]\nyoungs_modulus_1 = 120000\nyoungs_modulus_2 = "
      "9000\npoisson_ratio = 0.3\nshear_modulus_12 = 5000\n[laminates.wall]\nlayup = [{ ply = \"tape\", thickness = 0.2, angle_deg "
      "= 0 }, { ply = \"tape\", thickness = 0.2, angle_deg = 90 }, { ply = \"tape\", thickness = 0.2, angle_deg = 0 "
      "}]\n[[panels]]\nname = \"p\"\nlaminate = \"wall\"\nfibre_direction = [1, 0, 0]\nelement_nodes = 9\ndivisions = [4, "
      "3]\ncorner = [0, 0, 0]\nalong = [300, 0, 0]\nacross = [0, 200, 0]\n" +
      support("{ on = \"p\", free_edges = true }", "[\"z\"]") + support("\"p.start\"", "[\"x\"]") +
      support("{ near = [0, 0, 0] }", "[\"y\"]") +
      action("push", "{ kind = \"edge\", at = \"p.end\", force = [-1, 0, 0] }") +
      step("b", "LBA", "load = \"push\"\nmodes = 1\nreversed_load = \"leave-out\"\nsensitivities = true"));
  REQUIRE(plate.find("b")->sensitivities.size() == 1);
  CHECK(plate.find("b")->sensitivities[0].relative.at(0) == Approx(3).epsilon(1e-3));  // of a thin plate
}

}  // namespace walls_tests
