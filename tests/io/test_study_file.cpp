#include <fstream>

#include "archway/base/errors.hpp"
#include "archway/io/study_file.hpp"
#include "archway/study/build_model.hpp"
#include "archway/study/chain.hpp"
#include "support/digits.hpp"
#include "support/studies.hpp"

using namespace archway;
using test::small_study;
using test::with;

namespace {
/// Reads, checks references and builds: everything before solving. Gives the whole message, or "".
std::string trouble(const std::string& text, const std::map<std::string, double>& set = {}) {
  try {
    const auto spec = io::parse_study(text, "bench.toml", set);
    if (auto list = study::complaints(spec); !list.empty()) throw base::InputError(std::move(list));
    const auto model = study::build_model(spec);
    (void)study::watch_points(spec, model);
  } catch (const base::InputError& error) {
    return error.what();
  }
  return "";
}

std::string many_parts() {
  std::string key = "a";
  for (int k = 0; k < 50000; ++k) key += ".a";
  return key;
}

struct Slip {
  std::string name, before, after, message, remedy;
};
}  // namespace

TEST_CASE("study file: the small study and the starter are sound", "[io][fast]") {
  CHECK(trouble(small_study()).empty());
  CHECK(trouble(io::starter_study()).empty());
}

TEST_CASE("study file: values, expressions and overrides", "[io][fast]") {
  const auto text = with(small_study(), "width = 30", "width = 30\nthird = \"(height + width) / 3 - 2^2 * sqrt(4)\"");
  const auto spec = io::parse_study(text, "bench.toml", {{"height", 900}});
  CHECK(spec.title == "Planting bench column");
  CHECK(spec.parameters.at("third") == 302);
  CHECK(spec.points.at("head").z() == 900);
  CHECK(spec.members[0].line.to.z() == 900);
  CHECK(spec.members[0].up == base::Vec3(1, 0, 0));
  CHECK(spec.profiles[0].dimensions.at("width") == 30);
  CHECK(spec.analyses[2].kind == &study::analysis_kind("GNIA"));
  CHECK(spec.analyses[2].stop.displacement == 60);
  CHECK(spec.imperfections[0].amplitude_kind == study::AmplitudeKind::share_of_length);
  CHECK(spec.combinations[0].terms.size() == 2);
  CHECK(spec.text == text);
}

