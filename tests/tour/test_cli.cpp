// The tool as a process: what a shell, a script and a person at a terminal get.
#include <csignal>
#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <sstream>
#include <sys/stat.h>
#include <sys/wait.h>
#include <thread>
#include <unistd.h>

#include <nlohmann/json.hpp>

#include "support/digits.hpp"
#include "support/studies.hpp"
#include "tour/desk.hpp"

using namespace archway;
namespace fs = std::filesystem;
using nlohmann::json;
using tour::contains;
using tour::Desk;

TEST_CASE("cli: help teaches, version reports, nonsense is code 2", "[tour]") {
  const Desk desk;
  const auto help = desk.run("archway --help");
  CHECK(help.code == 0);
  for (const char* word : {"run", "check", "new", "demo", "Exit codes", "First steps"}) CHECK(contains(help.out, word));
  CHECK(help.err.empty());
  CHECK(contains(desk.run("archway run --help").out, "--set"));
  CHECK(contains(desk.run("archway --version").out, "archway 0."));
  for (const char* line : {"archway", "archway fly", "archway run", "archway run a.toml --colour",
                           "archway run a.toml --set width", "archway run a.toml --set width=wide"}) {
    INFO(line);
    const auto o = desk.run(line);
    CHECK(o.code == 2);
    CHECK_FALSE(o.err.empty());
    CHECK(o.out.empty());
  }
  CHECK(desk.files().empty());
}

TEST_CASE("cli: new, check, run", "[tour]") {
  const Desk desk;
  CHECK(desk.run("archway new arch.toml").code == 0);
  CHECK(contains(desk.read("arch.toml"), "[study]"));
  CHECK(desk.run("archway new arch.toml").code == 5);  // never over a file that is there
  CHECK(desk.run("archway new arch.toml --force").code == 0);
  CHECK(desk.run("archway new").out == desk.read("arch.toml"));

  const auto check = desk.run("archway check arch.toml");
  CHECK(check.code == 0);
  CHECK(contains(check.out, "crown-load  (0, 0, -1)"));
  CHECK(contains(check.out, "3 analyses are ready to run"));
  CHECK(desk.files() == std::vector<std::string>{"arch.toml"});  // checking writes nothing

  const auto run = desk.run("archway run arch.toml");
  CHECK(run.code == 0);
  CHECK(run.err.empty());  // no bar, no noise when it is not a terminal
  CHECK(contains(run.out, "Comparison"));
  CHECK(contains(run.out, "limit point"));
  CHECK_FALSE(contains(run.out, "\033["));
  CHECK_FALSE(contains(run.out, "\r"));
  for (const char* file :
       {"results.json", "study.toml", "comparison.csv", "tables/buckling-modes.csv", "tables/collapse-path.csv",
        "vtu/collapse.pvd", "figures/path-crown.png", "figures/buckling-mode-1.svg"})
    CHECK(desk.has(std::string("arch-results/") + file));
  CHECK(desk.read("arch-results/study.toml") == desk.read("arch.toml"));
  CHECK(desk.files() == std::vector<std::string>{"arch-results", "arch.toml"});
}

TEST_CASE("cli: quiet and JSON for scripts, and the same bits again", "[tour]") {
  const Desk desk;
  desk.write("bench.toml", test::small_study());
  const auto quiet = desk.run("archway run bench.toml --quiet --no-figures");
  CHECK(quiet.code == 0);
  CHECK(quiet.out.rfind("No analysis contradicts the load as given", 0) == 0);
  const auto first = desk.run("archway run bench.toml --json --no-figures"),
             second = desk.run("archway run bench.toml --json --no-figures --out elsewhere");
  CHECK(first.code == 0);
  const json root = json::parse(first.out);
  CHECK(root["complete"] == true);
  CHECK(first.out == second.out);
  CHECK(first.out == desk.read("bench-results/results.json"));
  CHECK(desk.has("elsewhere/results.json"));
  CHECK_FALSE(desk.has("elsewhere/figures"));
  const auto wide = json::parse(desk.run("archway run bench.toml --json --no-figures --set width=60").out);
  CHECK(wide["study"]["overrides"]["width"] == 60);
  CHECK_DIGITS(wide["analyses"]["buckling"]["modes"][0]["load_factor"].get<double>(),
               2 * root["analyses"]["buckling"]["modes"][0]["load_factor"].get<double>(), 4, "twice as stiff");
  const auto check = json::parse(desk.run("archway check bench.toml --json").out);
  CHECK(check["model"]["beam_elements"] == 6);
}

