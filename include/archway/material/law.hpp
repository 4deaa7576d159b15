#pragma once
#include <memory>
#include <string>
#include <utility>
#include <vector>

#include <Eigen/Core>

namespace archway::material {

/// One number that a point remembers.
struct MemoryField {
  std::string name;
  double start = 0;
};

/// What a law answers, component by component as the strain: stresses conjugate to it, and their derivative.
template <int N>
struct Answer {
  using Vector = Eigen::Matrix<double, N, 1>;
  using Matrix = Eigen::Matrix<double, N, N>;
  Vector stress = Vector::Zero();
  Matrix tangent = Matrix::Zero();
};

/// What a point holds per volume (per length of a spring's way: force times way), and what it has lost.
struct Energy {
  double stored = 0;      ///< comes back when it unloads; of kinematic hardening the part in the moved surface too
  double dissipated = 0;  ///< work of flow or slip that does not, never falling: yield stress times plastic strain
  Energy& operator+=(const Energy& more) {
    stored += more.stored, dissipated += more.dissipated;
    return *this;
  }
  friend Energy operator*(double factor, const Energy& e) { return {factor * e.stored, factor * e.dissipated}; }
};

/// Stress from strain, free strain and what the point remembers. Strain components: N = 1 along a fibre; 3 plane stress
/// 11 22 2x12; 6 solid 11 22 33 2x12 2x23 2x13. Immutable; any number of threads.
template <int N>
class Law {
 public:
  using Vector = typename Answer<N>::Vector;
  using Matrix = typename Answer<N>::Matrix;
  virtual ~Law() = default;
  /// What a point remembers; empty: nothing.
  virtual const std::vector<MemoryField>& memory() const = 0;
  /// Place of the equivalent plastic strain in it; -1: it has none.
  virtual int plastic_strain_place() const { return -1; }
  /// The answer is stiffness() x (strain - free strain), always: whoever asks may put it in closed form.
  virtual bool linear() const { return memory().empty(); }
  /// At a start without strain.
  virtual const Matrix& stiffness() const = 0;
  /// The answer at the end of a step. The same arguments give the same bits, whatever was asked in between.
  /// \param free_strain  the same in all directions, at which the virgin point is free of stress
  /// \param before  memory at the beginning of the step \param after  at its end; both memory().size() long
  virtual Answer<N> respond(const Vector& strain, double free_strain, const double* before, double* after) const = 0;
  /// Of the point once it remembers what respond() left: both are functions of the state alone, however it was reached.
  virtual Energy energy(const Vector& strain, double free_strain, const double* memory) const = 0;
  /// The stress as users read it, where the law is one of other measures. \param answer  at this strain
  virtual Vector told(const Vector& /*strain*/, const Answer<N>& answer) const { return answer.stress; }
};

/// Isotropic elasticity.
struct Elastic {
  double youngs_modulus = 0, poisson_ratio = 0;
};
/// Von Mises flow. Of the hardening in uniaxial stress one part makes the yield surface larger, by a curve of straight
/// pieces, and one moves its centre by `kinematic` a unit of plastic strain.
struct Flow {
  double yield_stress = 0;                         ///< where it begins; 0: never
  double isotropic = 0;                            ///< slope of the yield stress beyond the last corner
  double kinematic = 0;                            ///< slope of the centre
  std::vector<std::pair<double, double>> corners;  ///< (plastic strain, yield stress) after (0, yield_stress)
  bool flows() const { return yield_stress > 0; }
};
/// What is wrong with it, for the user; empty: nothing.
std::string fault_of(const Flow& flow);
/// Yield stress after so much plastic strain in one sense, and the slope from there on.
struct YieldStress {
  double value = 0, slope = 0, ends = 0;  ///< `ends`: plastic strain up to which the slope holds
};
YieldStress yield_stress_at(const Flow& flow, double plastic_strain);

template <int N>
std::unique_ptr<Law<N>> elastic_law(const Elastic& elastic);
/// J2 flow theory, implicit in time, with its consistent tangent: along a fibre in closed form, in plane stress by the
/// projection of [SimoTaylor1986], in the solid by radial return [SimoTaylor1985]. Memory: plastic strain (N
/// components), back stress (N components; none without kinematic hardening is kept all the same), equivalent plastic
/// strain.
template <int N>
std::unique_ptr<Law<N>> flow_law(const Elastic& elastic, const Flow& flow);

/// Force (or moment) against displacement (or rotation).
struct Curve {
  /// (displacement, force), displacements growing, (0, 0) among them; beyond the ends the last slopes go on.
  std::vector<std::pair<double, double>> points;
  /// false: unloads along the curve. true: unloads with the slope at the origin of the side it is on, and what has
  /// slipped stays; each side goes on hardening by its own slip.
  bool slips = false;
};
/// What is wrong with a curve, for the user; empty: nothing.
std::string fault_of(const Curve& curve);
/// A spring's law; its free strain is ignored. \throws std::invalid_argument with fault_of()
std::unique_ptr<Law<1>> curve_law(const Curve& curve);

extern template std::unique_ptr<Law<1>> elastic_law<1>(const Elastic&);
extern template std::unique_ptr<Law<3>> elastic_law<3>(const Elastic&);
extern template std::unique_ptr<Law<6>> elastic_law<6>(const Elastic&);
extern template std::unique_ptr<Law<1>> flow_law<1>(const Elastic&, const Flow&);
extern template std::unique_ptr<Law<3>> flow_law<3>(const Elastic&, const Flow&);
extern template std::unique_ptr<Law<6>> flow_law<6>(const Elastic&, const Flow&);

}  // namespace archway::material
