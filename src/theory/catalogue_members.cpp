#include <cmath>

#include "archway/base/errors.hpp"
#include "archway/theory/beams.hpp"
#include "archway/theory/columns.hpp"
#include "archway/theory/formulas.hpp"
#include "archway/theory/shells.hpp"
#include "catalogue_detail.hpp"

namespace archway::theory::detail {

namespace {
constexpr double kPi_catalogue_members = 3.14159265358979323846;

const FormulaInput kModes = number("modes", "how many critical loads", kPlain, 3);

FormulaInput ends_input() {
  return word("ends", "start-end",
              {"pinned-pinned", "fixed-free", "fixed-pinned", "fixed-fixed", "pinned-guided", "fixed-guided",
               "free-free", "free-fixed", "pinned-fixed", "guided-pinned"});
}
LineEnd end_of(const std::string& name) {
  return name == "fixed"    ? LineEnd::fixed
         : name == "pinned" ? LineEnd::pinned
         : name == "guided" ? LineEnd::guided
                            : LineEnd::free;
}
void set_ends(Column& column, const FormulaInputs& in) {
  const std::string& ends = in.words.at("ends");
  const auto dash = ends.find('-');
  column.start = end_of(ends.substr(0, dash));
  column.end = end_of(ends.substr(dash + 1));
}
int modes_of(const FormulaInputs& in) {
  return std::max(1, static_cast<int>(in["modes"]));
}

std::vector<FormulaValue> column(const FormulaInputs& in) {
  Column c;
  const double bending = in["youngs_modulus"] * in["second_moment"], at = in["support_at"], length = in["length"];
  if (at > 0 && at < length) {
    c.pieces = {{at, bending, 0, 1, 1, 0, 0}, {length - at, bending, 0, 1, 1, 0, 0}};
    c.joint_sideways = {in["support_stiffness"]};
  } else {
    c.pieces = {{length, bending, 0, 1, 1, 0, 0}};
  }
  set_ends(c, in);
  c.start_rotational_stiffness = in["start_rotational_stiffness"];
  c.end_rotational_stiffness = in["end_rotational_stiffness"];
  c.end_sideways = in["end_sideways"];
  c.bed = in["bed"];
  c.shear_rigidity = in["shear_rigidity"];
  const auto loads = column_factors(c, modes_of(in));
  std::vector<FormulaValue> out;
  add_critical(out, loads, "axial force", kForce);
  if (!loads.empty())
    out.push_back({"effective_length", "of the first mode, pi sqrt(E I / P)",
                   kPi_catalogue_members * std::sqrt(bending / loads[0]), kLength});
  return out;
}

std::vector<FormulaValue> stepped(const FormulaInputs& in) {
  Column c;
  const double e = in["youngs_modulus"], upper = in["load_end"], lower = upper + in["load_step"];
  c.pieces = {{in["length_start"], e * in["second_moment_start"], 0, 1, lower, 0, 0},
              {in["length_end"], e * in["second_moment_end"], 0, 1, upper, 0, 0}};
  set_ends(c, in);
  std::vector<FormulaValue> out;
  add_critical(out, column_factors(c, modes_of(in)), "load factor", kPlain);
  return out;
}

std::vector<FormulaValue> tapered(const FormulaInputs& in) {
  Column c;
  const double e = in["youngs_modulus"];
  c.pieces = {{in["length"], e * in["second_moment_start"], e * in["second_moment_end"], in["power"], 1, 0, 0}};
  set_ends(c, in);
  std::vector<FormulaValue> out;
  add_critical(out, column_factors(c, modes_of(in)), "axial force", kForce);
  return out;
}

std::vector<FormulaValue> own_weight(const FormulaInputs& in) {
  Column c;
  c.pieces = {{in["length"], in["youngs_modulus"] * in["second_moment"], 0, 1, 0, 1, in["constant_force"]}};
  set_ends(c, in);
  std::vector<FormulaValue> out;
  add_critical(out, column_factors(c, modes_of(in)), "weight per length, foot at the start", kLineLoad);
  return out;
}

std::vector<FormulaValue> portal(const FormulaInputs& in) {
  Portal p;
  p.column_bending = in["youngs_modulus"] * in["second_moment_column"];
  p.beam_bending = in["youngs_modulus"] * in["second_moment_beam"];
  p.height = in["height"];
  p.span = in["span"];
  p.fixed_bases = in.is("bases", "fixed");
  p.sways = in.is("sway", "free");
  const double load = portal_load(p);
  return {{"critical", "force on each column", load, kForce},
          {"effective_length", "of a column", kPi_catalogue_members * std::sqrt(p.column_bending / load), kLength}};
}

std::vector<FormulaValue> torsional(const FormulaInputs& in) {
  TorsionalColumn c;
  c.youngs_modulus = in["youngs_modulus"];
  c.shear_modulus = c.youngs_modulus / (2 * (1 + in["poisson_ratio"]));
  c.length = in["length"];
  c.area = in["area"];
  c.second_moment_y = in["second_moment_y"];
  c.second_moment_z = in["second_moment_z"];
  c.product_moment = in["product_moment"];
  c.torsion_constant = in["torsion_constant"];
  c.warping_constant = in["warping_constant"];
  c.shear_centre_y = in["shear_centre_y"];
  c.shear_centre_z = in["shear_centre_z"];
  std::vector<FormulaValue> out;
  add_critical(out, flexural_torsional_loads(c, static_cast<int>(in["half_waves"])), "axial force", kForce);
  return out;
}

std::vector<FormulaValue> lateral(const FormulaInputs& in) {
  LateralBeam b;
  const double e = in["youngs_modulus"];
  b.length = in["length"];
  b.lateral_bending = e * in["second_moment_z"];
  b.torsion = e / (2 * (1 + in["poisson_ratio"])) * in["torsion_constant"];
  b.warping = e * in["warping_constant"];
  b.monosymmetry = in["monosymmetry"];
  b.load_height = in["load_height"];
  b.end_ratio = in["end_ratio"];
  b.ends = in.is("ends", "forks")           ? BeamEnds::forks
           : in.is("ends", "forks-no-warp") ? BeamEnds::forks_no_warp
           : in.is("ends", "fixed")         ? BeamEnds::fixed
                                            : BeamEnds::cantilever;
  b.loading = in.is("loading", "moments")   ? BeamLoading::moments
              : in.is("loading", "uniform") ? BeamLoading::uniform
                                            : BeamLoading::point;
  const double load = lateral_buckling(b), l = b.length;
  const bool cantilever = b.ends == BeamEnds::cantilever;
  const char* meaning = b.loading == BeamLoading::moments   ? "moment at the start, compressing the upper flange"
                        : b.loading == BeamLoading::uniform ? "line load downwards"
                        : cantilever                        ? "force at the tip downwards"
                                                            : "force at mid-span downwards";
  const double most = b.loading == BeamLoading::moments   ? std::max(1.0, std::abs(b.end_ratio))
                      : b.loading == BeamLoading::uniform ? l * l / (cantilever ? 2 : 8)
                                                          : l / (cantilever ? 1 : 4);
  return {{"critical", meaning, load,
           b.loading == BeamLoading::moments   ? kMoment
           : b.loading == BeamLoading::uniform ? kLineLoad
                                               : kForce},
          {"largest_moment", "along the beam at that load", most * load, kMoment}};
}

std::vector<FormulaValue> arch(const FormulaInputs& in) {
  const double bending = in["youngs_modulus"] * in["second_moment"];
  return {{"critical", "pressure per length that rotates with the arch",
           arch_pressure(bending, in["radius"], in["opening"], in.is("ends", "fixed")), kLineLoad}};
}
std::vector<FormulaValue> ring(const FormulaInputs& in) {
  const double bending = in["youngs_modulus"] * in["second_moment"], r = in["radius"];
  const double c = in.is("pressure", "follows") ? 3 : in.is("pressure", "keeps-direction") ? 4 : 4.5;
  return {{"critical", "pressure per length", c * bending / (r * r * r), kLineLoad}};
}
}  // namespace

void add_members(std::vector<Formula>& list) {
  const auto length = number("length", "between the ends", kLength);
  const auto inertia = number("second_moment", "about the axis of bending", {0, 4});
  list.push_back({"column",
                  "straight column under end load",
                  "[TimoshenkoGere1961] ch. 2",
                  {kYoung, inertia, length, ends_input(), kModes,
                   number("shear_rigidity", "G times shear area; 0: no shear deformation", kForce, 0),
                   number("start_rotational_stiffness", "rotational spring at the start", kMoment, 0),
                   number("end_rotational_stiffness", "rotational spring at the end", kMoment, 0),
                   number("end_sideways", "sideways spring at the end", kLineLoad, 0),
                   number("bed", "foundation, force / length^2", kStress, 0),
                   number("support_at", "place of a sideways spring between, from the start", kLength, 0),
                   number("support_stiffness", "of that spring", kLineLoad, 0)},
                  {"straight, elastic, small deflections before buckling", "the load keeps its direction"},
                  column});
  list.push_back({"stepped-column",
                  "column of two prismatic pieces, loads at the step and at the end",
                  "[TimoshenkoGere1961] ch. 2",
                  {kYoung, number("second_moment_start", "of the piece at the start", {0, 4}),
                   number("second_moment_end", "of the piece at the end", {0, 4}),
                   number("length_start", "of the piece at the start", kLength),
                   number("length_end", "of the piece at the end", kLength),
                   number("load_end", "at the end, at load factor 1", kForce, 1),
                   number("load_step", "at the step, at load factor 1", kForce, 0), ends_input(), kModes},
                  {"no shear deformation"},
                  stepped});
  list.push_back({"tapered-column",
                  "column whose second moment varies along it",
                  "[TimoshenkoGere1961] ch. 2",
                  {kYoung, number("second_moment_start", "at the start", {0, 4}),
                   number("second_moment_end", "at the end", {0, 4}),
                   number("power", "the root of this order varies linearly: 4 for a solid cone", kPlain, 4), length,
                   ends_input(), kModes},
                  {"no shear deformation", "slow taper: plane sections"},
                  tapered});
  list.push_back(
      {"own-weight",
       "column under its own weight",
       "[TimoshenkoGere1961] ch. 2",
       {kYoung, inertia, length, ends_input(), kModes, number("constant_force", "constant end load", kForce, 0)},
       {"no shear deformation", "the weight acts towards the start"},
       own_weight});
  list.push_back({"portal",
                  "single-bay frame, the same load on both columns",
                  "[TimoshenkoGere1961] ch. 2",
                  {kYoung, number("second_moment_column", "of each column", {0, 4}),
                   number("second_moment_beam", "of the beam", {0, 4}), number("height", "of the columns", kLength),
                   number("span", "of the beam", kLength), word("bases", "foot of the columns", {"pinned", "fixed"}),
                   word("sway", "of the knees", {"free", "prevented"})},
                  {"members do not shorten", "rigid knees", "no shear deformation"},
                  portal});
  list.push_back(
      {"torsional-column",
       "flexural-torsional buckling of a column between forks",
       "[TimoshenkoGere1961] ch. 5",
       {kYoung, number("poisson_ratio", "", kPlain, 0.3), length, number("area", "", {0, 2}),
        number("second_moment_y", "about y", {0, 4}), number("second_moment_z", "about z", {0, 4}),
        number("product_moment", "", {0, 4}, 0), number("torsion_constant", "St Venant", {0, 4}),
        number("warping_constant", "about the shear centre", {0, 6}, 0),
        number("shear_centre_y", "from the centroid", kLength, 0),
        number("shear_centre_z", "from the centroid", kLength, 0), number("half_waves", "along the length", kPlain, 1)},
       {"forks at both ends, free to warp", "loaded through the centroid", "the section keeps its shape"},
       torsional});
  list.push_back(
      {"lateral-beam",
       "lateral-torsional buckling of a beam",
       "[TimoshenkoGere1961] ch. 6",
       {kYoung, number("poisson_ratio", "", kPlain, 0.3), length, number("second_moment_z", "weak axis", {0, 4}),
        number("torsion_constant", "St Venant", {0, 4}), number("warping_constant", "", {0, 6}, 0),
        word("loading", "what bends it", {"moments", "uniform", "point"}),
        number("end_ratio", "moment at the end over that at the start", kPlain, 1),
        number("load_height", "of the load above the shear centre", kLength, 0),
        number("monosymmetry", "below zero with the larger flange on top", kLength, 0),
        word("ends", "", {"forks", "forks-no-warp", "fixed", "cantilever"})},
       {"bending before buckling omitted", "the section keeps its shape", "loads keep their direction"},
       lateral});
  list.push_back({"arch",
                  "circular arch under pressure",
                  "[TimoshenkoGere1961] ch. 7",
                  {kYoung, inertia, number("radius", "", kLength), number("opening", "whole angle, degrees", kPlain),
                   word("ends", "", {"hinged", "fixed"})},
                  {"does not shorten before buckling: not for shallow arches", "the pressure rotates with the arch"},
                  arch});
  list.push_back({"ring",
                  "circular ring under outside pressure",
                  "[TimoshenkoGere1961] ch. 7, [BazantCedolin2010] sec. 4.3",
                  {kYoung, inertia, number("radius", "", kLength),
                   word("pressure", "how it acts", {"follows", "keeps-direction", "to-the-centre"})},
                  {"does not shorten", "two waves around"},
                  ring});
}

}  // namespace archway::theory::detail