TEST_CASE("cli: a wrong study is code 3, reported on the error stream, with nothing written", "[tour]") {
  const Desk desk;
  const auto slip = GENERATE(values<std::pair<std::string, std::string>>(
      {{"elements = 6", "elemnts = 6"},
       {"restrain = [\"x\", \"y\", \"z\", \"rz\"]", "restrain = [\"x\", \"y\", \"rz\"]"},
       {"at = \"head\"\nrestrain", "at = { x = 7 }\nrestrain"}}));
  desk.write("bench.toml", test::with(test::small_study(), slip.first, slip.second));
  for (const char* command : {"run", "check"}) {
    const auto o = desk.run(std::string("archway ") + command + " bench.toml --quiet");
    INFO(o.err);
    CHECK(o.code == 3);
    CHECK(o.out.empty());
    CHECK(contains(o.err, "bench.toml"));
    CHECK(contains(o.err, "->"));
  }
  CHECK(desk.files() == std::vector<std::string>{"bench.toml"});
  CHECK(desk.run("archway run missing.toml").code == 3);
}

TEST_CASE("cli: the mechanism of an unsupported structure is named", "[tour]") {
  const Desk desk;
  desk.write("bench.toml", test::with(test::small_study(), "restrain = [\"x\", \"y\", \"z\", \"rz\"]",
                                      "restrain = [\"x\", \"y\", \"rz\"]"));
  const auto o = desk.run("archway run bench.toml");
  CHECK(o.code == 3);
  CHECK(contains(o.err, "the whole structure can move along z without resistance"));
  CHECK(contains(o.err, "add supports"));
}

TEST_CASE("cli: places that cannot be written are code 5, before any work", "[tour]") {
  const Desk desk;
  desk.write("bench.toml", test::small_study());
  desk.write("letter.txt", "mine");
  for (const char* out : {"letter.txt", "/proc/no-such-place/results", "letter.txt/inside"}) {
    INFO(out);
    const auto o = desk.run(std::string("archway run bench.toml --out ") + out);
    CHECK(o.code == 5);
    CHECK(contains(o.err, "the results cannot be written"));
    CHECK(o.out.empty());
  }
  CHECK(desk.read("letter.txt") == "mine");
  CHECK(desk.files() == std::vector<std::string>{"bench.toml", "letter.txt"});
}

TEST_CASE("cli: an analysis without a usable end is code 4, and what there is was written", "[tour]") {
  const Desk desk;
  desk.write("bench.toml", test::with(test::small_study(), "force = [0, 0, -1]", "force = [0, 0, 1]"));
  const auto o = desk.run("archway run bench.toml --no-figures");
  CHECK(o.code == 4);
  CHECK(contains(o.out, "no positive load factor exists"));
  CHECK(contains(o.out, "only in tension"));
  CHECK(json::parse(desk.read("bench-results/results.json"))["complete"] == false);
}

TEST_CASE("cli: works in a pipe whose reader leaves", "[tour]") {
  const Desk desk;
  desk.write("bench.toml", test::small_study());
  const auto o = desk.run("archway run bench.toml | head -n 1; exit ${PIPESTATUS[0]}");
  CHECK(o.code == 0);
  CHECK(o.out == "Planting bench column\n");
  CHECK(desk.has("bench-results/results.json"));
}

TEST_CASE("cli: Ctrl-C keeps what is computed", "[tour]") {
  const Desk desk;
  // small steps and many of them, so that there is time to interrupt
  desk.write("bench.toml", test::with(test::small_study(), "stop = { watch = \"middle\", value = 60, increments = 30 }",
                                      "first_step = 0.01\nlargest_step = 0.01\nstop = { increments = 100000 }"));
  const auto o =
      desk.run("'" ARCHWAY_TOOL "' run bench.toml --no-figures & pid=$!; sleep 2; kill -INT $pid; wait $pid; exit $?");
  CHECK(o.code == 130);
  CHECK(contains(o.err, "stopped on request"));
  CHECK(contains(o.out, "Comparison"));
  const auto root = json::parse(desk.read("bench-results/results.json"));
  CHECK(root["stopped"] == true);
  CHECK(root["analyses"]["collapse"]["increments"].size() > 2);
  CHECK(root["analyses"]["buckling"]["modes"].size() == 2);
}

