#include "archway/study/yielding.hpp"

#include <cmath>
#include <stdexcept>

#include <fmt/format.h>

#include "archway/material/stress_strain.hpp"

namespace archway::study {

namespace {
const char* const kTableExample = "for instance points = [[0.00169, 355], [0.02, 360], [0.15, 490]]";

/// Isotropic 0, kinematic 1, or a share.
double read_share(Keys& keys) {
  if (!keys.has("hardening")) return keys.number("kinematic_ratio", 0.0);
  if (keys.has("kinematic_ratio"))
    keys.complain(keys.place("kinematic_ratio"), "'hardening' and 'kinematic_ratio' say the same", "omit one of them");
  return keys.choice("hardening", {"isotropic", "kinematic"}, "") == 1 ? 1.0 : 0.0;
}

Yielding alike(const material::Flow& flow) {
  return {flow, flow};
}

double yield_of(Keys& keys, const model::Material& material) {
  if (material.yield_stress > 0) return material.yield_stress;
  keys.complain(keys.place(), "the material has no yield stress to begin from",
                "add yield_stress = ... beside 'yielding'");
  return 0;
}

Yielding bilinear(Keys& keys, const model::Material& material) {
  const double e = material.youngs_modulus;
  const bool by_share = keys.has("tangent_ratio");
  if (by_share && keys.has("tangent_modulus"))
    keys.complain(keys.place("tangent_ratio"), "'tangent_modulus' and 'tangent_ratio' say the same",
                  "omit one of them");
  const double tangent = by_share ? e * keys.number("tangent_ratio") : keys.number("tangent_modulus");
  return alike(material::bilinear_flow(e, yield_of(keys, material), tangent, read_share(keys)));
}

Yielding table(Keys& keys, model::Material& material) {
  material::StressStrain curve;
  curve.points = keys.number_pairs("points", "a strain", "a stress", kTableExample);
  curve.plastic = keys.choice("strain_measure", {"total", "plastic"}, "total") == 1;
  curve.true_measure = keys.choice("stress_measure", {"engineering", "true-stress"}, "engineering") == 1;
  if (curve.points.empty()) {
    keys.complain(keys.has("points") ? keys.place("points") : keys.place(), "this table has no 'points'",
                  kTableExample);
    return {};
  }
  const auto flow = material::table_flow(material.youngs_modulus, curve);
  if (material.yield_stress > 0 && std::abs(material.yield_stress / flow.yield_stress - 1) > 0.01)
    keys.complain(keys.place("points"),
                  fmt::format("yield begins at {:g} by the table, but 'yield_stress' is {:g}", flow.yield_stress,
                              material.yield_stress),
                  "leave 'yield_stress' out, or let the table begin there");
  material.yield_stress = flow.yield_stress;
  return {flow, material::table_flow(material.youngs_modulus, curve, material::Measure::true_stress),
          curve.true_measure};
}

Yielding power(Keys& keys, model::Material& material) {
  const double proof = keys.number("proof_stress"), exponent = keys.number("exponent");
  const auto flow = material::power_flow(proof, exponent);
  // what counts as yield in figures and tables is the proof stress, not the first plastic strain
  if (!(material.yield_stress > 0)) material.yield_stress = proof;
  return alike(flow);
}

/// The four models of the clause: a no hardening, b a nominal slope, c linear hardening, d a measured curve.
Yielding by_clause(Keys& keys, model::Material& material, std::size_t letter) {
  const double e = material.youngs_modulus;
  if (letter == 3) return table(keys, material);
  const double slope[] = {0, e / 10000, e / 100};
  return alike(material::bilinear_flow(e, yield_of(keys, material), slope[letter], read_share(keys)));
}
}  // namespace

Yielding read_yielding(Keys& keys, model::Material& material) {
  const std::string clause = "EN 1993-1-5 C.6 ";
  const std::vector<std::string> words = {"perfect",    "bilinear",   "table",      "power",
                                          clause + "a", clause + "b", clause + "c", clause + "d"};
  const std::size_t before = keys.complaints(), word = keys.choice("law", words, "");
  if (keys.complaints() > before) return keys.forgive(), Yielding();
  try {
    Yielding flow;
    if (word == 0)
      flow = alike(material::bilinear_flow(material.youngs_modulus, yield_of(keys, material), 0));
    else if (word == 1)
      flow = bilinear(keys, material);
    else if (word == 2)
      flow = table(keys, material);
    else if (word == 3)
      flow = power(keys, material);
    else
      flow = by_clause(keys, material, word - 4);
    return flow;
  } catch (const std::invalid_argument& wrong) {
    // what was missing has been reported already
    if (keys.complaints() == before)
      keys.complain(keys.place(keys.has("points") ? "points" : "law"), wrong.what(), "correct the table 'yielding'");
    return {};
  }
}

model::Model with_flow(const model::Model& elastic, const std::vector<Yielding>& of_materials) {
  model::Model model = elastic;
  for (std::size_t m = 0; m < model.materials.size() && m < of_materials.size(); ++m) {
    model.materials[m].flow = of_materials[m].engineering, model.materials[m].true_flow = of_materials[m].true_stress;
    if (of_materials[m].given_as_true) model.materials[m].yield_stress = of_materials[m].engineering.yield_stress;
  }
  return model;
}

}  // namespace archway::study
