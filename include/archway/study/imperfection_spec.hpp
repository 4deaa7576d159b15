#pragma once
#include <functional>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "archway/imperfection/shapes.hpp"
#include "archway/study/keys.hpp"

namespace archway::study {

using base::Vec3;

/// What the heights of a shape are: displacements, or what walls are thicker, or how thick they are.
enum class ShapeGives { displacement, thickness_change, thickness };
enum class AmplitudeKind { as_it_is, length, share_of_thickness, share_of_length, root_mean_square, standard };

struct ShapeSite;
/// Makes the raw shape of an imperfection on a structure.
using ShapeMaker = std::function<imperfection::ShapeField(const ShapeSite&)>;
class ImperfectionKind;

struct ImperfectionSpec {
  std::string name;
  const ImperfectionKind* kind = nullptr;
  ShapeMaker make;
  ShapeGives gives = ShapeGives::displacement;
  std::vector<std::string> on, carry;         ///< parts that have it; that move along with them
  std::optional<std::pair<Vec3, Vec3>> axis;  ///< of a surface of revolution, where the study does not know it
  Vec3 along = Vec3::Zero();                  ///< direction of s on flat parts; zero: known or found
  Vec3 direction = Vec3::Zero();              ///< of the displacement; zero: along the normal
  std::string made_from;                      ///< analysis; empty: none
  std::vector<std::pair<int, double>> modes;  ///< of it: mode number from 1, factor; empty: not made of modes
  AmplitudeKind amplitude_kind = AmplitudeKind::as_it_is;
  double amplitude = 1;    ///< in this kind; standard: sign and share of it
  bool each_mode = false;  ///< the factors are amplitudes of their modes, in this kind; the sum is not scaled
  std::string part;        ///< whose thickness or length the share is of
  std::string rule;        ///< of a standard
  std::map<std::string, double> numbers;  ///< that the rule takes
  std::map<std::string, std::string> words;
  SourceLocation place;
};

}  // namespace archway::study
