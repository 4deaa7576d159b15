#pragma once
#include <string>
#include <vector>

namespace archway::imperfection {

/// An amplitude by a standard, with what it was found from.
struct StandardAmplitude {
  double value = 0;     ///< length, or radians where a rotation is asked for
  std::string clause;   ///< "EN 1993-1-1 5.3.2(3)"
  std::string formula;  ///< with its numbers in it
};

/// Bow of a member, EN 1993-1-1 Table 5.1: e0 / L by buckling curve and kind of analysis of its sections.
/// \param curve  a0, a, b, c or d \throws base::InputError for another
StandardAmplitude member_bow(double length, const std::string& curve, bool plastic);
/// Buckling curve of EN 1993-1-1 Table 6.2 (grades below S460).
struct SectionKind {
  std::string shape;  ///< "i", "hollow", "box", "angle", "solid" (channels, tees and solid shapes)
  std::string made;   ///< "rolled", "welded", "hot-finished", "cold-formed"
  double height = 0, width = 0, flange = 0;  ///< i: mm
};
/// \param about_z  the curve for buckling about the weak axis
std::string buckling_curve(const SectionKind& section, bool about_z);
/// Sway, EN 1993-1-1 5.3.2(3)a: phi = 1/200 alpha_h alpha_m, times the height. \param height  of the structure
/// \param metre  length of a metre in the unit of `height` \param columns  m: columns in the row that carry half the
/// mean load or more
StandardAmplitude frame_sway(double height, double metre, int columns);
/// EN 1993-1-5 Table C.2: panel or subpanel min(a/200, b/200), stiffener min(a/400, b/400), flange or local stiffener a
/// rotation of 1/50 (times its width).
StandardAmplitude panel_bow(double a, double b);
StandardAmplitude stiffener_bow(double a, double b);
StandardAmplitude flange_rotation(double width);
/// Dimple of EN 1993-1-6 8.7.2: the larger of gauge length x U_n1 and 25 t U_n2.
struct ShellWall {
  double radius = 0, thickness = 0, length = 0;
  std::string quality;      ///< A, B or C: excellent, high, normal fabrication
  std::string compression;  ///< "axial": gauge 4 sqrt(r t); "around" or "shear": 2.3 (l^2 r t)^0.25, at most r
  double metre = 1000;      ///< in the unit of the lengths
};
StandardAmplitude shell_dimple(const ShellWall& wall);
/// Ovality of EN 1993-1-6 Table 8.1: U_r r / 2.
StandardAmplitude shell_ovality(const ShellWall& wall);

}  // namespace archway::imperfection
