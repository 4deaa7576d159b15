#pragma once
#include <string>
#include <vector>

namespace archway::study {

/// A consistent unit set, named by its force and length. Mass and time follow: time in seconds, mass = force s^2 /
/// length.
struct Units {
  std::string force = "N", length = "mm";
  double newtons = 1;    ///< one force unit in N
  double metres = 1e-3;  ///< one length unit in m

  std::string mass() const;  ///< "t" for N-mm, "kg" for N-m, ...
  std::string moment() const { return force + "." + length; }
  std::string stress() const { return force + "/" + length + "^2"; }
  double gravity() const { return 9.80665 / metres; }  ///< length / s^2
  double to_pascal(double stress) const { return stress * newtons / (metres * metres); }
  double to_kg_per_m3(double density) const;
};

const std::vector<std::string>& force_names();   ///< N kN MN
const std::vector<std::string>& length_names();  ///< mm cm m
/// \throws base::InputError for a name that is not in the lists
Units units_of(const std::string& force, const std::string& length);

}  // namespace archway::study
