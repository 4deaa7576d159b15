#include <algorithm>

#include <fmt/format.h>

#include "archway/study/limits.hpp"
#include "study_file/study_reader_detail.hpp"

namespace archway::io::detail {

namespace {
/// What joins parts, to each other or to the ground.
class JointsReader : SpotReader {
 public:
  JointsReader(Reading& reading, const study::StudySpec& so_far) : SpotReader(reading) { spec_ = so_far; }

  study::StudySpec read(TableReader& root) {
    root.each("springs", "this spring", [&](TableReader& t) { spring(t); });
    root.each("fasteners", "this fastener", [&](TableReader& t) { fastener(t); });
    root.each("couplings", "this coupling", [&](TableReader& t) { coupling(t); });
    root.each("bonds", "this bond", [&](TableReader& t) { bond(t); });
    return std::move(spec_);
  }

 private:
  template <class Joint>
  void stiffness(TableReader& t, Joint& j) {
    curves(t, j);
    const auto k = !j.curves.empty() && !t.has("stiffness") ? std::vector<double>(6) : numbers(t, "stiffness", 6);
    for (std::size_t i = 0; i < 6; ++i) {
      j.stiffness[i] = k[i];
      if (k[i] < 0)
        reading_.complain(t.place("stiffness"), fmt::format("a stiffness is {}", k[i]), "none may be negative");
    }
    j.along = t.vector("along", Vec3(Vec3::UnitX()));
    j.up = t.vector("up", Vec3(Vec3::UnitZ()));
    if (j.along.isZero(0.0) || (t.has("up") && base::runs_along(j.along, j.up)))
      reading_.complain(t.place("along"), "'along' and 'up' are parallel or zero",
                        "give two directions that span a plane");
  }

  /// curves = [{ axis = "1", points = [[-2, -30], [0, 0], [2, 30]], unloading = "elastic" }]
  template <class Joint>
  static void curves(TableReader& t, Joint& j) {
    static const std::vector<std::string> axes = {"1", "2", "3", "r1", "r2", "r3"};
    t.tables("curves", "this curve", [&](study::Keys& c) {
      study::SpringCurveSpec curve;
      curve.place = c.place();
      curve.axis = c.choice("axis", axes, "");
      auto& points = curve.curve.points;
      points = c.number_pairs("points", "a displacement", "a force", "for instance [[-2, -30], [0, 0], [2, 30]]");
      curve.curve.slips = c.choice("unloading", {"elastic", "along-curve"}, "") == 0;
      if (!points.empty() && points[0] == std::pair(0.0, 0.0)) {  // the other direction is the same
        const auto one_way = points;
        for (std::size_t i = 1; i < one_way.size(); ++i)
          points.insert(points.begin(), {-one_way[i].first, -one_way[i].second});
      }
      for (const auto& other : j.curves)
        if (other.axis == curve.axis) c.complain(c.place("axis"), "a second curve for this axis", "leave one out");
      j.curves.push_back(std::move(curve));
    });
  }

  void spring(TableReader& t) {
    study::SpringSpec s;
    s.place = t.place();
    s.name = t.text("name", fmt::format("spring {}", spec_.springs.size() + 1));
    s.from = spot(t, "at");
    if (t.has("to")) s.to = spot(t, "to");
    s.axes_rotation = t.flag("corotational", false);
    stiffness(t, s);
    spec_.springs.push_back(s);
  }

  void fastener(TableReader& t) {
    study::FastenerSpec f;
    f.place = t.place();
    f.name = t.text("name", fmt::format("fastener {}", spec_.fasteners.size() + 1));
    const auto* parts = t.node("parts");
    const auto* pair = parts == nullptr ? nullptr : parts->as_array();
    if (pair == nullptr || pair->size() != 2 || !pair->get(0)->is_string() || !pair->get(1)->is_string()) {
      reading_.complain(t.place("parts"), "'parts' must name two parts", "for instance parts = [\"skin\", \"rib\"]");
    } else {
      f.first = pair->get(0)->value_or(std::string());
      f.second = pair->get(1)->value_or(std::string());
    }
    if (t.has("edge")) {
      f.edge = spot(t, "edge");
      f.pitch = t.number("pitch");
      if (!(f.pitch > 0)) reading_.complain(t.place("pitch"), "'pitch' must be above zero", "");
    } else if (t.has("from") || t.has("to")) {
      row(t, f);
    }
    const auto* points = t.has("points") ? t.node("points") : nullptr;
    const auto* list = points == nullptr ? nullptr : points->as_array();
    if (list != nullptr)
      for (const auto& p : *list) f.points.push_back(reading_.vector(p, "a point").value_or(Vec3::Zero()));
    if (f.points.empty() && !f.edge)
      reading_.complain(t.place("points"), "'points' must list where the fasteners are",
                        "for instance [[0, 0, 0], [50, 0, 0]]; or give from, to and pitch, or edge and pitch");
    stiffness(t, f);
    spec_.fasteners.push_back(f);
  }

