// Sweeps and shapes as somebody at the command line meets them.
#include <catch2/catch.hpp>

#include "desk.hpp"

using tour::Desk;

namespace {
const std::string kArch = R"study([study]
title = "Footpath arch"
format = 1
units = { force = "N", length = "mm" }
[parameters]
depth = 12
[materials.ash]
youngs_modulus = 12000
poisson_ratio = 0.3
[profiles.r]
shape = "rectangle"
width = 20
height = "depth"
[[members]]
name = "rib"
material = "ash"
profile = "r"
from = [0, 0, 0]
to = [1000, 0, 0]
via = [500, 0, 60]
elements = 8
up = [0, 1, 0]
[[supports]]
at = { any = ["rib.start", "rib.end"] }
restrain = ["x", "y", "z", "rx", "rz"]
[[supports]]
at = { on = "rib", inner_nodes = true }
restrain = ["y", "rx", "rz"]
[[actions]]
name = "push"
loads = [{ kind = "force", at = { near = [500, 0, 60] }, force = [0, 0, -1] }]
[[imperfections]]
name = "bow"
mode_of = "lba"
amplitude = 2
[[imperfections]]
name = "hump"
on = "rib"
displacement = [0, 0, "sin(3 * pi * x / 1000)"]
[[imperfections]]
name = "rough"
shape = "random"
on = "rib"
direction = [0, 0, 1]
correlation_along = 300
amplitude = { rms = 1.5 }
[[analyses]]
name = "lba"
kind = "LBA"
load = "push"
modes = 3
reversed_load = "leave-out"
[[analyses]]
name = "fall"
kind = "GNIA"
loads_of = "lba"
imperfection = "bow"
[[sweeps]]
name = "much"
analysis = "fall"
imperfections = ["bow", "hump"]
amplitudes = [1, 2, 3]
both_signs = true
[[sweeps]]
name = "samples"
analysis = "fall"
imperfections = ["rough"]
samples = 5
[[sweeps]]
name = "worst"
analysis = "fall"
worst_of = "lba"
modes = 3
steps = 2
amplitudes = [2]
[[sweeps]]
name = "screened"
analysis = "fall"
worst_of = "lba"
modes = 3
screen = 50
paths = 2
steps = 0
amplitudes = [1]
)study";
bool says(const std::string& text, const std::string& piece) {
  return text.find(piece) != std::string::npos;
}
}  // namespace

TEST_CASE("sweep: what is lost is run again, what is there is not, and the bits are the same", "[tour]") {
  const Desk desk;
  desk.write("arch.toml", kArch);
  const auto first = desk.run("archway sweep arch.toml much");
  INFO(first.out << first.err);
  REQUIRE(first.code == 0);
  CHECK(says(first.out, "12 cases, 12 wanted, 12 of them to do"));
  CHECK(says(first.out, "the worst is case"));
  const std::string folder = "arch-sweep-much/", whole = desk.read(folder + "case-0003.json");
  for (const char* file : {"sweep.csv", "sweep.png", "sweep.svg"}) CHECK(desk.has(folder + file));
  // one is gone, one was cut short, one is of another study
  CHECK(desk.run("rm arch-sweep-much/case-0003.json; truncate -s 40 arch-sweep-much/case-0004.json; sed -i "
                 "s/archway_case.*/archway_case\\\":\\\"x\\\",/ "
                 "arch-sweep-much/case-0005.json")
            .code == 0);
  const auto second = desk.run("archway sweep arch.toml much --jobs 1");
  CHECK(says(second.out, "3 of them to do"));
  CHECK(desk.read(folder + "case-0003.json") == whole);
  // killed in the middle, from nothing: what is there afterwards is whole, and the rest comes the next time
  (void)desk.run("timeout -s KILL 0.7 archway sweep arch.toml much --out killed; true");
  CHECK(desk.run("archway sweep arch.toml much --out killed").code == 0);
  CHECK(desk.run("for c in 01 05 09 12; do cmp arch-sweep-much/case-00$c.json killed/case-00$c.json || exit 1; done")
            .code == 0);
  // nothing of somebody else's is replaced
  CHECK(desk.run("mkdir mine; echo own > mine/sweep.csv").code == 0);
  CHECK(desk.run("archway sweep arch.toml much --out mine").code == 5);
  CHECK(desk.read("mine/sweep.csv") == "own\n");
  // another parameter, another key: all of them
  CHECK(says(desk.run("archway sweep arch.toml much --set depth=13").out, "12 of them to do"));
}

