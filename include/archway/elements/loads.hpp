#pragma once
#include <array>
#include <functional>

#include "archway/elements/internal_forces.hpp"
#include "archway/elements/state.hpp"

namespace archway::elements {

/// Totals of nodal loads about a point.
/// \param nodal  full (forces, moments); \param positions  where the forces act
Resultant resultant(const std::vector<Vec3>& positions, const Eigen::VectorXd& nodal, const Vec3& about);

/// Adds factor times the consistent nodal loads of an action in a state to `nodal` (full). Loads that keep
/// their direction do not depend on the state; pressures that follow are taken on the current surface.
void add_loads(const model::Model& model, const model::Action& action, double factor, const State& state,
               Eigen::VectorXd& nodal);

/// The two parts of add_loads: what no state changes, with factor 1; and what every state changes (pressures that
/// follow, forces on arms).
void add_dead_loads(const model::Model& model, const model::Action& action, Eigen::VectorXd& nodal);
void add_changing_loads(const model::Model& model, const model::Action& action, double factor, const State& state,
                        Eigen::VectorXd& nodal);

/// Nodes that a load stiffness couples.
struct LoadedNodes {
  std::array<int, 9> list{};
  int count = 0;
  int shell = -1;  ///< they are those of this shell element, in its order; -1: others
  const int* begin() const { return list.data(); }
  const int* end() const { return list.data() + count; }
};
/// On three or six degrees of freedom of nine nodes at most: no memory is asked for.
using LoadBlock = Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::ColMajor, 27, 27>;

/// Receives factor times d(load)/d(step) on the first `width` degrees of freedom of some nodes, made symmetric: the
/// skew part is left by free boundaries only ([Schweizerhof1984]). From pressures that follow, and from forces on arms,
/// whose moments change as the arms rotation.
using LoadStiffnessSink = std::function<void(const LoadedNodes& nodes, int width, const LoadBlock&)>;
void add_load_stiffness(const model::Model& model, const model::Action& action, double factor, const State& state,
                        const LoadStiffnessSink& sink);
/// The skew part that add_load_stiffness omits: of pressures that follow, and half the rotation of moments that keep
/// their direction (in spins, the derivative of the internal moment m at a node has -[m x] / 2 for its skew part).
void add_skew_load_stiffness(const model::Model& model, const model::Action& action, double factor, const State& state,
                             const LoadStiffnessSink& sink);
bool has_following_loads(const model::Action& action);

/// Share of the load stiffness of an action that is not symmetric after assembly (Frobenius norms over nodal blocks):
/// left at free edges under following pressure, and dropped by the analysis. 0 when nothing follows.
double unsymmetric_share(const model::Model& model, const model::Action& action, const State& state);

/// Mass and its centre for a set of parts (all parts when empty).
struct Mass {
  double mass = 0;
  Vec3 centre = Vec3::Zero();
  double measure = 0;  ///< length of members and bars, area of panels, volume of solids
};
Mass mass_of(const model::Model& model, int part);

}  // namespace archway::elements
