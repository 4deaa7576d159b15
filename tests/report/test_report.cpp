#include <algorithm>
#include <png.h>
#include <sstream>

#include "archway/io/study_file.hpp"
#include "archway/report/figures.hpp"
#include "archway/report/live.hpp"
#include "support/digits.hpp"
#include "support/pieces.hpp"
#include "support/studies.hpp"

using namespace archway;

namespace {
report::TextStyle plain() {
  report::TextStyle style;
  style.unicode = false;
  return style;
}

struct Run {
  study::StudyResult result;
  std::string text, bar;
};
const Run& live_run() {
  static const Run run = [] {
    const auto spec = io::parse_study(test::small_study(), "bench.toml");
    std::ostringstream out, bar;
    report::LiveOptions options;
    options.out = &out;
    options.bar = &bar;
    options.style = plain();
    Run r;
    r.result = study::run_study(spec, report::live_watcher(spec, options));
    r.text = out.str() + report::comparison_text(r.result, plain());
    r.bar = bar.str();
    return r;
  }();
  return run;
}

/// Decoded picture: size, the number of distinct colours, and of points like the lines of obstacles.
struct Decoded {
  unsigned width = 0, height = 0;
  std::size_t colours = 0;
  std::ptrdiff_t slate = 0;
};
Decoded decode(const std::string& bytes) {
  png_image image{};
  image.version = PNG_IMAGE_VERSION;
  REQUIRE(png_image_begin_read_from_memory(&image, bytes.data(), bytes.size()) != 0);
  image.format = PNG_FORMAT_RGBA;
  std::vector<png_uint_32> pixels(static_cast<std::size_t>(image.width) * image.height);
  REQUIRE(png_image_finish_read(&image, nullptr, pixels.data(), 0, nullptr) != 0);
  const auto slate = std::count_if(pixels.begin(), pixels.end(), [](png_uint_32 p) {
    const auto red = p & 255U, green = p >> 8U & 255U, blue = p >> 16U & 255U;
    return red < green && green < blue && blue < red + 40 && blue < 190 && red > 60;
  });
  std::sort(pixels.begin(), pixels.end());
  return {image.width, image.height,
          static_cast<std::size_t>(std::unique(pixels.begin(), pixels.end()) - pixels.begin()), slate};
}
}  // namespace

TEST_CASE("text: a study as it runs, in order and in plain words", "[report][fast]") {
  const std::string& text = live_run().text;
  INFO(text);
  std::size_t at = 0;
  for (const char* piece : {"Planting bench column",
                            "units N, mm, s (mass in t); 1 member, 0 panels; 19 nodes, 6 beam elements",
                            "part    kind    material  size",
                            "action  total force [N]",
                            "weight",
                            "press   (0, 0, -1)",
                            "LA  standing (linear static analysis)",
                            "loads",
                            "reactions",
                            "loads and reactions agree to",
                            "axial force [N]",
                            "LBA  buckling (linear buckling analysis)",
                            "constant load: 1 x weight = (0, 0, -19.0641) N;  variable load: 1 x press = (0, 0, -1) N",
                            "critical load [N]",
                            "complete: 2 factors lie below",
                            "! a critical load factor from LBA is an upper estimate",
                            "GNIA  collapse (imperfect structure, large displacements)",
                            "imperfection 'bow' from 'buckling': largest 2.4 mm",
                            "load factor        middle   iter       step  state",
                            "constant part in place, stable",
                            "ended: displacement of 'middle' reached 60",
                            "No analysis contradicts the load as given",
                            "buckling (LBA): lowest critical load factor",
                            "Comparison",
                            "buckling",
                            "collapse"}) {
    const auto found = text.find(piece, at);
    INFO("looking for: " << piece);
    REQUIRE(found != std::string::npos);
    at = found;
  }
  CHECK(text.find("nan") == std::string::npos);
  CHECK(std::all_of(text.begin(), text.end(),
                    [](char c) { return static_cast<unsigned char>(c) < 128; }));  // ASCII when asked
}

TEST_CASE("text: one line an increment, none longer than the page", "[report][fast]") {
  std::istringstream lines(live_run().text);
  int increments = 0;
  for (std::string line; std::getline(lines, line);) {
    CHECK(line.size() <= 130);
    if (line.find("stable") != std::string::npos) ++increments;
  }
  CHECK(increments == static_cast<int>(live_run().result.find("collapse")->path->increments.size()));
}