TEST_CASE("cli: results never cost anybody a file", "[tour]") {
  const Desk desk;
  desk.write("bench.toml", test::small_study());
  // into the folder the study lies in, which holds another program's results
  desk.write("results.json", "{\"other\": 1}");
  desk.write("thesis.txt", "mine");
  const auto refused = desk.run("archway run bench.toml --quiet --no-figures -o .");
  CHECK(refused.code == 5);
  CHECK(contains(refused.err, "it holds 'results.json', which no run of this program wrote there"));
  CHECK(desk.files() == std::vector<std::string>{"bench.toml", "results.json", "thesis.txt"});
  // an empty folder from inside, and again beside a note
  CHECK(desk.run("mkdir new && cd new && archway run ../bench.toml --quiet --no-figures -o .").code == 0);
  CHECK(desk.run("echo mine > new/notes.txt; cd new && archway run ../bench.toml --quiet --no-figures -o .").code == 0);
  CHECK(desk.read("new/notes.txt") == "mine\n");
  CHECK(json::parse(desk.read("new/results.json"))["complete"] == true);
  CHECK(desk.run("HOME=\"$PWD\" archway run bench.toml --quiet -o \"$PWD\"").code == 5);
  // pictures and meshes
  desk.write("c.png", "mine");
  CHECK(desk.run("archway section circle diameter=10 --picture c.png").code == 5);
  CHECK(desk.read("c.png") == "mine");
  CHECK(desk.run("archway section circle diameter=10 --picture c.png --force").code == 0);
  CHECK(desk.run("archway section circle diameter=12 --picture c.png").code == 0);  // ours by now
}

TEST_CASE("cli: output that cannot arrive is code 5 with its cause", "[tour]") {
  if (!fs::exists("/dev/full")) return;
  const Desk desk;
  desk.write("bench.toml", test::small_study());
  for (const char* line :
       {"archway run bench.toml --json --no-figures > /dev/full", "archway check bench.toml > /dev/full",
        "archway new > /dev/full", "archway section circle diameter=1 > /dev/full"}) {
    INFO(line);
    const auto o = desk.run(line);
    CHECK(o.code == 5);
    CHECK(contains(o.err, "the output cannot be written"));
  }
}

TEST_CASE("cli: a requirement that is not met is code 6, in text, data and table", "[tour]") {
  const Desk desk;
  desk.write("bench.toml", test::with(test::small_study(), "modes = 2", "modes = 2\nrequired_factor = 1e9"));
  const auto o = desk.run("archway run bench.toml --no-figures");
  CHECK(o.code == 6);
  CHECK(contains(o.out, "FAILED"));
  const json root = json::parse(desk.read("bench-results/results.json"));
  CHECK(root["complete"] == true);
  bool row = false;
  for (const auto& r : root["comparison"]) row = row || contains(r["note"].get<std::string>(), "FAILED");
  CHECK(row);
}

TEST_CASE("cli: stopped at once, older results stay, two runs into one folder, the second is reported", "[tour]") {
  const Desk desk;
  const std::string slow = test::with(test::small_study(), "stop = { watch = \"middle\", value = 60, increments = 30 }",
                                      "first_step = 0.01\nlargest_step = 0.01\nstop = { increments = 100000 }");
  desk.write("bench.toml", test::small_study());
  CHECK(desk.run("archway run bench.toml --quiet --no-figures -o r").code == 0);
  const auto before = desk.read("r/results.json");
  desk.write("slow.toml", slow);
  const auto o = desk.run("'" ARCHWAY_TOOL
                          "' run slow.toml --quiet --no-figures -o r & first=$!; sleep 1; "
                          "archway run bench.toml --quiet --no-figures -o r; echo second $? >&2; "
                          "kill -INT $first; wait $first; exit $?");
  CHECK(o.code == 130);
  CHECK(contains(o.err, "another run is writing into this folder now"));
  CHECK(contains(o.err, "second 5"));
  CHECK(desk.read("r/results.json") == before);
  CHECK(json::parse(desk.read("r/stopped/results.json"))["stopped"] == true);
  // killed outright: nothing older is lost, the next run says what it found
  CHECK(desk.run("'" ARCHWAY_TOOL
                 "' run slow.toml --quiet --no-figures -o r & first=$!; sleep 1; kill -9 $first; wait $first; "
                 "exit 0")
            .code == 0);
  CHECK(desk.read("r/results.json") == before);
  const auto next = desk.run("archway run bench.toml --quiet --no-figures -o r");
  CHECK(next.code == 0);
  CHECK(contains(next.err, "was killed before it ended"));
}

