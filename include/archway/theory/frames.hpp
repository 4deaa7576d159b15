#pragma once
#include <vector>

/// Columns of rectangular frames, and chords restrained by U-frames.
namespace archway::theory {

/// Effective length over length of a column in a rectangular frame, the root of the equation behind the charts.
/// \param ratio_start, ratio_end  sum of I / L of the columns at a joint over that of its beams, >= 0; 0: fixed
/// \param sways  the storey is free to go sideways (K from 1 on), or not (K from 0.5 to 1)
/// \throws base::InputError for a ratio below zero. Source: [ChenLui1987] ch. 4.
double effective_length_factor(double ratio_start, double ratio_end, bool sways);

/// Two posts on a cross member: what holds a in compression chord sideways.
struct UFrame {
  double youngs_modulus = 0;
  double second_moment_post = 0, post_height = 0;  ///< of one post; from the top of the cross member to the chord
  double second_moment_cross = 0;                  ///< 0: it does not bend
  double height = 0, width = 0;                    ///< from the middle line of the cross member; between the posts
  double joint_rotational_stiffness = 0;           ///< rotational spring between them, force length; 0: rigid
};
/// Force at one chord over its displacement there, when equal and opposite forces act at both: E / (h^3 / 3 Iv + H^2 b
/// / 2 Iq). \throws base::InputError where a stiffness is not above zero. Source: [EN1993-2] annex D.
double u_frame_stiffness(const UFrame& frame);

/// Critical forces of a pinned chord of equal panels, with a spring at every joint between them.
/// \param bending  E I of the chord \param end_stiffness  of a spring at the far end instead of a pin; 0: a pin
/// Source: [TimoshenkoGere1961] sec. 2.6 and 2.7.
std::vector<double> chord_loads(double bending, double length, int panels, double stiffness, double end_stiffness,
                                int count);

}  // namespace archway::theory