TEST_CASE("study file: every slip is met with its place and what to do", "[io][fast]") {
  const auto slip = GENERATE(values<Slip>({
      {"syntax error", "title = \"Planting", "title = Planting", "bench.toml:2:9: this is not TOML", "toml.io"},
      {"unknown key", "elements = 6", "elemnts = 6", "bench.toml:28:1: this member has no key 'elemnts'",
       "did you mean 'elements'?"},
      {"unknown section", "[combinations.all]", "[combination.all]", "the study has no key 'combination'",
       "did you mean 'combinations'?"},
      {"wrong type", "modes = 2", "modes = [2]", "bench.toml:67:9: 'modes' of this analysis must be a number", "12.5"},
      {"not a whole number", "modes = 2", "modes = 2.5", "bench.toml:67:9: 'modes' of this analysis is 2.5", ""},
      {"text wanted", "name = \"foot\"", "name = 7", "'name' of this support must be a text in quotes", ""},
      {"missing key", "poisson_ratio = 0.33\n", "", "material 'alloy' needs 'poisson_ratio'",
       "add poisson_ratio = a number"},
      {"unknown parameter", "width = \"width\"", "width = \"widht\"", "cannot evaluate 'widht' at 'widht'",
       "did you mean 'width'?"},
      {"division by zero", "height = 20", "height = \"20 / (width - width)\"", "is not a finite number",
       "division by zero"},
      {"unknown unit", "length = \"mm\"", "length = \"inch\"", "bench.toml:4:33: 'length' of 'units' is 'inch'",
       "use one of: mm, cm, m"},
      {"missing material", "material = \"alloy\"", "material = \"aloy\"",
       "bench.toml:21:1: there is no material named 'aloy'", "did you mean 'alloy'?"},
      {"missing profile", "profile = \"bar\"", "profile = \"tube\"", "there is no profile named 'tube'", "known: bar"},
      {"unknown shape", "shape = \"rectangle\"", "shape = \"rectangel\"", "unknown profile shape 'rectangel'",
       "did you mean 'rectangle'?"},
      {"negative dimension", "height = 20", "height = -20", "'height' is -20", "it must be above zero"},
      {"negative stiffness", "youngs_modulus = 70000", "youngs_modulus = -1",
       "bench.toml:11:18: 'youngs_modulus' is -1", "it must be above zero"},
      {"impossible Poisson ratio", "poisson_ratio = 0.33", "poisson_ratio = 0.6",
       "material 'alloy': Poisson's ratio is 0.6", "between -1 and 0.5"},
      {"unknown point", "to = \"head\"", "to = \"heda\"", "there is no point named 'heda'", "did you mean 'head'?"},
      {"no length", "to = \"head\"", "to = [0, 0, 0]", "member 'column': it has no length", "different points"},
      {"empty selection", "at = \"head\"\nrestrain", "at = { z = 7 }\nrestrain",
       "bench.toml:37:6: the selection z = 7 catches no node", "pass through mesh nodes"},
      {"unknown group", "at = \"column.start\"", "at = \"colum.start\"", "nothing is called 'colum.start'",
       "did you mean 'column.start'?"},
      {"unknown degree of freedom", "\"z\", \"rz\"]", "\"z\", \"rw\"]", "'restrain' must list", "rx, ry, rz"},
      {"unclear total", "at = \"head\", force", "at = \"column\", force",
       "the force acts on 7 nodes, but does not say whether it is their total or acts on each",
       "distribution = \"total\" (0.142857 on each node) or distribution = \"each\" (7 in total)"},
      {"load on nothing", "{ kind = \"force\", at = \"head\", force = [0, 0, -1] }",
       "{ kind = \"pressure\", on = \"column\", value = 1 }",
       "the load acts on nothing: part 'column' has no elements of that kind", "'pressure' on panels"},
      {"load kind", "kind = \"gravity\"", "kind = \"gravitty\"", "'kind' of this load is 'gravitty'",
       "did you mean 'gravity'?"},
      {"weight without density", "density = 2.7e-9\n", "",
       "the acceleration acts on nothing: no material has a density", "density"},
      {"action in a combination", "press = 2", "pres = 2", "there is no action named 'pres'", "did you mean 'press'?"},
      {"unknown load", "load = \"weight\"", "load = \"wait\"", "there is no action or combination named 'wait'",
       "known: weight, press, all"},
      {"start from nothing", "preload_of = \"standing\"", "preload_of = \"sitting\"",
       "analysis 'buckling' starts from 'sitting', which does not come before it", "standing"},
      {"start from the wrong kind", "loads_of = \"buckling\"", "loads_of = \"collapse\"",
       "starts from 'collapse', which does not come before it", ""},
      {"a mode that does not exist", "mode = 1", "mode = 5",
       "imperfection 'bow' wants mode 5, but 'buckling' computes 2", "choose 1 to 2, or raise modes"},
      {"share of an unknown part", "part = \"column\" }", "part = \"colum\" }",
       "the amplitude of 'bow' is a share of part 'colum', which is not a member", "did you mean 'column'?"},
      {"zero amplitude", "{ length_ratio = 0.002, part = \"column\" }", "0", "the amplitude is zero",
       "a GNA follows the perfect structure"},
      {"unknown imperfection", "imperfection = \"bow\"", "imperfection = \"bown\"",
       "there is no imperfection named 'bown'", "did you mean 'bow'?"},
      {"unknown watch", "watch = \"middle\"", "watch = \"midle\"", "there is no watch point named 'midle'",
       "did you mean 'middle'?"},
      {"wide watch", "at = { near = [0, 0, \"height / 2\"] }", "at = \"column\"",
       "watch point 'middle' catches 7 nodes", "exactly one"},
      {"doubled name", "name = \"buckling\"", "name = \"standing\"", "a second analysis is named 'standing'",
       "its own name"},
      {"name with a slash", "name = \"standing\"", "name = \"a/b\"", "'a/b' cannot be the name of an analysis",
       "use letters"},
      {"stop rule", "increments = 30", "increments = 0", "'increments' must be at least 1", ""},
      {"unknown analysis kind", "kind = \"LBA\"", "kind = \"BLA\"", "'kind' of this analysis is 'BLA'", "LBA"},
      {"decimal comma", "height = 20", "height = \"20,5\"", "'20,5' is 2 numbers", "decimals with a point"},
      {"assignment", "height = 20", "height = \"width=5\"", "cannot evaluate 'width=5'", "omit '='"},
      {"unknown name in a field", "{ kind = \"gravity\" }",
       "{ kind = \"line\", on = \"column\", force = [\"foo * z\", 0, 0] }", "cannot evaluate 'foo * z' at 'foo'",
       "use numbers, parameters"},
      {"only an unknown name", "{ kind = \"gravity\" }",
       "{ kind = \"line\", on = \"column\", force = [0, \"all\", 0] }", "cannot evaluate 'all' at 'all'",
       "use numbers, parameters"},
      {"infinite", "youngs_modulus = 70000", "youngs_modulus = inf",
       "bench.toml:11:18: 'youngs_modulus' of material 'alloy' is inf", "finite"},
      {"no number", "force = [0, 0, -1]", "force = [nan, 0, -1]", "'force' of this load is nan", "finite"},
      {"overflow", "press = 2", "press = 1e308", "is 1e+308, above 1e+40", "real structure"},
      {"overflow in an expression", "press = 2", "press = \"1e30 * 1e30\"", "is 1e+60, above 1e+40", "real structure"},
      {"parameter with a dash", "width = 30", "width = 30\na-b = 3",
       "bench.toml:9:1: 'a-b' cannot be the name of a parameter", "letters, digits and _"},
      {"parameter that shadows a place", "width = 30", "width = 30\nz = 3", "'z' cannot be the name of a parameter",
       "the coordinate in expressions"},
      {"parameter that shadows a function", "width = 30", "width = 30\nsin = 3",
       "'sin' cannot be the name of a parameter", "a function in expressions"},
      {"fraction of a mode", "mode = 1\n", "modes = [[1.5, 1.0]]\n", "a mode number is 1.5, it must be a whole number",
       ""},
      {"negative stop", "value = 60", "value = 0", "'value' is 0", "a stop rule must not be zero"},
      {"tolerance out of reach", "modes = 2", "modes = 2\ntolerance = 1e-16", "'tolerance' is 1e-16",
       "rounding allows"},
      {"far too many elements", "elements = 6", "elements = 90000000", "the limit is 5e+06; most are of 'column'",
       "use fewer elements"},
      {"far too many modes", "modes = 2", "modes = 900000", "asks for 900000 modes, the limit is 5000",
       "ask for fewer"},
      {"control character", "title = \"Planting", "title = \"\\u001b[31mPlanting",
       "bench.toml:2:9: this text has a control character in it", "leave control characters out"},
      {"a key of very many parts", "[combinations.all]", "[" + many_parts() + "]", "a key has more than 100 parts", ""},
      {"files of two analyses", "name = \"collapse\"", "name = \"buckling-mode-1\"",
       "files of analysis 'buckling-mode-1' would have the names of files of analysis 'buckling'", "choose a name"},
      {"a very long name", "name = \"collapse\"", "name = \"" + std::string(200, 'c') + "\"", "has 200 characters",
       "use 80 at most"},
      {"no format", "format = 1\n", "", "the study has no 'format'", "archway migrate bench.toml"},
      {"a format to come", "format = 1\n", "format = 2\n", "this is format 2 of study files", "reads format 1"},
      {"no units", "units = { force = \"N\", length = \"mm\" }\n", "", "[study] has no 'units'", "add units = {"},
      {"loads of the wrong kind", "preload_of = \"standing\"", "state_of = \"standing\"",
       "'state_of' of 'buckling' names 'standing', an LA", "write preload_of = \"standing\""},
      {"no study table", "[study]\n", "[studio]\n", "the file has no [study] table", "archway new"},
  }));
  INFO(slip.name);
  const std::string told = trouble(with(small_study(), slip.before, slip.after));
  INFO(told);
  CHECK(told.find(slip.message) != std::string::npos);
  CHECK(told.find(slip.remedy) != std::string::npos);
}

