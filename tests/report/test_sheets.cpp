#include "archway/report/curves.hpp"
#include "archway/report/section_sheet.hpp"
#include "support/digits.hpp"

using namespace archway;

TEST_CASE("sheet: a section as text, in ASCII when asked, with every quantity", "[report][fast]") {
  const auto s = theory::section_properties("zed", {{"width", 50}, {"height", 100}, {"thickness", 4}});
  report::TextStyle plain;
  plain.unicode = false;
  const std::string text = report::section_text("purlin", s, "mm", plain);
  for (const auto& q : theory::quantities(s)) CHECK_THAT(text, Catch::Contains(q.name));
  CHECK(std::all_of(text.begin(), text.end(), [](char c) { return static_cast<unsigned char>(c) < 128; }));
  CHECK_THAT(text, Catch::Contains("#") && Catch::Contains("mm^4") && !Catch::Contains("nan"));
  CHECK_THAT(report::section_text("purlin", s, "mm", {}), Catch::Contains("\xE2\xA3"));
}

TEST_CASE("sheet: sections of every shape can be drawn, holes and all", "[report][fast]") {
  const auto shape = GENERATE(as<std::string>(), "circular-hollow", "rectangular-hollow", "angle", "cross");
  std::map<std::string, double> d = {{"width", 60}, {"height", 90}, {"thickness", 5}};
  if (shape == "circular-hollow") d = {{"diameter", 70}, {"thickness", 5}};
  const auto s = theory::section_properties(shape, d);
  const auto svg = report::section_figure("s.svg", shape, s, "mm");
  CHECK_THAT(svg.content, Catch::Contains("<svg") && Catch::Contains(shape) && !Catch::Contains("nan"));
  // principal axes are drawn where they are not y and z
  CHECK((svg.content.find(">u<") != std::string::npos) == (shape == "angle"));
  CHECK(report::section_figure("s.png", shape, s, "mm").content.substr(1, 3) == "PNG");
}

TEST_CASE("sheet: curves keep their names, labels and levels", "[report][fast]") {
  report::CurveSheet sheet{"Title",
                           "below it",
                           "displacement",
                           "load",
                           {{"first", {{0, 0}, {1, 2}, {3, 1}}}, {"second", {{0, 0}, {2, 2}}}},
                           {{"known", 1.5}}};
  const auto svg = report::curve_figure("c.svg", sheet).content;
  for (const char* word : {"Title", "below it", "displacement", "load", "first", "second", "known"})
    CHECK_THAT(svg, Catch::Contains(word));
  CHECK_THAT(svg, !Catch::Contains("nan"));
}