TEST_CASE("cli: the demo's studies run from the tool alone", "[tour]") {
  const Desk desk;
  // the shipped examples on a coarser mesh and fewer increments: the full demo is what tools/demo.sh runs
  for (const char* name : {"orchid-house-ribs", "orchid-house-skin", "rack-upright"}) {
    std::ifstream file(std::string(ARCHWAY_SOURCE_DIR "/examples/studies/") + name + ".toml");
    std::ostringstream text;
    text << file.rdbuf();
    desk.write(std::string(name) + ".toml", text.str());
  }
  const auto ribs = desk.run("archway run orchid-house-ribs.toml --quiet");
  CHECK(ribs.code == 0);
  CHECK(contains(ribs.out, "limit point"));
  const auto skin = desk.run("archway run orchid-house-skin.toml --quiet --set n=16");
  CHECK(skin.code == 0);
  CHECK(contains(skin.out, "peak (limit point)"));
  const auto root = json::parse(desk.read("orchid-house-skin-results/results.json"));
  const double linear = root["analyses"]["snow-buckling"]["modes"][0]["load_factor"],
               peak = root["analyses"]["snap-through"]["peak"]["load_factor"];
  CHECK(peak < linear);
  CHECK(peak > 0.2 * linear);
  const auto upright = desk.run("archway run rack-upright.toml --quiet --set n=4");
  CHECK(upright.code == 0);
  const auto racks = json::parse(desk.read("rack-upright-results/results.json"))["analyses"];
  // it folds below what yield alone and what buckling alone with its reserve would let it carry
  CHECK(racks["collapse"]["peak"]["load_factor"] < racks["squash"]["peak"]["load_factor"]);
  CHECK(racks["collapse"]["first_yield"]["load_factor"] < racks["collapse"]["peak"]["load_factor"]);
  CHECK(racks["collapse"]["increments"].back()["flow_by_part"].size() > 0);
  CHECK(desk.has("rack-upright-results/figures/collapse-peak-plastic.png"));
}

TEST_CASE("cli: a section is printed, drawn and reported as JSON, and mistakes get a suggestion", "[tour]") {
  const Desk desk;
  const auto told = desk.run("archway section channel width=50 height=120 flange=6 web=4 --picture c.svg");
  CHECK(told.code == 0);
  for (const char* piece : {"A ", "1032 mm^2", "I_w", "y_S, from centroid", "-32.361", "C centroid, S shear centre"})
    CHECK_THAT(told.out, Catch::Contains(piece));
  CHECK_THAT(desk.read("c.svg"), Catch::Contains("<svg"));
  const auto data = json::parse(desk.run("archway section circle diameter=10 --unit cm --json").out);
  CHECK(data["length"] == "cm");
  CHECK(data["properties"]["A"].get<double>() == archway::test::but_for_rounding(M_PI * 25));
  const auto typo = desk.run("archway section chanel width=50");
  CHECK(typo.code == 3);
  CHECK_THAT(typo.err, Catch::Contains("did you mean 'channel'?"));
  CHECK_THAT(desk.run("archway section channel widht=50").err, Catch::Contains("did you mean 'width'?"));
  CHECK_THAT(desk.run("archway section channel width").err, Catch::Contains("is not NAME=NUMBER"));
  CHECK(desk.run("archway section circle diameter=10 --picture no/such/folder/c.png").code == 5);
}

TEST_CASE("cli: a section of a study, by profile and by a cut through its panels", "[tour]") {
  const Desk desk;
  desk.write("a.toml", test::small_study());
  CHECK_THAT(desk.run("archway section a.toml").out, Catch::Contains("bar (rectangle)"));
  CHECK_THAT(desk.run("archway section a.toml --profile bra").err, Catch::Contains("did you mean 'bar'?"));
  CHECK_THAT(desk.run("archway section a.toml --cut x=5").err, Catch::Contains("cuts no panel"));
  const std::string gutter = std::string(ARCHWAY_SOURCE_DIR) + "/examples/studies/gutter-beam-shell.toml";
  const auto cut = json::parse(desk.run("archway section '" + gutter + "' --cut x=700 --json").out);
  const auto line =
      json::parse(desk.run("archway section lipped-channel width=62 height=142 lip=19 thickness=2 --json").out);
  for (const char* name : {"A", "I_y", "I_z", "J", "I_w"})
    CHECK(cut["properties"][name].get<double>() == Approx(line["properties"][name].get<double>()).epsilon(0.03));
}

