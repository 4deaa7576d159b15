#pragma once
#include "archway/theory/catalogue.hpp"

namespace archway::theory::detail {
constexpr UnitPowers kPlain{0, 0}, kLength{0, 1}, kForce{1, 0}, kStress{1, -2}, kLineLoad{1, -1}, kMoment{1, 1},
    kBending{1, 2};

inline FormulaInput number(const char* name, const char* meaning, UnitPowers unit) {
  return {name, meaning, unit, {}, {}};
}
inline FormulaInput number(const char* name, const char* meaning, UnitPowers unit, double usual) {
  return {name, meaning, unit, usual, {}};
}
inline FormulaInput word(const char* name, const char* meaning, std::vector<std::string> words) {
  return {name, meaning, kPlain, {}, std::move(words)};
}
inline const FormulaInput kYoung = number("youngs_modulus", "Young's modulus", kStress);
inline void add_critical(std::vector<FormulaValue>& out, const std::vector<double>& loads, const char* meaning,
                         UnitPowers unit) {
  for (double load : loads) out.push_back({"critical", meaning, load, unit});
}

void add_members(std::vector<Formula>& list);
void add_frames(std::vector<Formula>& list);
void add_plates(std::vector<Formula>& list);
void add_shells(std::vector<Formula>& list);
void add_standards(std::vector<Formula>& list);
}  // namespace archway::theory::detail