TEST_CASE("live: the bar is written over and wiped, and never mixes with the text", "[report][fast]") {
  CHECK(live_run().bar.find("\r\033[K") != std::string::npos);
  CHECK(live_run().bar.find("increment 1, iteration") != std::string::npos);
  CHECK(live_run().bar.find('\n') == std::string::npos);
  CHECK(live_run().text.find('\r') == std::string::npos);
}

TEST_CASE("text: warnings, mechanisms and failures are in the text", "[report][fast]") {
  const auto spec =
      io::parse_study(test::with(test::small_study(), "youngs_modulus = 70000", "youngs_modulus = 7e10"), "bench.toml");
  const auto text = report::check_text(spec, study::check_model(spec, study::build_model(spec), false), plain());
  CHECK_THAT(text, Catch::Contains("! material 'alloy'") && Catch::Contains("stiffer than any building material"));
  const auto pulled =
      io::parse_study(test::with(test::small_study(), "force = [0, 0, -1]", "force = [0, 0, 1]"), "bench.toml");
  const auto result = study::run_study(pulled);
  CHECK_THAT(report::outcome_text(pulled, *result.model, *result.find("buckling"), plain()),
             Catch::Contains("no positive load factor exists"));
}

TEST_CASE("figures: every analysis has its pictures, PNG and SVG, drawn with colour", "[report][fast]") {
  const auto figures = report::figures(live_run().result);
  const auto find = [&](const std::string& name) -> const report::Figure& {
    const auto found = std::find_if(figures.begin(), figures.end(), [&](const auto& f) { return f.name == name; });
    REQUIRE(found != figures.end());
    return *found;
  };
  for (const char* name : {"standing-displacement", "standing-moment", "buckling-mode-1", "buckling-mode-2",
                           "buckling-modes", "collapse-imperfection", "collapse-peak", "collapse-end", "path-middle"}) {
    INFO(name);
    const auto picture = decode(find(std::string(name) + ".png").content);
    CHECK(picture.width == 1280);
    CHECK(picture.height == 800);
    CHECK(picture.colours > 50);
    const auto& svg = find(std::string(name) + ".svg").content;
    CHECK(svg.rfind("<svg", 0) == 0);
    CHECK(svg.find("Planting bench column</text>") != std::string::npos);  // text stays text
  }
  CHECK(figures.size() == 22);
  CHECK(find("path-middle.svg").content.find("'buckling': ") !=
        std::string::npos);  // the linear factor beside the path
}

TEST_CASE("figures: obstacles stand beside what may touch them", "[report][fast]") {
  const std::string body = GENERATE("plane = { point = [0, 0, -60], normal = [0, 0, 1] }",
                                    "cylinder = { axis = [[200, 0, -70], [200, 100, -70]], radius = 40 }",
                                    "sphere = { centre = [200, 50, -70], radius = 40 }",
                                    "sphere = { centre = [200, 50, -2060], radius = 2000 }",
                                    "cylinder = { axis = [[200, 0, 1940], [200, 100, 1940]], radius = 2000, "
                                    "inside = true }");
  CAPTURE(body);
  const auto slate = [](const std::string& obstacle) {
    const auto result =
        test::run(test::head() + test::panel("sheet", "[0, 0, 0]", "[400, 0, 0]", "[0, 100, 0]", "[8, 3]") +
                  test::support("\"sheet.start\"", "\"all\"") + obstacle +
                  test::action("push", "{ kind = \"surface\", on = \"sheet\", force = [0, 0, -1e-6] }") +
                  test::step("g", "GNA", "load = \"push\"\nstop = { load_factor = 1 }"));
    for (const auto& figure : report::figures(result))
      if (figure.name == "g-end.png") return decode(figure.content).slate;
    return std::ptrdiff_t(-1);
  };
  const auto without = slate(""),
             with = slate("\n[[obstacles]]\nname = \"body\"\n" + body + "\nat = { on = \"sheet\" }\n");
  REQUIRE(without >= 0);
  CHECK(with > without + 400);
}

