#include <algorithm>
#include <cmath>
#include <stdexcept>

#include "archway/material/law.hpp"

namespace archway::material {

namespace {
using Points = std::vector<std::pair<double, double>>;

double slope(const Points& p, std::size_t segment) {
  return (p[segment + 1].second - p[segment].second) / (p[segment + 1].first - p[segment].first);
}

std::size_t origin_of(const Points& points) {
  return static_cast<std::size_t>(std::find(points.begin(), points.end(), std::pair<double, double>(0, 0)) -
                                  points.begin());
}

/// Follows the curve both ways.
/// Of the corner at the origin neither side is the slope: both count.
Answer<1> at_rest(const Law<1>::Matrix& stiffness) {
  Answer<1> answer;
  answer.tangent = stiffness;
  return answer;
}

class AlongCurve final : public Law<1> {
 public:
  explicit AlongCurve(Points points) : points_(std::move(points)) {
    const std::size_t origin = origin_of(points_);
    // both sides count where they differ: the mean of the slopes, as of a small displacement to and fro
    const std::size_t left = origin == 0 ? 0 : origin - 1, right = std::min(origin, points_.size() - 2);
    stiffness_(0, 0) = 0.5 * (slope(points_, left) + slope(points_, right));
  }
  const std::vector<MemoryField>& memory() const override { return none_; }
  bool linear() const override { return false; }
  const Matrix& stiffness() const override { return stiffness_; }
  Answer<1> respond(const Vector& displacement, double, const double*, double*) const override {
    std::size_t s = 0;
    while (s + 2 < points_.size() && displacement[0] >= points_[s + 1].first) ++s;
    Answer<1> answer;
    answer.tangent(0, 0) = slope(points_, s);
    answer.stress[0] = points_[s].second + answer.tangent(0, 0) * (displacement[0] - points_[s].first);
    if (displacement[0] == 0.0) answer = at_rest(stiffness_);
    return answer;
  }
  Energy energy(const Vector& displacement, double, const double*) const override {
    // corners on the way from the origin to where it is
    std::vector<double> stops = {0, displacement[0]};
    for (const auto& point : points_)
      if (point.first * displacement[0] > 0 && std::abs(point.first) < std::abs(displacement[0]))
        stops.push_back(point.first);
    std::sort(stops.begin(), stops.end(), [](double a, double b) { return std::abs(a) < std::abs(b); });
    Energy energy;
    for (std::size_t s = 0; s + 1 < stops.size(); ++s) {
      const double mean = respond(Vector(0.5 * (stops[s] + stops[s + 1])), 0, nullptr, nullptr).stress[0];
      energy.stored += mean * (stops[s + 1] - stops[s]);
    }
    return energy;
  }

 private:
  Points points_;
  std::vector<MemoryField> none_;
  Matrix stiffness_ = Matrix::Zero();
};

/// One side of a curve that slips: force at which it slips against what has slipped already.
struct Side {
  double stiffness = 0;
  Points slipping;  // (slip, force), both growing away from the origin

  /// \param points  displacements and forces of this side, from the origin outwards, both counted positive
  explicit Side(const Points& points) {
    stiffness = slope(points, 0);
    for (std::size_t i = 1; i < points.size(); ++i)
      slipping.emplace_back(points[i].first - points[i].second / stiffness, points[i].second);
    if (slipping.size() == 1) slipping.emplace_back(1e300, slipping[0].second + 1e300);  // elastic on this side
  }