TEST_CASE("cli: show lists names, counts and draws what a selection catches, and refuses what catches nothing",
          "[tour]") {
  const Desk desk;
  const std::string hopper = std::string(ARCHWAY_SOURCE_DIR) + "/examples/studies/grain-hopper.toml";
  const auto names = desk.run("archway show " + hopper);
  CHECK(names.code == 0);
  CHECK(contains(names.out, "ring-2.right"));
  const auto caught =
      desk.run("archway show " + hopper + " \"{ on = \\\"hopper\\\", free_edges = true }\" --picture rim.png");
  CHECK(caught.code == 0);
  CHECK(contains(caught.out, "64 nodes, from (-200, -200, -900) to (200, 200, -900) mm"));
  CHECK(contains(caught.out, "64 panel edges between them"));
  CHECK(desk.read("rim.png").substr(1, 3) == "PNG");
  const auto nothing = desk.run("archway show " + hopper + " \"{ z = 5000 }\"");
  CHECK(nothing.code == 3);
  CHECK(contains(nothing.err, "catches no node"));
  CHECK(contains(desk.run("archway show " + hopper + " \"{ zz = 1 }\"").err, "did you mean"));
  CHECK(contains(desk.run("archway show " + hopper + " walll").err, "did you mean 'wall'"));
}

TEST_CASE("cli: a mesh goes out and comes back into a study, with drawings before solving", "[tour]") {
  const Desk desk;
  const std::string deck = std::string(ARCHWAY_SOURCE_DIR) + "/examples/studies/potting-deck-skin.toml";
  CHECK(desk.run("archway mesh " + deck + " --out deck.vtu").code == 0);
  const auto told = desk.run("archway mesh deck.vtu --out deck.obj");
  CHECK(told.code == 0);
  CHECK(contains(told.out, "1836 panel, 0 solid, 0 line elements in 6 parts"));
  CHECK(contains(told.out, "0 nodes merged"));
  CHECK(contains(told.out, "180 edges with more than two panels"));
  std::string study =
      "[study]\ntitle = \"Deck from elsewhere\"\nformat = 1\nunits = { force = \"N\", length = \"mm\" }\n[materials.alloy]\n"
      "youngs_modulus = 70000\npoisson_ratio = 0.33\n[[meshes]]\nfile = \"deck.obj\"\nmaterial = \"alloy\"\n"
      "thickness = 4\nparts = { skin = { thickness = 3 } }\n[[supports]]\nat = { x = 0 }\nrestrain = \"all\"\n"
      "[[actions]]\nname = \"snow\"\nloads = [{ kind = \"surface\", on = \"skin\", force = [0, 0, -0.001] }]\n";
  desk.write("back.toml", study);
  const auto check = desk.run("archway check back.toml --pictures look");
  CHECK(check.code == 0);
  CHECK(contains(check.out, "t = 3 mm      1296"));
  CHECK(contains(check.out, "(0, 0, -1440)"));
  for (const char* name : {"look/structure.png", "look/axes.png", "look/load-snow.png"})
    CHECK(desk.read(name).substr(1, 3) == "PNG");
  desk.write("again.toml", study +
                               "[[analyses]]\nname = \"b\"\nkind = \"LBA\"\nload = \"snow\"\nmodes = 1\n"
                               "reversed_load = \"leave-out\"\nmesh_check = 2\n");
  const auto again = desk.run("archway run again.toml --no-figures").out;
  CHECK(contains(again, "second mesh with"));
  CHECK(!contains(again, "changes nothing"));
  std::string loose = study;
  loose.replace(loose.find("restrain = \"all\""), 16, "restrain = [\"x\", \"y\"]");
  desk.write("loose.toml", loose);
  CHECK(desk.run("archway check loose.toml --pictures free").code == 3);
  CHECK(desk.read("free/mechanism.png").substr(1, 3) == "PNG");
  desk.write("deck.obj", "v 0 0 0\nv 1 0 0\nf 1 2 3\n");
  const auto broken = desk.run("archway check back.toml");
  CHECK(broken.code == 3);
  INFO(broken.err);
  CHECK(contains(broken.err, "back.toml:9:8: deck.obj:3: vertex 3 does not exist (2 so far)"));
  CHECK(desk.run("archway mesh deck.step").code == 3);
  CHECK(desk.run("archway mesh deck.vtu --out nowhere/deck.obj").code == 5);
}