TEST_CASE("figures: shells are drawn too, and special characters do no harm", "[report][fast]") {
  const std::string text = R"([study]
title = "Shelf <one> & two"
format = 1
units = { force = "N", length = "mm" }
[materials.sheet]
youngs_modulus = 70000
poisson_ratio = 0.3
[[panels]]
name = "shelf"
material = "sheet"
thickness = 2
form = "cylinder"
axis = [[0, 0, 0], [0, 300, 0]]
start = [200, 0, 0]
angle_deg = 120
divisions = [12, 6]
[[supports]]
at = "shelf.start"
restrain = "all"
[[actions]]
name = "push"
loads = [{ kind = "pressure", on = "shelf", value = 1e-4 }]
[[analyses]]
name = "bend"
kind = "LA"
load = "push"
)";
  const auto figures = report::figures(study::run_study(io::parse_study(text, "shelf.toml")));
  REQUIRE(figures.size() == 4);  // displacements and stresses
  CHECK(figures[2].name == "bend-stress.png");
  for (const std::size_t k : {0u, 2u}) CHECK(decode(figures[k].content).colours > 200);
  CHECK(figures[1].content.find("Shelf &lt;one&gt; &amp; two") != std::string::npos);
}

TEST_CASE("text: forces that are rounding beside the others are shown as 0", "[report][fast]") {
  const auto r = test::run(
      test::head() + test::profile("r", "shape = \"rectangle\"\nwidth = 20\nheight = 30") +
      test::member("a", "[0.1, 0.2, 0.3]", "[700.7, 300.1, 900.9]") + test::support("\"a.start\"", "\"all\"") +
      test::action("p", test::force("\"a.end\"", "[0, 0, -10]")) + test::step("la", "LA", "load = \"p\""));
  const auto text = report::outcome_text(r.spec, *r.model, *r.find("la"), plain());
  INFO(text);
  const auto row = text.find("\n  a ");
  REQUIRE(row != std::string::npos);
  const auto line = text.substr(row + 1, text.find('\n', row + 1) - row - 1);
  CHECK_THAT(line, Catch::Contains(", 0 ") && !Catch::Contains("e-"));
}

TEST_CASE("text: lists are as long as what they list", "[report][fast]") {
  for (const int supports : {2, 30, 31, 60}) {
    std::string text =
        "[study]\ntitle = \"t\"\nformat = 1\nunits = { force = \"N\", length = \"mm\" }\n[materials.m]\nyoungs_modulus = 200000\npoisson_ratio "
        "= 0.3\n"
        "[profiles]\nr = { shape = \"rectangle\", width = 20, height = 30 }\n";
    for (int k = 0; k < supports; ++k)
      text += fmt::format(
          "[[members]]\nname = \"m{0}\"\nmaterial = \"m\"\nprofile = \"r\"\nfrom = [{1}, 0, 0]\nto = [{1}, 0, 500]\nup "
          "= [1, 0, 0]\n"
          "elements = 1\n[[supports]]\nname = \"foot{0}\"\nat = \"m{0}.start\"\nrestrain = \"all\"\n",
          k, 100 * k);
    text += "[[actions]]\nname = \"P\"\nloads = [";
    for (int k = 0; k < supports; ++k)
      text += fmt::format("{{ kind = \"force\", at = \"m{}.end\", force = [1, 0, 0] }},", k);
    text += "]\n[[analyses]]\nname = \"la\"\nkind = \"LA\"\nload = \"P\"\n";
    const auto result = study::run_study(io::parse_study(text, "t.toml", {}));
    const std::string shown = report::outcome_text(result.spec, *result.model, *result.find("la"), plain());
    CAPTURE(supports);
    for (int k = 0; k < supports; ++k) CHECK_THAT(shown, Catch::Contains(fmt::format("foot{} ", k)));
  }
}