  /// Slip from `slipped` on, for a pull of which `over` is elastic displacement before it, and the slope of force by
  /// slip.
  double slip(double over, double slipped, double& hardening) const {
    std::size_t s = 0;
    while (s + 2 < slipping.size() && slipped >= slipping[s + 1].first) ++s;
    for (;; ++s) {
      hardening = slope(slipping, s);
      const double force = slipping[s].second + hardening * (slipped - slipping[s].first);
      const double more = (stiffness * over - force) / (stiffness + hardening);
      if (s + 2 >= slipping.size() || slipped + more <= slipping[s + 1].first) return more;
    }
  }
};

/// Force times slip on the way to a slip, as `Side::slipping` reports the force.
double work_of_slip(const Points& slipping, double slip) {
  double work = 0;
  for (std::size_t s = 0; s + 1 < slipping.size() && slipping[s].first < slip; ++s) {
    const bool last = s + 2 == slipping.size();
    const double from = slipping[s].first, to = last ? slip : std::min(slip, slipping[s + 1].first);
    work += (slipping[s].second + 0.5 * slope(slipping, s) * (to - from)) * (to - from);
  }
  return work;
}

/// Slips where the curve bends, unloads with the slope at the origin.
class Slipping final : public Law<1> {
 public:
  Slipping(const Side& pulled, const Side& pressed) : pulled_(pulled), pressed_(pressed) {
    stiffness_(0, 0) = 0.5 * (pulled.stiffness + pressed.stiffness);
  }
  const std::vector<MemoryField>& memory() const override { return fields_; }
  const Matrix& stiffness() const override { return stiffness_; }
  Answer<1> respond(const Vector& displacement, double, const double* before, double* after) const override {
    std::copy(before, before + 3, after);
    const double elastic = displacement[0] - before[0], sense = elastic < 0 ? -1 : 1, over = std::abs(elastic);
    const Side& side = elastic < 0 ? pressed_ : pulled_;
    double& slipped = after[elastic < 0 ? 2 : 1];
    double hardening = 0;
    const double more = side.slip(over, slipped, hardening);
    Answer<1> answer;
    answer.stress[0] = sense * side.stiffness * over;
    answer.tangent(0, 0) = elastic == 0.0 ? stiffness_(0, 0) : side.stiffness;
    if (more > 1e-14 * over) {  // rounding of a state that lies on the curve is no slip
      after[0] += sense * more;
      slipped += more;
      answer.stress[0] -= sense * side.stiffness * more;
      answer.tangent(0, 0) *= hardening / (side.stiffness + hardening);
    }
    return answer;
  }
  Energy energy(const Vector& displacement, double, const double* memory) const override {
    const double elastic = displacement[0] - memory[0];
    const Side& side = elastic < 0 ? pressed_ : pulled_;
    return {0.5 * side.stiffness * elastic * elastic,
            work_of_slip(pulled_.slipping, memory[1]) + work_of_slip(pressed_.slipping, memory[2])};
  }

 private:
  Side pulled_, pressed_;
  Matrix stiffness_;
  std::vector<MemoryField> fields_ = {{"slip", 0}, {"slipped_pulled", 0}, {"slipped_pressed", 0}};
};

Points side_of(const Points& all, bool pulled) {
  Points side;
  for (const auto& [displacement, force] : all)
    if (pulled ? displacement >= 0 : displacement <= 0)
      side.emplace_back(pulled ? displacement : -displacement, pulled ? force : -force);
  if (!pulled) std::reverse(side.begin(), side.end());
  return side;
}
}  // namespace

std::string fault_of(const Curve& curve) {
  const auto& points = curve.points;
  if (points.size() < 2) return "it has fewer than two points";
  for (std::size_t i = 0; i + 1 < points.size(); ++i)
    if (!(points[i + 1].first > points[i].first)) return "its displacements do not grow from point to point";
  if (origin_of(points) == points.size()) return "it does not pass through (0, 0)";
  if (!curve.slips) return "";
  for (const bool pulled : {true, false}) {
    const auto side = side_of(points, pulled);
    if (side.size() < 2) return "a curve that slips needs a point on either side of the origin";
    if (!(slope(side, 0) > 0)) return "a curve that slips must be stiff at the origin (a gap cannot slip)";
    for (std::size_t s = 1; s + 1 < side.size(); ++s)
      if (!(slope(side, s) < slope(side, 0))) return "a curve that slips is nowhere as steep as at the origin";
  }
  return "";
}

std::unique_ptr<Law<1>> curve_law(const Curve& curve) {
  if (const auto fault = fault_of(curve); !fault.empty()) throw std::invalid_argument("curve: " + fault);
  if (!curve.slips) return std::make_unique<AlongCurve>(curve.points);
  return std::make_unique<Slipping>(Side(side_of(curve.points, true)), Side(side_of(curve.points, false)));
}

}  // namespace archway::material