TEST_CASE("study file: the source line and a caret are shown", "[io][fast]") {
  CHECK(trouble(with(small_study(), "elements = 6", "elemnts = 6")) ==
        "bench.toml:28:1: this member has no key 'elemnts'\n  elemnts = 6\n  ^\n  -> did you mean 'elements'?");
}

TEST_CASE("study file: all slips of a file are reported at once", "[io][fast]") {
  auto text = with(small_study(), "elements = 6", "elemnts = 6");
  text = with(text, "modes = 2", "modes = true");
  text = with(text, "restrain = [\"x\", \"y\"]", "restrain = 3");
  const std::string told = trouble(text);
  CHECK(told.find("'elemnts'") != std::string::npos);
  CHECK(told.find("'modes'") != std::string::npos);
  CHECK(told.find("'restrain'") != std::string::npos);
}

TEST_CASE("study file: a parameter set from outside must exist", "[io][fast]") {
  CHECK(trouble(small_study(), {{"heigth", 5}})
            .find("the study has no parameter 'heigth' to set\n  -> did you mean 'height'?") != std::string::npos);
}

TEST_CASE("study file: panels", "[io][fast]") {
  const std::string panel = R"(
[[panels]]
name = "shelf"
material = "alloy"
thickness = 3
corner = [0, 0, "height"]
along = [400, 0, 0]
across = [0, 200, 0]
divisions = [4, 2]
)";
  CHECK(trouble(small_study() + panel).empty());
  const auto slip = GENERATE(values<Slip>({
      {"negative thickness", "thickness = 3", "thickness = -3", "bench.toml:86:13: 'thickness' is -3",
       "it must be above zero"},
      {"no area", "across = [0, 200, 0]", "across = [200, 0, 0]",
       "panel 'shelf': its sides 'along' and 'across' are parallel or zero", "span an area"},
      {"no divisions", "divisions = [4, 2]\n", "", "this panel needs 'divisions'", "[16, 8]"},
      {"impossible divisions", "divisions = [4, 2]", "divisions = [0, 2]", "the number of divisions of a panel is 0",
       "use at least 1"},
      {"unknown surface", "thickness = 3", "thickness = 3\nform = \"cone\"", "'form' of this panel is 'cone'",
       "rectangle, cylinder"},
  }));
  INFO(slip.name);
  const std::string told = trouble(with(small_study() + panel, slip.before, slip.after));
  INFO(told);
  CHECK(told.find(slip.message) != std::string::npos);
  CHECK(told.find(slip.remedy) != std::string::npos);
}

TEST_CASE("study file: a file that is not there", "[io][fast]") {
  CHECK_THROWS_WITH(io::read_study("/nowhere/at/all.toml"),
                    Catch::Contains("/nowhere/at/all.toml: the study file cannot be opened"));
}

TEST_CASE("study file: broken text never does worse than a message", "[io][fast]") {
  // every prefix of a sound file, and single bytes rotated: no crash, no silence about what is missing
  const auto& text = small_study();
  for (std::size_t n = 0; n < text.size(); n += 37) CHECK_NOTHROW(trouble(text.substr(0, n)));
  for (std::size_t n = 5; n < text.size(); n += 23) {
    auto broken = text;
    broken[n] = broken[n] == '"' ? '7' : '"';
    CHECK_NOTHROW(trouble(broken));
  }
}
