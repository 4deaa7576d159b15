#pragma once
#include <functional>

#include <Eigen/Geometry>

#include "archway/elements/local_freedoms.hpp"
#include "archway/elements/state.hpp"

namespace archway::elements {

/// Nodes that follow others exactly, under rotations of any size: rigid arms, hinges, load-spreading couplings, bonded
/// interfaces. Followers are eliminated: forces and stiffness on them go to what they follow, with the second-order
/// terms that a rotation arm brings (force times arm) in tangent and geometric stiffness alike. No multipliers, no
/// penalty numbers. Mean rotation of several leaders: normalised mean of quaternions (carried); of a cloud of points:
/// the rotation of best weighted fit ([Horn1987]).
///
/// A rotation of which one component is restrained and two are free: of R = swing x twist about the restrained axis a
/// (the axis rotations with the leader, where there is one), the twist stays. The axis of a swing lies in the plane
/// across a, so that (R b) . c = (R c) . b for any b, c across a: the answer hangs neither on how the free axes are
/// named nor on steps. The rotation is free about the two axes across a rotated by half the swing, and the moment that
/// holds it acts about the third. Supports in global axes that hold one rotation of a node are made ties like that,
/// without a leader.
///
/// Full vectors of displacement hold the displacement of followers as well; full vectors of force hold what has been
/// brought to the leaders. The value of a free direction of a hinge (an angle, a slide) has its place at the follower's
/// degree of freedom: the k-th free rotation at turn_x + k, the k-th free move at move_x + k.
class Ties {
 public:
  /// \param standing  state in which the nodes are tied as they lie; nullptr: the unloaded structure. Ties that held on
  /// the way there hold on: for them the state changes nothing but rounding.
  explicit Ties(const model::Model& model, const State* standing = nullptr);

  bool empty() const { return ties_.empty(); }
  int size() const { return static_cast<int>(ties_.size()); }
  /// Ties in an order in which leaders come before followers.
  const model::Tie& tie(int index) const { return ties_[static_cast<std::size_t>(index)].tie; }
  /// The degree of freedom (full number) is given by leaders; those that hold the value of a free direction are not.
  bool eliminated(int dof) const { return eliminated_[static_cast<std::size_t>(dof)] != 0; }
  /// The node has degrees of freedom that follow.
  bool follows(int node) const { return of_node_[static_cast<std::size_t>(node)] >= 0; }
  /// Degrees of freedom that a tie brings in: those of its leaders, then its own free directions.
  const std::vector<int>& columns(int tie) const { return ties_[static_cast<std::size_t>(tie)].columns; }

  LocalDofs localise(const std::vector<int>& dofs) const;
  /// Brings force and stiffness (sized to local.degrees of freedom) down to the leaders. nullptr: not wanted.
  void reduce(const State& state, const LocalDofs& local, Eigen::VectorXd& force, Eigen::MatrixXd* tangent,
              Eigen::MatrixXd* geometric) const;
  /// Fills in the displacement of the followers of a full displacement whose free directions hold their values.
  void complete(const State& state, Eigen::VectorXd& full) const;
  /// The other way round: puts the values of the free directions back in their places.
  void extract(const State& state, Eigen::VectorXd& full) const;
  /// Moves nodal forces from followers to leaders; reports every tie and the force and moment it carried.
  using Carried = std::function<void(int tie, const Eigen::Matrix<double, 7, 1>& force)>;
  void gather(const State& state, Eigen::VectorXd& nodal, const Carried& carried = {}) const;
  /// Second-order stiffness of a force on the follower, on columns(tie).
  Eigen::MatrixXd second_order(const State& state, int tie, const Eigen::Matrix<double, 7, 1>& force) const;
  /// State::advance for a step that holds the displacement of followers (see complete).
  void advance(State& state, const Eigen::VectorXd& step) const;

 private:
  struct Data {
    model::Tie tie;
    std::vector<int> columns;
    Vec3 distance = Vec3::Zero();  // carried, mean: from the (weighted mean of the) leaders, where they were tied
    std::vector<Vec3> spread;      // mean: leaders from their mean, where they were tied
    bool has_rotations = true;     // columns hold rotations of the leaders
    Eigen::Quaterniond rotated = Eigen::Quaterniond::Identity();  // of the follower over its leaders when it was tied
    double warped = 0;                                            // the same of warping
    int held_rotation = -1;  // of a swing without leader: the rotation that is restrained, 0 to 2
    /// The warping amplitude of the leader is among the columns.
    bool has_warping() const { return tie.warps || !tie.warp_move.isZero(0.0); }
    int held_dof() const { return held_rotation < 0 ? -1 : model::rotation_x + held_rotation; }
  };
  struct Fit;  // of a mean tie in a state
  Eigen::MatrixXd map(const State& state, const Data& data) const;
  /// Of a swing without leader: the moment of `force` about the axis that its support holds, rotated by half the swing.
  double holding_moment(const State& state, const Data& data, const Eigen::Matrix<double, 7, 1>& force) const;
  Eigen::MatrixXd carried_map(const State& state, const Data& data) const;
  Eigen::MatrixXd mean_map(const State& state, const Data& data) const;
  Eigen::MatrixXd carried_second_order(const State& state, const Data& data, const Vec3& f, const Vec3& m) const;
  Eigen::MatrixXd mean_second_order(const State& state, const Data& data, const Vec3& f, const Vec3& m) const;
  /// Slides and rotations along the free directions of a hinge in a step.
  void free_values(const Data& data, const State& state, const Eigen::VectorXd& step, Eigen::VectorXd& slides,
                   Eigen::VectorXd& rotations) const;
  void place(const Data& data, const State& before, const Eigen::VectorXd& step, State& state) const;
  void place_swing(const Data& data, const State& before, const Eigen::VectorXd& step, State& state) const;
  void order(const model::Model& model);
  void add_swings(const model::Model& model);
  void tie_alike(Data& data, const std::vector<Vec3>& nodes);
  /// Distances and rotations as they are in a state.
  static void stand(Data& data, const State& state);

  std::vector<Data> ties_;  // leaders before followers
  std::vector<int> of_node_;
  std::vector<char> eliminated_;
};

/// d quaternion (w x y z) / d spin: half of (0, spin) times q.
Eigen::Matrix<double, 4, 3> spin_map(const Eigen::Vector4d& q);

}  // namespace archway::elements
