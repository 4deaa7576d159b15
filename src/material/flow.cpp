#include <algorithm>
#include <cmath>

#include "elastic_detail.hpp"

namespace archway::material {

std::string fault_of(const Flow& flow) {
  double strain = 0, stress = flow.yield_stress;
  if (!(stress > 0)) return "flow begins at a stress that is not above zero";
  for (const auto& [p, s] : flow.corners) {
    if (!(p > strain)) return "the plastic strains of the curve must grow from point to point";
    if (!(s >= stress)) return "the stresses of the curve must not fall";
    strain = p, stress = s;
  }
  if (!(flow.isotropic >= 0) || !(flow.kinematic >= 0)) return "hardening must not be negative";
  return "";
}

namespace {
/// Piece of the curve that holds a plastic strain; the last one has no end.
std::size_t piece_of(const Flow& flow, double plastic_strain) {
  const auto next = std::upper_bound(flow.corners.begin(), flow.corners.end(), plastic_strain,
                                     [](double p, const auto& corner) { return p < corner.first; });
  return static_cast<std::size_t>(next - flow.corners.begin());
}
std::pair<double, double> start_of(const Flow& flow, std::size_t piece) {
  return piece == 0 ? std::pair(0.0, flow.yield_stress) : flow.corners[piece - 1];
}
double slope_of(const Flow& flow, std::size_t piece) {
  if (piece == flow.corners.size()) return flow.isotropic;
  const auto [strain, stress] = start_of(flow, piece);
  return (flow.corners[piece].second - stress) / (flow.corners[piece].first - strain);
}
}  // namespace

YieldStress yield_stress_at(const Flow& flow, double plastic_strain) {
  const std::size_t piece = piece_of(flow, plastic_strain);
  const auto [strain, stress] = start_of(flow, piece);
  const double slope = slope_of(flow, piece);
  return {stress + slope * (plastic_strain - strain), slope,
          piece == flow.corners.size() ? HUGE_VAL : flow.corners[piece].first};
}

namespace {
/// Work of flow in one sense up to a plastic strain.
double work_of_flow(const Flow& flow, double plastic_strain) {
  double work = 0, from = 0;
  while (from < plastic_strain) {
    const YieldStress here = yield_stress_at(flow, from);
    const double to = std::min(here.ends, plastic_strain);
    work += (here.value + 0.5 * here.slope * (to - from)) * (to - from);
    from = to;
  }
  return work;
}

constexpr double kLastStep = 1e-12;   ///< relative, of the plastic multiplier
constexpr double kOnSurface = 1e-11;  ///< share of the yield stress that is no distance from it

/// What the three share: memory as plastic strain, back stress, equivalent plastic strain.
template <int N>
class FlowLaw : public Law<N> {
 public:
  using Vector = typename Law<N>::Vector;
  using Matrix = typename Law<N>::Matrix;
  FlowLaw(const Elastic& elastic, const Flow& flow)
      : stiffness_(detail::stiffness<N>(elastic)), elastic_(elastic), flow_(flow) {
    static const std::array<const char*, 6> axes = {"11", "22", N == 3 ? "12" : "33", "12", "23", "13"};
    for (const char* what : {"plastic_strain_", "back_stress_"})
      for (int k = 0; k < N; ++k) fields_.push_back({what + std::string(axes[static_cast<std::size_t>(k)]), 0});
    fields_.push_back({"equivalent_plastic_strain", 0});
  }
  const std::vector<MemoryField>& memory() const override { return fields_; }
  int plastic_strain_place() const override { return 2 * N; }
  const Matrix& stiffness() const override { return stiffness_; }

  Answer<N> respond(const Vector& strain, double free_strain, const double* before, double* after) const override {
    Memory own{Eigen::Map<const Vector>(before), Eigen::Map<const Vector>(before + N), before[2 * N]};
    const Vector trial = stiffness_ * (strain - free_strain * detail::all_directions<N>() - own.plastic_strain);
    Answer<N> answer{trial, stiffness_};
    if (excess(trial - own.back_stress, own.equivalent) > 0) flow(trial, own, answer);
    Eigen::Map<Vector>(after + 0) = own.plastic_strain;
    Eigen::Map<Vector>(after + N) = own.back_stress;
    after[2 * N] = own.equivalent;
    return answer;
  }
  /// Work done on the point is sigma : d eps_p = yield stress x d p + back stress : d eps_p, of which the first is lost
  /// and the second, by Prager's rule, is the energy of the moved surface.
  Energy energy(const Vector& strain, double free_strain, const double* memory) const override {
    const Vector own = strain - free_strain * detail::all_directions<N>() - Vector(Eigen::Map<const Vector>(memory));
    const double back = equivalent_stress(Eigen::Map<const Vector>(memory + N));
    const double moved = back > 0 ? 0.5 * back * back / flow_.kinematic : 0;
    return {0.5 * own.dot(stiffness_ * own) + moved, work_of_flow(flow_, memory[2 * N])};
  }