TEST_CASE("sweep: parts done elsewhere are joined, what does not belong is refused", "[tour]") {
  const Desk desk;
  desk.write("arch.toml", kArch);
  CHECK(desk.run("archway sweep arch.toml much --cases 1:4,9 --out a").code == 0);
  CHECK(desk.run("archway sweep arch.toml much --cases 5:8,10:12 --out b").code == 0);
  const auto joined = desk.run("archway sweep arch.toml much --out all --merge a --merge b");
  CHECK(joined.code == 0);
  CHECK(says(joined.out, "12 of 12 cases are done"));
  const auto refused = desk.run("archway sweep arch.toml much --set depth=13 --out other --merge a");
  CHECK(refused.code == 3);
  CHECK(says(refused.err, "it is of another study, version or case"));
  CHECK(desk.run("archway sweep arch.toml much --cases 9:40").code == 3);
  CHECK(says(desk.run("archway sweep arch.toml").err, "several sweeps"));
  // an array job for the cases that are missing
  CHECK(desk.run("rm all/case-0002.json all/case-0011.json; archway sweep arch.toml much --out all --slurm job.sh "
                 "--parts 2")
            .code == 0);
  const auto script = desk.read("job.sh");
  CHECK(says(script, "#SBATCH --array=1-2"));
  CHECK(says(script, "1) cases=2 ;;"));
  CHECK(says(script, "2) cases=11 ;;"));
  CHECK(desk.run("SLURM_ARRAY_TASK_ID=2 sh job.sh").code == 0);
  CHECK(desk.has("all/case-0011.json"));
}

TEST_CASE("sweep: samples have a spread, and a worst mix is no better than the first mode", "[tour]") {
  const Desk desk;
  desk.write("arch.toml", kArch);
  const auto samples = desk.run("archway sweep arch.toml samples");
  CHECK(samples.code == 0);
  CHECK(says(samples.out, "5 samples, mean"));
  const auto worst = desk.run("archway sweep arch.toml worst");
  INFO(worst.out << worst.err);
  CHECK(worst.code == 0);
  CHECK(says(worst.out, "of mode 1 alone"));
  CHECK(desk.has("arch-sweep-worst/worst.csv"));
  const auto screened = desk.run("archway sweep arch.toml screened");
  INFO(screened.out << screened.err);
  CHECK(screened.code == 0);
  CHECK(says(screened.out, "mixes by a reduced model of 3 modes"));
  CHECK(says(desk.read("arch-sweep-screened/worst.csv"), "run,load_factor,better,predicted,mix\n"));
  std::string negative = kArch;
  desk.write("arch.toml", negative.replace(negative.find("screen = 50"), 11, "screen = -1"));
  CHECK(says(desk.run("archway sweep arch.toml screened").err, "screen = 500"));
}

namespace {
const std::string kWorn = R"(
[[panels]]
name = "plate"
material = "ash"
thickness = 2
corner = [0, 500, 0]
along = [300, 0, 0]
across = [0, 200, 0]
divisions = [6, 4]
[[supports]]
at = { on = "plate", free_edges = true }
restrain = ["x", "y", "z"]
[[imperfections]]
name = "worn"
on = "plate"
quantity = "thickness"
height = "2 - 0.55 * xi"
)";
}  // namespace

TEST_CASE("shape: an imperfection is reported, drawn and written before it is used", "[tour]") {
  const Desk desk;
  desk.write("arch.toml", kArch);
  CHECK(says(desk.run("archway shape arch.toml").out, "modes of"));
  const auto shown = desk.run("archway shape arch.toml bow --picture bow.png --csv bow.csv --vtu bow.vtu");
  CHECK(shown.code == 0);
  CHECK(says(shown.out, "free of stress"));
  CHECK(desk.read("bow.csv").rfind("x,y,z,ux,uy,uz\n", 0) == 0);
  CHECK(desk.has("bow.png"));
  CHECK(says(desk.run("archway shape arch.toml bov").err, "did you mean"));
  // one that needs no analysis, beside one that does
  const auto alone = desk.run("archway shape arch.toml hump --picture hump.png");
  CAPTURE(alone.err);
  CHECK(alone.code == 0);
  CHECK(desk.has("hump.png"));
  desk.write("bin.toml", kArch + kWorn);
  const auto worn = desk.run("archway shape bin.toml worn --picture worn.png --csv worn.csv --vtu worn.vtu");
  CHECK(worn.code == 0);
  CHECK(says(worn.out, "walls from 1.496"));
  CHECK(desk.read("worn.csv").rfind("x,y,z,height\n", 0) == 0);
  CHECK(desk.has("worn.png"));
  CHECK(says(desk.read("worn.vtu"), "thicker"));
  // written as a mesh it is a table for another study
  auto other = kArch;
  other.replace(other.find("mode_of = \"lba\"\namplitude = 2"), 29, "table = \"bow.vtu\"");
  desk.write("other.toml", other);
  const auto again = desk.run("archway shape other.toml bow");
  CHECK(again.code == 0);
  CHECK(says(again.out, "largest 2 mm"));
  CHECK(says(desk.run("archway check arch.toml --pictures p").out, "imperfection 'hump'"));
  CHECK(desk.has("p/imperfection-hump.png"));
}
