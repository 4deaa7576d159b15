#include <cmath>

#include "archway/base/errors.hpp"
#include "archway/theory/columns.hpp"
#include "archway/theory/frames.hpp"
#include "catalogue_detail.hpp"

namespace archway::theory {

namespace {
constexpr double kPi_catalogue_frames = 3.14159265358979323846;

void require_positive(double value, const char* what) {
  if (!(value > 0)) throw base::InputError("", std::string(what) + " must be above zero", "");
}

/// Lowest root in (low, high) of a function that changes its sign there once.
template <class Function>
double bisect(double low, double high, const Function& f) {
  const bool rises = f(low) < f(high);
  for (int i = 0; i < 200; ++i) {
    const double middle = 0.5 * (low + high);
    ((f(middle) > 0) == rises ? high : low) = middle;
  }
  return 0.5 * (low + high);
}
}  // namespace

double effective_length_factor(double ratio_start, double ratio_end, bool sways) {
  const double a = ratio_start, b = ratio_end;
  if (!(a >= 0) || !(b >= 0)) throw base::InputError("", "stiffness ratios must not be below zero", "0: fixed");
  // u = pi / K
  if (sways) {
    const auto f = [&](double u) { return (a * b * u * u - 36) * std::sin(u) - 6 * (a + b) * u * std::cos(u); };
    return kPi_catalogue_frames / bisect(1e-9, kPi_catalogue_frames, f);
  }
  const auto f = [&](double u) {
    // times sin(u) u, so that nothing becomes infinite between pi and 2 pi
    return a * b / 4 * u * u * u * std::sin(u) + (a + b) / 2 * (u * std::sin(u) - u * u * std::cos(u)) +
           2 * (1 - std::cos(u)) - u * std::sin(u);
  };
  return kPi_catalogue_frames / bisect(kPi_catalogue_frames * (1 - 1e-12), 2 * kPi_catalogue_frames * (1 - 1e-12), f);
}

double u_frame_stiffness(const UFrame& frame) {
  require_positive(frame.youngs_modulus, "Young's modulus");
  require_positive(frame.second_moment_post, "the second moment of the post");
  require_positive(frame.post_height, "the height of the post");
  double flexibility = std::pow(frame.post_height, 3) / (3 * frame.second_moment_post);
  if (frame.second_moment_cross > 0)
    flexibility += frame.height * frame.height * frame.width / (2 * frame.second_moment_cross);
  if (frame.joint_rotational_stiffness > 0)
    flexibility += frame.youngs_modulus * frame.height * frame.height / frame.joint_rotational_stiffness;
  return frame.youngs_modulus / flexibility;
}

std::vector<double> chord_loads(double bending, double length, int panels, double stiffness, double end_stiffness,
                                int count) {
  if (panels < 1) throw base::InputError("", "the chord has no panel", "give one or more");
  Column c;
  for (int k = 0; k < panels; ++k) c.pieces.push_back({length / panels, bending, 0, 1, 1, 0, 0});
  c.joint_sideways.assign(static_cast<std::size_t>(panels - 1), stiffness);
  c.start = c.end = LineEnd::pinned;
  if (end_stiffness > 0) {
    c.end = LineEnd::free;
    c.end_sideways = end_stiffness;
  }
  return column_factors(c, count);
}

namespace detail {

namespace {
std::vector<FormulaValue> chart(const FormulaInputs& in) {
  const double k = effective_length_factor(in["ratio_start"], in["ratio_end"], in.is("sway", "free"));
  const double bending = in["youngs_modulus"] * in["second_moment"], l = k * in["length"];
  return {{"critical", "axial force", kPi_catalogue_frames * kPi_catalogue_frames * bending / (l * l), kForce},
          {"factor", "K: effective length over length", k, kPlain},
          {"effective_length", "K times length", l, kLength}};
}

std::vector<FormulaValue> u_frame(const FormulaInputs& in) {
  UFrame f;
  f.youngs_modulus = in["youngs_modulus"];
  f.second_moment_post = in["second_moment_post"];
  f.post_height = in["post_height"];
  f.second_moment_cross = in["second_moment_cross"];
  f.height = in["height"] > 0 ? in["height"] : f.post_height;
  f.width = in["width"];
  f.joint_rotational_stiffness = in["joint_rotational_stiffness"];
  const double c = in["stiffness"] > 0 ? in["stiffness"] : u_frame_stiffness(f);
  const double bending = f.youngs_modulus * in["second_moment"], length = in["length"];
  const int panels = static_cast<int>(std::lround(in["panels"]));
  std::vector<FormulaValue> out;
  add_critical(out, chord_loads(bending, length, panels, c, 0, std::max(1, static_cast<int>(in["modes"]))),
               "force in the chord", kForce);
  out.push_back({"stiffness", "of one frame against the chord going sideways", c, kLineLoad});
  // the bed of the frames, smeared; a long chord chooses its waves freely
  const double bed = c * panels / length;
  out.push_back({"smeared", "2 sqrt(E I c / a): a long chord on a bed", 2 * std::sqrt(bending * bed), kForce});
  if (!out.empty() && out[0].name == "critical")
    out.push_back(
        {"effective_length", "of the chord", kPi_catalogue_frames * std::sqrt(bending / out[0].value), kLength});
  return out;
}
}  // namespace

void add_frames(std::vector<Formula>& list) {
  const auto inertia = number("second_moment", "about the axis of bending", {0, 4});
  list.push_back({"framed-column",
                  "column of a rectangular frame by the charts of effective lengths",
                  "[ChenLui1987] ch. 4",
                  {kYoung, inertia, number("length", "between the joints", kLength),
                   number("ratio_start", "at the start: sum of I / L of columns over that of beams; 0: fixed", kPlain),
                   number("ratio_end", "the same at the end; a pinned foot: 1e9 or more", kPlain),
                   word("sway", "of the storey", {"free", "prevented"})},
                  {"all columns buckle together at the same load factor", "rigid joints, beams without axial force",
                   "beams bend to double curvature where the storey sways, to single curvature where it does not",
                   "no shear deformation"},
                  chart});
  list.push_back(
      {"u-frame-chord",
       "compression chord of an open-topped gantry, restrained laterally by U-frames",
       "[TimoshenkoGere1961] sec. 2.7, [EN1993-2] annex D",
       {kYoung, number("second_moment", "of the chord for bending sideways", {0, 4}),
        number("length", "of the chord", kLength),
        number("panels", "U-frames stand between them, and stiff end frames at both ends", kPlain),
        number("stiffness", "of one U-frame, force / displacement; 0: from posts and cross member", kLineLoad, 0),
        number("second_moment_post", "of one post", {0, 4}, 0),
        number("post_height", "from the cross member to the chord", kLength, 0),
        number("second_moment_cross", "of the cross member; 0: it does not bend", {0, 4}, 0),
        number("height", "from its middle line to the chord; 0: that of the post", kLength, 0),
        number("width", "of the cross member, between the posts", kLength, 0),
        number("joint_rotational_stiffness", "rotational spring at the foot of the post; 0: rigid", kMoment, 0),
        number("modes", "how many critical loads", kPlain, 3)},
       {"the force is the same along the chord", "end frames do not give way", "no shear deformation",
        "both chords go the same way or against each other: the cross member bends to one curvature"},
       u_frame});
}

}  // namespace detail
}  // namespace archway::theory