TEST_CASE("text: loads that balance each other have no critical load, in tables, pictures and the page",
          "[report][fast]") {
  const std::string text =
      test::head() + test::profile("r", "shape = \"rectangle\"\nwidth = 20\nheight = 30") +
      test::member("a", "[0, 0, 0]", "[1000, 0, 0]") + test::support("\"a.start\"", "[\"x\", \"y\", \"z\", \"rx\"]") +
      test::support("\"a.end\"", "[\"y\", \"z\"]") +
      test::action("p", test::force("\"a.start\"", "[10, 0, 0]") + ", " + test::force("\"a.end\"", "[-10, 0, 0]")) +
      test::step("b", "LBA", "load = \"p\"\nmodes = 1") +
      test::step("g", "GNA", "load = \"p\"\nstop = { first_loss = true }");
  const auto r = test::run(text);
  CHECK(r.comparison.at(0).load_factor == archway::test::but_for_rounding(test::factor(r)));
  for (const auto& row : r.comparison) CHECK(std::isnan(row.force));
  std::string all = report::comparison_text(r, plain()) + report::moving_modes_page(r);
  for (const auto* name : {"b", "g"}) all += report::outcome_text(r.spec, *r.model, *r.find(name), plain());
  for (const auto& figure : report::figures(r))
    if (figure.name.find(".svg") != std::string::npos) all += figure.content;
  CHECK_THAT(all, !Catch::Contains("(0 N)") && !Catch::Contains("critical load 0"));
  CHECK_THAT(all, Catch::Contains("\"critical\":\"-\"") && Catch::Contains("balance each other"));
}

TEST_CASE("text: preloads of structures with other numbers of parts are side by side by name", "[report][fast]") {
  const std::string text = R"([study]
title = "Posts"
format = 1
units = { force = "N", length = "mm" }
[parameters]
posts = 1
[materials.steel]
preset = "steel"
[profiles]
flat = { shape = "rectangle", width = 40, height = 10 }
[[members]]
name = "post"
material = "steel"
profile = "flat"
from = [0, 0, 0]
to = [0, 0, 900]
elements = 2
up = [1, 0, 0]
[[copies]]
parts = "post"
move = [500, 0, 0]
count = "posts"
[[supports]]
name = "feet"
at = { z = 0 }
restrain = "all"
[[actions]]
name = "wind"
loads = [{ kind = "acceleration", value = [9810, 0, 0] }]
[[analyses]]
name = "few"
kind = "LA"
load = "wind"
[[analyses]]
name = "many"
copy_of = "few"
set = { posts = 3 }
[[analyses]]
name = "one"
copy_of = "few"
set = { posts = 1 }
)";
  const auto result = study::run_study(io::parse_study(text, "posts.toml"));
  const auto said = report::comparison_text(result, plain());
  const auto line = said.find("stress in post-4");
  REQUIRE(line != std::string::npos);
  const std::string row = said.substr(line, said.find('\n', line) - line);
  CHECK(std::count(row.begin(), row.end(), '-') >= 3);  // of its own name, and in two columns
}

TEST_CASE("text: two preloads stand side by side, the picture shows the surface asked for", "[report][fast]") {
  const std::string text = R"([study]
title = "Shelf"
format = 1
units = { force = "N", length = "mm" }
[materials.steel]
preset = "steel"
yield_stress = 235
[[panels]]
name = "shelf"
material = "steel"
thickness = 4
corner = [0, 0, 0]
along = [400, 0, 0]
across = [0, 200, 0]
divisions = [8, 4]
[[supports]]
at = "shelf.start"
restrain = "all"
[[actions]]
name = "pots"
loads = [{ kind = "surface", on = "shelf", force = [0, 0, -0.001] }]
[[actions]]
name = "sun"
loads = [{ kind = "temperature", value = 40 }]
[[analyses]]
name = "pots"
kind = "LA"
load = "pots"
result_face = "middle"
[[analyses]]
name = "sun"
kind = "LA"
load = "sun"
)";
  const auto result = study::run_study(io::parse_study(text, "shelf.toml"));
  const auto said = report::comparison_text(result, plain());
  CHECK_THAT(said, Catch::Contains("Preloads side by side") && Catch::Contains("stress in shelf [N/mm^2]"));
  const auto peaks = analysis::peaks_by_part(*result.model, *result.find("pots")->linear);
  // cantilever: M = q l^2 / 2 per width at the clamp, the first row's middle is half an element off it
  const double expected = 6 * 0.001 * 375 * 375 / 2 / 16;
  CHECK(peaks[0].stress == Approx(expected).epsilon(0.15));
  CHECK(peaks[0].utilisation() == archway::test::but_for_rounding(peaks[0].stress / 235));
  for (const auto& figure : report::figures(result))
    if (figure.name == "pots-stress.svg") CHECK_THAT(figure.content, Catch::Contains("middle surface"));
  CHECK(result.check.parts[0].fineness.radius == 0.0);
  CHECK(result.check.parts[0].fineness.elements == archway::test::but_for_rounding(4));
}
