#include <algorithm>
#include <cmath>

#include "archway/base/errors.hpp"
#include "archway/theory/knock_down.hpp"
#include "archway/theory/plates.hpp"
#include "archway/theory/shells.hpp"
#include "catalogue_detail.hpp"

namespace archway::theory::detail {

namespace {
constexpr double kPi_catalogue_shells = 3.14159265358979323846;
const FormulaInput kPoisson = number("poisson_ratio", "Poisson's ratio", kPlain, 0.3);
const FormulaInput kThickness = number("thickness", "of the wall", kLength);
const FormulaInput kRadius = number("radius", "of the middle surface", kLength);
const FormulaInput kModesOfShells = number("modes", "how many critical loads", kPlain, 3);

int modes_of_shell(const FormulaInputs& in) {
  return std::max(1, static_cast<int>(in["modes"]));
}
PlateEdge edge_of(char letter) {
  return letter == 's' ? PlateEdge::supported : letter == 'c' ? PlateEdge::clamped : PlateEdge::free;
}
FormulaInput edge_pair(const char* name, const char* meaning) {
  return word(
      name, meaning,
      {"supported-supported", "clamped-clamped", "supported-clamped", "supported-free", "clamped-free", "free-free"});
}

void set_plate(Plate& p, const FormulaInputs& in) {
  p.length = in["length"];
  p.width = in["width"];
  const std::string &ends = in.words.at("loaded_edges"), &sides = in.words.at("side_edges");
  p.edges = {edge_of(ends[0]), edge_of(ends[ends.find('-') + 1]), edge_of(sides[0]),
             edge_of(sides[sides.find('-') + 1])};
  p.restraint_y0 = in["side_restraint"];
  p.restraint_yb = in["far_side_restraint"] < 0 ? p.restraint_y0 : in["far_side_restraint"];
  p.along = in["along"];
  p.along_variation = in["variation"];
  p.across = in["across"];
  p.shear = in["shear"];
  p.constant_along = in["constant_along"];
  p.constant_across = in["constant_across"];
  p.constant_shear = in["constant_shear"];
}

std::vector<FormulaInput> plate_inputs(std::vector<FormulaInput> first) {
  const std::vector<FormulaInput> rest = {
      number("length", "along the main compression", kLength),
      number("width", "across it", kLength),
      edge_pair("loaded_edges", "where the main compression enters"),
      edge_pair("side_edges", "the other two"),
      number("side_restraint", "rotational spring of the sides, per length", kForce, 0),
      number("far_side_restraint", "of the second side, where it differs; below 0: as the first", kForce, -1),
      number("along", "variable force per length, compression positive", kLineLoad, 1),
      number("variation", "it is along (1 - variation y / width)", kPlain, 0),
      number("across", "growing, compression positive", kLineLoad, 0),
      number("shear", "variable", kLineLoad, 0),
      number("constant_along", "constant", kLineLoad, 0),
      number("constant_across", "constant", kLineLoad, 0),
      number("constant_shear", "constant", kLineLoad, 0),
      kModesOfShells};
  first.insert(first.end(), rest.begin(), rest.end());
  return first;
}

std::vector<FormulaValue> plate(const FormulaInputs& in) {
  Plate p;
  p.bending = isotropic_bending(in["youngs_modulus"], in["poisson_ratio"], in["thickness"]);
  set_plate(p, in);
  std::vector<FormulaValue> out;
  const auto factors = plate_factors(p, modes_of_shell(in));
  add_critical(out, factors, "load factor", kPlain);
  if (!factors.empty() && p.along != 0)
    out.push_back(
        {"coefficient", "k = N b^2 / (pi^2 D) of the first, N along at y = 0",
         factors[0] * p.along * p.width * p.width / (kPi_catalogue_shells * kPi_catalogue_shells * p.bending[0]),
         kPlain});
  return out;
}

std::vector<FormulaValue> orthotropic_plate(const FormulaInputs& in) {
  Plate p;
  p.bending = {in["d11"], in["d12"], in["d22"], in["d66"], in["d16"], in["d26"]};
  set_plate(p, in);
  std::vector<FormulaValue> out;
  add_critical(out, plate_factors(p, modes_of_shell(in)), "load factor", kPlain);
  return out;
}

Cylinder cylinder_of(const FormulaInputs& in) {
  return {in["youngs_modulus"], in["poisson_ratio"],
          in["radius"],         in["thickness"],
          in["length"],         in.is("strains", "sanders") ? ShellTheory::sanders : ShellTheory::donnell};
}

std::vector<FormulaValue> cylinder(const FormulaInputs& in) {
  const Cylinder c = cylinder_of(in);
  const double around = 2 * kPi_catalogue_shells * c.radius, slender = c.radius / c.thickness;
  std::vector<FormulaValue> out;
  const auto add = [&](const std::vector<ShellMode>& modes, const char* meaning, UnitPowers unit) {
    for (const auto& mode : modes) out.push_back({"critical", meaning, mode.load, unit});
    out.push_back({"waves_around", "full waves of the first", static_cast<double>(modes.at(0).around), kPlain});
    if (modes[0].along > 0)
      out.push_back({"half_waves_along", "of the first", static_cast<double>(modes[0].along), kPlain});
  };
  if (in.is("load", "axial")) {
    add(cylinder_modes(c, CylinderLoad::axial, modes_of_shell(in)), "force per length of rim", kLineLoad);
    out.push_back({"axial_force", "whole force of the first", around * out[0].value, kForce});
    out.push_back({"knock_down", "lower bound to tests, [NASA-SP8007]", test_bound_axial(slender), kPlain});
  } else if (in.is("load", "torsion")) {
    add(cylinder_modes(c, CylinderLoad::torsion, modes_of_shell(in)), "shear force per length", kLineLoad);
    out.push_back({"torque", "of the first", around * c.radius * out[0].value, kMoment});
    out.push_back({"knock_down", "lower bound to tests, [NASA-SP8007]", kTestBoundTorsion, kPlain});
  } else if (in.is("load", "bending")) {
    const auto mode = cylinder_bending(c);
    out = {{"critical", "largest axial force per length", mode.load, kLineLoad},
           {"moment", "", kPi_catalogue_shells * c.radius * c.radius * mode.load, kMoment},
           {"half_waves_along", "", static_cast<double>(mode.along), kPlain},
           {"knock_down", "lower bound to tests, [NASA-SP8007]", test_bound_bending(slender), kPlain}};
  } else {
    const auto load =
        in.is("load", "lateral-pressure") ? CylinderLoad::lateral_pressure : CylinderLoad::all_round_pressure;
    add(cylinder_modes(c, load, modes_of_shell(in), in.is("pressure", "keeps-direction")), "outside pressure", kStress);
    out.push_back({"knock_down", "lower bound to tests, [NASA-SP8007]", kTestBoundPressure, kPlain});
  }
  const double share = out.back().value;  // the knock-down factor is last
  out.push_back({"design", "critical times knock-down, first mode", share * out.front().value, out.front().unit});
  return out;
}

std::vector<FormulaValue> cone(const FormulaInputs& in) {
  const Cone c{in["youngs_modulus"], in["poisson_ratio"], in["thickness"],
               in["half_angle"],     in["small_radius"],  in["large_radius"]};
  const auto with = [](const char* meaning, double load, UnitPowers unit, double share) {
    return std::vector<FormulaValue>{{"critical", meaning, load, unit},
                                     {"knock_down", "lower bound to tests, [NASA-SP8019]", share, kPlain},
                                     {"design", "with that", share * load, unit}};
  };
  if (in.is("load", "axial")) return with("axial force", cone_axial_force(c), kForce, kTestBoundCone);
  if (in.is("load", "bending")) return with("moment at the small end", cone_moment(c), kMoment, kTestBoundConeBending);
  return with("outside pressure on all sides", cone_pressure(c).load, kStress, kTestBoundConePressure);
}

std::vector<FormulaValue> sphere(const FormulaInputs& in) {
  const double p = sphere_pressure(in["youngs_modulus"], in["poisson_ratio"], in["radius"], in["thickness"]);
  std::vector<FormulaValue> out = {{"critical", "outside pressure", p, kStress}};
  if (in["half_angle"] <= 0) return out;
  const double lambda = cap_lambda(in["radius"] / in["thickness"], in["poisson_ratio"], in["half_angle"]);
  out.push_back({"lambda", "of the cap", lambda, kPlain});
  out.push_back({"knock_down", "lower bound to tests of clamped caps, [NASA-SP8032]", test_bound_cap(lambda), kPlain});
  out.push_back({"design", "with that", test_bound_cap(lambda) * p, kStress});
  return out;
}

Fabrication quality_of(const FormulaInputs& in) {
  return in.is("fabrication", "A-excellent") ? Fabrication::excellent
         : in.is("fabrication", "B-high")    ? Fabrication::high
                                             : Fabrication::normal;
}

std::vector<FormulaValue> standard_cylinder(const FormulaInputs& in) {
  const double e = in["youngs_modulus"], r = in["radius"], t = in["thickness"], l = in["length"];
  const auto rims = in.is("rims", "round")     ? RimPair::round
                    : in.is("rims", "clamped") ? RimPair::clamped
                                               : RimPair::mixed;
  const bool pressure = in.is("load", "pressure");
  const auto s = in.is("load", "axial") ? standard_axial(e, r, t, l, quality_of(in))
                 : pressure             ? standard_pressure(e, r, t, l, quality_of(in), rims)
                                        : standard_torsion(e, r, t, l, quality_of(in));
  const double load = s.critical_stress * t / (pressure ? r : 1);
  const char* meaning = pressure ? "outside pressure" : "force per length";
  const UnitPowers unit = pressure ? kStress : kLineLoad;
  return {{"critical", meaning, load, unit},
          {"critical_stress", s.range, s.critical_stress, kStress},
          {"knock_down", "elastic imperfection reduction factor alpha", s.reduction, kPlain},
          {"design", "elastic: alpha times critical, no partial factor", s.reduction * load, unit}};
}

/// Coefficients of outstands for stresses that vary across them, largest at the tip or at the root.
double outstand_coefficient(double ratio, bool tip) {
  if (ratio > 1 || ratio < (tip ? -3 : -1))
    throw base::InputError("", "the stress ratio is outside of the table",
                           tip ? "it covers -3 to 1 with the largest compression at the tip"
                               : "it covers -1 to 1 with the largest compression at the root");
  if (tip) return 0.57 - 0.21 * ratio + 0.07 * ratio * ratio;
  return ratio >= 0 ? 0.578 / (ratio + 0.34) : 1.7 - 5 * ratio + 17.1 * ratio * ratio;
}
std::vector<FormulaValue> outstand(const FormulaInputs& in) {
  const double t = in["thickness"], b = in["width"], nu = in["poisson_ratio"];
  const double k = outstand_coefficient(in["ratio"], in.is("largest", "tip"));
  const double stress =
      k * kPi_catalogue_shells * kPi_catalogue_shells * in["youngs_modulus"] / (12 * (1 - nu * nu)) * t * t / (b * b);
  return {{"critical", "largest compression, force per length", stress * t, kLineLoad},
          {"critical_stress", "the same as a stress", stress, kStress},
          {"coefficient", "k sigma", k, kPlain}};
}

std::vector<FormulaValue> column_curve(const FormulaInputs& in) {
  return {{"reduction", "chi", column_reduction(in["slenderness"], in.words.at("curve").c_str()), kPlain}};
}
}  // namespace

void add_plates(std::vector<Formula>& list) {
  const std::vector<std::string> assumes = {"flat, thin, no shear deformation",
                                            "forces in the plane as given, everywhere: edges free to move in it"};
  list.push_back({"plate", "rectangular plate in compression and sheared in its plane", "[TimoshenkoGere1961] ch. 9",
                  plate_inputs({kYoung, kPoisson, kThickness}), assumes, plate});
  list.push_back(
      {"orthotropic-plate", "plate with bending stiffnesses of its own, no bending-stretching coupling",
       "[TimoshenkoGere1961] ch. 9",
       plate_inputs({number("d11", "bending stiffness along", kMoment), number("d12", "coupling of the two", kMoment),
                     number("d22", "bending stiffness across", kMoment), number("d66", "twisting stiffness", kMoment),
                     number("d16", "bending-twisting", kMoment, 0), number("d26", "bending-twisting", kMoment, 0)}),
       assumes, orthotropic_plate});
}

void add_shells(std::vector<Formula>& list) {
  list.push_back(
      {"cylinder",
       "circular cylinder with round ends",
       "[Koiter1960], [Donnell1933], [Seide1961], [NASA-SP8007]",
       {kYoung, kPoisson, kRadius, kThickness, number("length", "", kLength),
        word("load", "", {"axial", "lateral-pressure", "all-round-pressure", "torsion", "bending"}),
        word("pressure", "how it acts", {"follows", "keeps-direction"}),
        word("strains", "of the middle surface; bending always Donnell's", {"sanders", "donnell"}), kModesOfShells},
       {"perfect shape", "uniform membrane stress before buckling",
        "ends stay round, free to move axially and to rotate"},
       cylinder});
  list.push_back({"cone",
                  "truncated cone under axial force, outside pressure or bending",
                  "[Seide1956], [NASA-SP8019]",
                  {kYoung, kPoisson, kThickness, number("half_angle", "between axis and wall, degrees", kPlain),
                   word("load", "", {"axial", "pressure", "bending"}),
                   number("small_radius", "of the smaller rim; not for axial force", kLength, 0),
                   number("large_radius", "of the larger rim; for pressure", kLength, 0)},
                  {"perfect shape", "long against the wave length", "pressure: by a cylinder that means it"},
                  cone});
  list.push_back({"sphere",
                  "sphere or clamped spherical cap under outside pressure",
                  "[TimoshenkoGere1961] ch. 11, [NASA-SP8032]",
                  {kYoung, kPoisson, kRadius, kThickness,
                   number("half_angle", "of a cap, from its axis to its edge, degrees; 0: complete", kPlain, 0)},
                  {"perfect shape", "membrane stress before buckling"},
                  sphere});
}

void add_standards(std::vector<Formula>& list) {
  list.push_back(
      {"standard-cylinder",
       "unstiffened cylinder by EN 1993-1-6 annex D",
       "[EN1993-1-6]",
       {kYoung, kRadius, kThickness, number("length", "", kLength), word("load", "", {"axial", "pressure", "torsion"}),
        word("fabrication", "tolerance quality class", {"C-normal", "B-high", "A-excellent"}),
        word("rims", "both held round, both clamped, or one of each", {"round", "clamped", "mixed"})},
       {"steel: Poisson's ratio 0.3", "elastic buckling; yielding is not looked at"},
       standard_cylinder});
  list.push_back(
      {"column-curve",
       "reduction of a column's resistance by EN 1993-1-1 6.3.1.2",
       "[EN1993-1-1]",
       {number("slenderness", "relative: sqrt(A fy / Ncr)", kPlain), word("curve", "", {"a0", "a", "b", "c", "d"})},
       {"steel members of constant section"},
       column_curve});
  list.push_back(
      {"outstand",
       "flange that is out: the leg of an angle, half a flange; stress may vary across it",
       "[EN1993-1-5] table 4.2",
       {kYoung, kPoisson, kThickness, number("width", "from root to tip", kLength),
        number("ratio", "least over largest stress, compression positive; below 0: one is tension", kPlain, 1),
        word("largest", "where the largest compression is", {"tip", "root"})},
       {"the root keeps its place and rotates freely", "long against its width"},
       outstand});
}

}  // namespace archway::theory::detail