  /// Evenly between two points, no further apart than the pitch.
  void row(TableReader& t, study::FastenerSpec& f) {
    const Vec3 from = t.vector("from"), to = t.vector("to");
    const double pitch = t.number("pitch");
    if (!(pitch > 0) || !((to - from).norm() > 0))
      return reading_.complain(t.place("pitch"), "a row of fasteners needs two different points and a pitch above zero",
                               "for instance from = [0, 0, 0], to = [400, 0, 0], pitch = 50");
    const double count = std::ceil((to - from).norm() / pitch - 1e-9);
    if (count > study::kMostParts)
      return reading_.complain(t.place("pitch"), fmt::format("a row of {:.0f} fasteners", count),
                               "give a larger pitch");
    for (int k = 0; k <= count; ++k) f.points.push_back(from + k / count * (to - from));
  }

  void coupling(TableReader& t) {
    study::CouplingSpec c;
    c.place = t.place();
    c.name = t.text("name");
    c.during = t.texts("active_in");
    c.kind = static_cast<study::CouplingKind>(t.choice("kind", {"rigid", "distributed", "equal"}, ""));
    if (c.kind == study::CouplingKind::alike) return alike(t, c);
    point(t, c);
    c.at = spot(t, "at");
    c.radius = t.number("radius", 0.0);
    c.rotations = t.flag("couple_rotations", true);
    spec_.couplings.push_back(c);
  }

  /// A place, or the name of a part's end that is looked for when the structure is.
  void point(TableReader& t, study::CouplingSpec& c) {
    const auto* point = t.node("point");
    const auto name = point == nullptr ? std::nullopt : point->value_exact<std::string>();
    if (name && spec_.points.count(*name) == 0)
      c.point_at = *name;
    else
      c.point = position(t, "point");
  }

  void alike(TableReader& t, study::CouplingSpec& c) {
    c.at = spot(t, "at");
    c.led = t.node("point") != nullptr;
    if (c.led) point(t, c);
    static const std::vector<std::string> axes = {"x", "y", "z"};
    for (const auto& what : t.texts("dofs")) {
      const auto found = std::find(axes.begin(), axes.end(), what);
      if (what == "rotations")
        c.share_rotations = true;
      else if (found == axes.end())
        reading_.complain(t.place("dofs"), fmt::format("'dofs' has no '{}'", what),
                          "displacements \"x\", \"y\", \"z\", and \"rotations\" (all three)");
      else
        c.share[static_cast<std::size_t>(found - axes.begin())] = true;
    }
    if (t.texts("dofs").empty())
      reading_.complain(t.place(), fmt::format("coupling '{}' does not say what its nodes share", c.name),
                        "add dofs = [\"x\"], for instance");
    multiple(t, c);
    if (t.has("axes")) own_axes(t, c);
    spec_.couplings.push_back(c);
  }

  void own_axes(TableReader& t, study::CouplingSpec& c) {
    const auto given = axes(t);
    if (given.cylindrical)
      return reading_.complain(t.place("axes"), "nodes around an axis share no direction",
                               "give axes = { along = [..], up = [..] }");
    c.axes = base::axes_from(given.first, given.second);
    if (t.node("factor") != nullptr)
      reading_.complain(t.place("factor"), "a multiple is shared along global axes only", "omit 'factor' or 'axes'");
  }

  void multiple(TableReader& t, study::CouplingSpec& c) {
    if (t.node("factor") == nullptr) return;
    c.times = t.number("factor", 1.0);
    if (!c.led)
      reading_.complain(t.place("factor"), "a multiple of whose displacement is not said",
                        "add point = [...], or leave 'factor' out");
    if (c.share_rotations)
      reading_.complain(t.place("factor"), "rotations are shared as they are, not as a multiple",
                        "couple the rotations by a coupling of their own, without 'factor'");
    if (c.times == 0.0)
      reading_.complain(t.place("factor"), "no times the displacement of a point is none",
                        "hold the nodes by a support");
  }

  void bond(TableReader& t) {
    study::BondSpec b;
    b.place = t.place();
    b.name = t.text("name", fmt::format("bond {}", spec_.bonds.size() + 1));
    b.follow = spot(t, "dependent");
    b.to = t.text("independent");
    b.tolerance = t.number("largest_gap", 0.0);
    b.rotations = t.flag("couple_rotations", true);
    b.during = t.texts("active_in");
    b.contact = t.choice("on_paths", {"bonded", "contact"}, "bonded") == 1;
    spec_.bonds.push_back(b);
  }
};
}  // namespace

void read_joints(Reading& reading, TableReader& root, study::StudySpec& spec) {
  spec = JointsReader(reading, spec).read(root);
}

}  // namespace archway::io::detail