TEST_CASE("cli: every kind of structure of the examples runs, its preload in balance to eight digits", "[tour]") {
  const std::string name =
      GENERATE(as<std::string>{}, "glasshouse-space-frame", "trellis-arch", "canopy-girder", "shelter-folded-roof",
               "potting-deck-skin", "grain-hopper", "trellis-post-solid", "footpath-deck", "potting-shed-frame",
               "riveted-tray", "footpath-u-frames", "toggle-gate", "grain-bin-inside");
  INFO(name);
  const std::string file = std::string(ARCHWAY_SOURCE_DIR) + "/examples/studies/" + name + ".toml";
  std::ifstream stream(file);
  const std::string text((std::istreambuf_iterator<char>(stream)), {});
  CHECK(std::count(text.begin(), text.end(), '\n') < 80);
  const Desk desk;
  const auto o = desk.run("archway run " + file + " --out out --no-figures --json");
  INFO(o.err);
  REQUIRE(o.code == 0);
  int balanced = 0;
  const json results = json::parse(o.out);
  for (const auto& analysis : results["analyses"])
    for (const char* key : {"imbalance", "variable_imbalance"})
      if (analysis.contains(key)) {
        CHECK(analysis[key].get<double>() < 1e-8);
        ++balanced;
      }
  CHECK(balanced > 0);
  for (const auto& analysis : results["analyses"]) {
    double most = 0;
    const json increments = analysis.value("increments", json::array());
    for (const auto& i : increments)
      for (const auto& reaction : i["reactions"])
        most = std::max(most, std::hypot(reaction["force"][0].get<double>(), reaction["force"][1].get<double>(),
                                         reaction["force"][2].get<double>()));
    for (const auto& i : increments) CHECK(i["imbalance"].get<double>() <= 1e-6 * most);
  }
}

TEST_CASE("cli: results of a study with joints hold every table", "[tour]") {
  const Desk desk;
  const std::string post = std::string(ARCHWAY_SOURCE_DIR) + "/examples/studies/bench-frame-solid.toml";
  REQUIRE(desk.run("archway run '" + post + "' -o out --no-figures").code == 0);
  CHECK_THAT(desk.read("out/tables/push-solid-stresses.csv"), Catch::StartsWith("part,element,corner,node,s11"));
  CHECK_THAT(desk.read("out/tables/push-averaged-stresses.csv"), Catch::Contains(",solid,"));
  const auto root = json::parse(desk.read("out/results.json"));
  CHECK(root["model"]["solid_elements"].get<int>() > 400);
  CHECK(root["analyses"]["push"]["imbalance"].get<double>() < 1e-8);
  CHECK(root["analyses"]["push"]["stresses"]["rail"]["equivalent_corners"].get<double>() > 0);
}

TEST_CASE("cli: a part of the chain runs with what it needs and leaves the results of all of it", "[tour]") {
  const Desk desk;
  desk.write("bench.toml", test::small_study());
  CHECK(desk.run("archway run bench.toml --no-figures -q").code == 0);
  const auto whole = desk.read("bench-results/results.json");
  CHECK(desk.run("archway run bench.toml --only standing --no-figures -q").code == 0);
  auto part = json::parse(desk.read("bench-results-partial/results.json"));
  CHECK(part["analyses"].size() == 1);
  CHECK(part["analyses"].contains("standing"));
  CHECK(desk.run("archway run bench.toml --only buckling --no-figures -q").code == 0);
  part = json::parse(desk.read("bench-results-partial/results.json"));
  CHECK(part["analyses"].size() == 2);  // and the preload it needs
  CHECK(part["analyses"]["buckling"]["modes"][0]["load_factor"] ==
        json::parse(whole)["analyses"]["buckling"]["modes"][0]["load_factor"]);
  CHECK(desk.run("archway run bench.toml --from buckling --no-figures -q").code == 0);
  CHECK(json::parse(desk.read("bench-results-partial/results.json"))["analyses"].size() == 3);
  CHECK(desk.read("bench-results/results.json") == whole);
  CHECK(contains(desk.run("archway run bench.toml --only bukling").err, "did you mean 'buckling'?"));
  const auto wrong = desk.run("archway check nothere.toml --json");
  CHECK(wrong.code == 3);
  CHECK(json::parse(wrong.out)["errors"][0]["place"] == "nothere.toml");
  CHECK(desk.run("archway show bench.toml --names analyses").out == "standing\nbuckling\ncollapse\n");
  for (const char* shell : {"bash", "zsh", "fish"})
    CHECK(contains(desk.run(std::string("archway completion ") + shell).out, "migrate"));
  CHECK(contains(desk.run("archway manual").out, ".SH COMMANDS"));
}