 protected:
  struct Memory {
    Vector plastic_strain, back_stress;
    double equivalent;
  };
  double yield_stress(double equivalent) const { return yield_stress_at(flow_, equivalent).value; }
  /// Plastic strain that brings a stress back to the yield surface when it takes `stiffness` a unit of it off, the
  /// curve piece by piece. \param excess  of the stress over the yield stress \param isotropic  slope where it ends
  double slip_back(double excess, double stiffness, double equivalent, double& isotropic) const {
    // from corner to corner by their number: the sum of slips may round to either side of one
    double slip = 0, from = equivalent;
    for (std::size_t piece = piece_of(flow_, equivalent);; ++piece) {
      isotropic = slope_of(flow_, piece);
      const double falls = stiffness + flow_.kinematic + isotropic, step = excess / falls;
      if (piece == flow_.corners.size() || from + step <= flow_.corners[piece].first) return slip + step;
      const double length = flow_.corners[piece].first - from;
      excess -= falls * length;
      slip += length;
      from = flow_.corners[piece].first;
    }
  }
  /// Equivalent stress over the yield stress; above zero: outside.
  double excess(const Vector& relative, double equivalent) const {
    // rounding of a state that lies on the surface is no flow: an unloading step then begins with the elastic tangent
    return equivalent_stress(relative) - yield_stress(equivalent) * (1 + kOnSurface);
  }
  virtual double equivalent_stress(const Vector& s) const = 0;
  virtual void flow(const Vector& trial, Memory& memory, Answer<N>& answer) const = 0;

  Matrix stiffness_;
  Elastic elastic_;
  Flow flow_;
  std::vector<MemoryField> fields_;
};

class FibreFlow final : public FlowLaw<1> {
 public:
  using FlowLaw::FlowLaw;

 private:
  double equivalent_stress(const Vector& s) const override { return std::abs(s[0]); }
  void flow(const Vector& trial, Memory& memory, Answer<1>& answer) const override {
    const double e = elastic_.youngs_modulus;
    const double relative = trial[0] - memory.back_stress[0], sense = relative < 0 ? -1 : 1;
    double isotropic = 0;
    const double slip =
        slip_back(std::abs(relative) - yield_stress(memory.equivalent), e, memory.equivalent, isotropic);
    const double hard = isotropic + flow_.kinematic;
    memory.plastic_strain[0] += sense * slip;
    memory.back_stress[0] += sense * flow_.kinematic * slip;
    memory.equivalent += slip;
    answer.stress[0] = trial[0] - sense * e * slip;
    answer.tangent(0, 0) = e * hard / (e + hard);
  }
};

class SolidFlow final : public FlowLaw<6> {
 public:
  using FlowLaw::FlowLaw;

 private:
  static Vector deviator(Vector s) {
    s.head<3>().array() -= s.head<3>().sum() / 3;
    return s;
  }
  static double norm(const Vector& deviator) {
    return std::sqrt(deviator.head<3>().squaredNorm() + 2 * deviator.tail<3>().squaredNorm());
  }
  double equivalent_stress(const Vector& s) const override { return std::sqrt(1.5) * norm(deviator(s)); }

  void flow(const Vector& trial, Memory& memory, Answer<6>& answer) const override {
    const double g = elastic_.youngs_modulus / (2 * (1 + elastic_.poisson_ratio));
    const Vector relative = deviator(trial) - memory.back_stress;
    const double size = norm(relative);
    const Vector normal = relative / size;  // of the yield surface, as a stress
    double isotropic = 0;
    const double slip = slip_back(std::sqrt(1.5) * size - yield_stress(memory.equivalent), 3 * g, memory.equivalent,
                                  isotropic);  // equivalent plastic strain
    Vector strain_normal = normal;
    strain_normal.tail<3>() *= 2;
    memory.plastic_strain += std::sqrt(1.5) * slip * strain_normal;
    memory.back_stress += std::sqrt(2.0 / 3) * flow_.kinematic * slip * normal;
    memory.equivalent += slip;
    answer.stress = trial - std::sqrt(6.0) * g * slip * normal;
    // [SimoTaylor1985]: 2 G (theta I_dev - theta' n n^T) beside the bulk
    const double theta = 1 - std::sqrt(6.0) * g * slip / size;
    const double along = 3 * g / (3 * g + isotropic + flow_.kinematic) - (1 - theta);
    Matrix dev = Matrix::Zero();
    dev.topLeftCorner<3, 3>().setConstant(-1.0 / 3);
    dev.topLeftCorner<3, 3>().diagonal().setConstant(2.0 / 3);
    dev.bottomRightCorner<3, 3>().diagonal().setConstant(0.5);
    answer.tangent = stiffness_ - 2 * g * (1 - theta) * dev - 2 * g * along * normal * normal.transpose();
  }
};

/// Plane stress: the constraint is built into the projection, which isotropy makes diagonal in s = (11 + 22) / sqrt 2,
/// d = (22 - 11) / sqrt 2 and 12 ([SimoTaylor1986]).
class PlaneFlow final : public FlowLaw<3> {
 public:
  using FlowLaw::FlowLaw;

 private:
  static double form(const Vector& s) {  // xi^T P xi
    return (2 * (s[0] * s[0] + s[1] * s[1] - s[0] * s[1]) + 6 * s[2] * s[2]) / 3;
  }
  double equivalent_stress(const Vector& s) const override { return std::sqrt(1.5 * form(s)); }

  void flow(const Vector& trial, Memory& memory, Answer<3>& answer) const override {
    const double e = elastic_.youngs_modulus, nu = elastic_.poisson_ratio, g = e / (2 * (1 + nu));
    const double kin = 2.0 / 3 * flow_.kinematic;
    const Vector relative = trial - memory.back_stress;
    const double sum = (relative[0] + relative[1]) * (relative[0] + relative[1]) / 6,
                 rest = 0.5 * (relative[1] - relative[0]) * (relative[1] - relative[0]) + 2 * relative[2] * relative[2];
    const double of_sum = e / (3 * (1 - nu)) + kin, of_rest = 2 * g + kin;
    // xi^T P xi at a multiplier, and the surface: f = form / 2 - yield^2 / 3
    const auto form_at = [&](double m) {
      const double a = 1 + of_sum * m, b = 1 + of_rest * m;
      return sum / (a * a) + rest / (b * b);
    };
    double isotropic = 0;
    const double multiplier = root_of(form_at, sum, rest, of_sum, of_rest, memory.equivalent, isotropic);
    const double size = form_at(multiplier);
    // back from s, d to the axes
    const double s = (relative[0] + relative[1]) / (1 + of_sum * multiplier),
                 d = (relative[1] - relative[0]) / (1 + of_rest * multiplier);
    const Vector xi(0.5 * (s - d), 0.5 * (s + d), relative[2] / (1 + of_rest * multiplier));
    const Vector normal((2 * xi[0] - xi[1]) / 3, (2 * xi[1] - xi[0]) / 3, 2 * xi[2]);  // P xi
    memory.plastic_strain += multiplier * normal;
    memory.back_stress += kin * multiplier * xi;
    memory.equivalent += std::sqrt(2.0 / 3 * size) * multiplier;
    answer.stress = xi + memory.back_stress;
    answer.tangent = tangent(xi, normal, multiplier, kin, isotropic);
  }

  /// Newton on the multiplier, in the inverse of the stress, which is all but linear in it: from any distance to the
  /// surface a few steps. Where one overshoots, since the curve bends, halves of what is left take over.
  template <class Form>
  double root_of(const Form& form_at, double sum, double rest, double of_sum, double of_rest, double equivalent,
                 double& isotropic) const {
    double m = 0, below = 0, above = HUGE_VAL;
    for (int i = 0; i < 200; ++i) {
      const double form = form_at(m), q = std::sqrt(1.5 * form), root = 2.0 / 3 * q;
      const YieldStress yield = yield_stress_at(flow_, equivalent + root * m);
      isotropic = yield.slope;
      const double a = 1 + of_sum * m, b = 1 + of_rest * m;
      const double slope = -2 * (sum * of_sum / (a * a * a) + rest * of_rest / (b * b * b));
      const double dq = 0.75 * slope / q, dy = yield.slope * (root + m * 2.0 / 3 * dq), y = yield.value;
      const double f = q - y;
      const double newton = m - (1 / q - 1 / y) / (dy / (y * y) - dq / (q * q));
      // quadratic by then: what is left is rounding, which further steps only shuffle
      if (std::abs(newton - m) <= kLastStep * m) return newton;
      (f < 0 ? above : below) = m;
      const double last = m;
      m = newton > below && newton < above ? newton : 0.5 * (below + above);
      if (m == last) return m;
    }
    return m;
  }

  Matrix tangent(const Vector& xi, const Vector& normal, double multiplier, double kin, double isotropic) const {
    Matrix p;
    p << 2.0 / 3, -1.0 / 3, 0, -1.0 / 3, 2.0 / 3, 0, 0, 0, 2;
    const double theta1 = 1 + kin * multiplier, theta2 = 1 - 2.0 / 3 * isotropic * multiplier;
    const Matrix modulus = (stiffness_.inverse() + multiplier / theta1 * p).inverse();
    const Vector pull = modulus * normal;
    const double hard = theta1 / theta2 * (2.0 / 3 * isotropic * theta1 + kin * theta2) * xi.dot(normal);
    return modulus - pull * pull.transpose() / (normal.dot(pull) + hard);
  }
};
}  // namespace

template <int N>
std::unique_ptr<Law<N>> flow_law(const Elastic& elastic, const Flow& flow) {
  if constexpr (N == 1)
    return std::make_unique<FibreFlow>(elastic, flow);
  else if constexpr (N == 3)
    return std::make_unique<PlaneFlow>(elastic, flow);
  else
    return std::make_unique<SolidFlow>(elastic, flow);
}
template std::unique_ptr<Law<1>> flow_law<1>(const Elastic&, const Flow&);
template std::unique_ptr<Law<3>> flow_law<3>(const Elastic&, const Flow&);
template std::unique_ptr<Law<6>> flow_law<6>(const Elastic&, const Flow&);

}  // namespace archway::material
