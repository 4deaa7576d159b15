#include "archway/elements/tie.hpp"

#include <functional>
#include <set>

#include "archway/base/dense.hpp"
#include "archway/base/index.hpp"
#include "constraints/tie_detail.hpp"
#include "core/arms_detail.hpp"

namespace archway::elements {

namespace {
using base::skew;
using Eigen::MatrixXd;
using Eigen::VectorXd;
using Vec4 = Eigen::Vector4d;
using Vec7 = Eigen::Matrix<double, 7, 1>;

using base::at;
using namespace tie_detail;
}  // namespace

Eigen::Matrix<double, 4, 3> spin_map(const Vec4& q) {
  Eigen::Matrix<double, 4, 3> e;
  e.row(0) = -0.5 * q.tail<3>().transpose();
  e.bottomRows<3>() = 0.5 * (q[0] * Mat3::Identity() - skew(q.tail<3>()));
  return e;
}

Ties::Ties(const model::Model& model, const State* standing)
    : of_node_(model.nodes.size(), -1), eliminated_(at(static_cast<int>(model::row(model.nodes.size()))), 0) {
  add_swings(model);
  order(model);
  const auto& nodes = standing == nullptr ? model.nodes : standing->position;
  const auto between = [&](int from, int to) -> Vec3 {
    return standing == nullptr ? Vec3(nodes[at(to)] - nodes[at(from)]) : standing->between(from, to);
  };
  for (std::size_t t = 0; t < ties_.size(); ++t) {
    Data& data = ties_[t];
    auto& tie = data.tie;
    if (tie.free_rotations.size() >= 3) tie.rotations = false, tie.free_rotations.clear();
    if (tie.free_moves.size() >= 3) tie.moves = false, tie.free_moves.clear();
    const auto own = static_cast<int>(model::row(tie.follower));
    of_node_[at(tie.follower)] = static_cast<int>(t);
    if (data.held_rotation >= 0) continue;
    if (tie.kind == model::Tie::Kind::alike) {
      tie_alike(data, nodes);
      if (standing != nullptr) stand(data, *standing);
      continue;
    }
    for (int k = 0; k < 3; ++k) {
      eliminated_[at(own + k)] = tie.moves && k >= static_cast<int>(tie.free_moves.size());
      eliminated_[at(own + 3 + k)] = tie.rotations && k >= static_cast<int>(tie.free_rotations.size());
    }
    eliminated_[at(own + model::warp)] = tie.warps;
    const Vec3 mean = mean_of(between, tie);
    data.distance = between(tie.leaders[0], tie.follower) - mean;
    data.has_rotations = tie.kind == model::Tie::Kind::carried && (tie.rotations || tie.arms_rotation);
    for (const int leader : tie.leaders) {
      const auto first = static_cast<int>(model::row(leader));
      if (tie.kind == model::Tie::Kind::mean) data.spread.push_back(between(tie.leaders[0], leader) - mean);
      for (int k = 0; k < (data.has_rotations ? 6 : 3); ++k) data.columns.push_back(first + k);
    }
    if (data.has_warping()) data.columns.push_back(static_cast<int>(model::row(tie.leaders[0])) + model::warp);
    for (std::size_t k = 0; k < tie.free_moves.size(); ++k) data.columns.push_back(own + static_cast<int>(k));
    for (std::size_t k = 0; k < tie.free_rotations.size(); ++k) data.columns.push_back(own + 3 + static_cast<int>(k));
    if (standing != nullptr) stand(data, *standing);
  }
}

void Ties::tie_alike(Data& data, const std::vector<Vec3>& nodes) {
  const auto& tie = data.tie;
  const auto own = static_cast<int>(model::row(tie.follower));
  data.distance = nodes[at(tie.follower)];
  data.has_rotations = false;
  for (int k = 0; k < 3; ++k) {
    if (!tie.gives(k)) continue;
    eliminated_[at(own + k)] = 1;
    data.distance[k] -= tie.times[at(k)] * nodes[at(tie.alike[at(k)])][k];
    data.columns.push_back(static_cast<int>(model::row(tie.alike[at(k)])) + k);
  }
  for (int k = 3; k < 6 && tie.rotations_like >= 0; ++k) {
    eliminated_[at(own + k)] = 1;
    data.columns.push_back(static_cast<int>(model::row(tie.rotations_like)) + k);
  }
}

void Ties::stand(Data& data, const State& state) {
  const auto& tie = data.tie;
  const Eigen::Quaterniond& own = state.rotation[at(tie.follower)];
  const auto over = [&](const Eigen::Quaterniond& lead) { return (lead.conjugate() * own).normalized(); };
  if (tie.kind == model::Tie::Kind::alike) {
    if (tie.rotations_like >= 0) data.rotated = over(state.rotation[at(tie.rotations_like)]);
    return;
  }
  if (tie.kind == model::Tie::Kind::mean) {  // the spread is that of the state, which so far has not rotated
    data.rotated = own;
    return;
  }
  if (tie.warps) data.warped = state.warp[at(tie.follower)] - state.warp[at(tie.leaders[0])];
  const Vec4 mean = MeanRotation(state, tie).sum;
  data.rotated = over(Eigen::Quaterniond(mean[0], mean[1], mean[2], mean[3]).normalized());
  if (!tie.arms_rotation) return;
  Mat3 rotations = Mat3::Zero();  // x = sum w (x_i + R_i d)
  for (std::size_t i = 0; i < tie.leaders.size(); ++i)
    rotations += tie.weights[i] * state.rotation[at(tie.leaders[i])].toRotationMatrix();
  data.distance = rotations.inverse() * data.distance;
}

/// Nodes of members and walls of which supports in global axes hold one rotation. Where a rotation is prescribed, or
/// the node follows another, the spins of the steps about the free axes are what is free, as before.
void Ties::add_swings(const model::Model& model) {
  std::vector<std::set<int>> held(model.nodes.size());
  for (const auto& s : model.supports)
    if (s.dof >= model::rotation_x && s.dof <= model::rotation_z) held[at(s.node)].insert(s.dof - model::rotation_x);
  std::vector<char> fits(model.nodes.size(), 0);
  for (const auto& e : model.line_elements)
    for (const int n : e.nodes) fits[at(n)] = 1;
  for (const auto& e : model.shell_elements)
    for (const int n : e) fits[at(n)] = 1;
  for (const auto& tie : model.ties) fits[at(tie.follower)] = 0;
  for (const auto& action : model.actions)
    for (const auto& m : action.displacements)
      if (m.dof >= model::rotation_x && m.dof <= model::rotation_z) fits[at(m.node)] = 0;
  for (std::size_t n = 0; n < held.size(); ++n) {
    if (held[n].size() != 1 || !fits[n]) continue;
    Data data;
    data.held_rotation = *held[n].begin();
    data.has_rotations = false;
    data.tie.follower = static_cast<int>(n);
    data.tie.moves = false;
    const auto own = static_cast<int>(model::row(n)) + model::rotation_x;
    for (int k = 0; k < 3; ++k) {
      if (k == data.held_rotation) continue;
      data.tie.free_rotations.push_back(Vec3::Unit(k));
      data.columns.push_back(own + k);
    }
    ties_.push_back(std::move(data));
  }
}

/// Leaders before followers; the model has been checked to hold no circle.
void Ties::order(const model::Model& model) {
  std::vector<int> of(model.nodes.size(), -1);
  for (std::size_t t = 0; t < model.ties.size(); ++t) of[at(model.ties[t].follower)] = static_cast<int>(t);
  std::vector<char> done(model.ties.size(), 0);
  const std::function<void(int)> visit = [&](int t) {
    if (std::exchange(done[at(t)], 1)) return;
    for (const int leader : model.ties[at(t)].leaders)
      if (of[at(leader)] >= 0) visit(of[at(leader)]);
    ties_.push_back({model.ties[at(t)], {}, Vec3::Zero(), {}, true});
  };
  for (int t = 0; t < static_cast<int>(model.ties.size()); ++t) visit(t);
}

namespace {
/// Elements that name a node twice (springs to the ground do) have its degrees of freedom twice, and a tie looks for
/// each once: what acts at the second place is brought to the first, as a replacement without a tie.
void join_twins(LocalDofs& local) {
  for (std::size_t i = 0; i < local.dofs.size(); ++i) {
    const auto first = std::find(local.dofs.begin(), local.dofs.end(), local.dofs[i]);
    const auto twin = static_cast<int>(first - local.dofs.begin());
    if (local.dofs[i] < 0 || twin == static_cast<int>(i)) continue;
    LocalDofs::Replacement r;
    r.rows.fill(-1);
    r.rows[0] = static_cast<int>(i);
    r.columns = {twin};
    local.dofs[i] = -1;
    local.replacements.push_back(std::move(r));
  }
}

void bring_to_twin(const LocalDofs::Replacement& r, VectorXd& force, const std::array<MatrixXd*, 2>& matrices) {
  const int from = r.rows[0], to = r.columns[0];
  force[to] += force[from], force[from] = 0;
  for (MatrixXd* k : matrices) {
    if (k == nullptr) continue;
    k->col(to) += k->col(from), k->col(from).setZero();
    k->row(to) += k->row(from), k->row(from).setZero();
  }
}
}  // namespace

LocalDofs Ties::localise(const std::vector<int>& dofs) const {
  LocalDofs local;
  local.dofs = dofs;
  // ties of the nodes concerned, the last first: what a follower brings in has ties of lower number only
  std::set<int, std::greater<>> open;
  const auto concern = [&](int dof, int below) {
    if (const int t = of_node_[at(dof / model::kNodeDofs)]; t >= 0 && t < below) open.insert(t);
  };
  for (const int dof : dofs) concern(dof, size());
  join_twins(local);
  while (!open.empty()) {
    const int t = *open.begin();
    open.erase(open.begin());
    const Data& data = ties_[at(t)];
    const auto own = static_cast<int>(model::row(data.tie.follower));
    LocalDofs::Replacement r;
    r.tie = t;
    bool concerned = false;
    for (int k = 0; k < model::kNodeDofs; ++k) {
      const bool tied = data.tie.gives(k);
      const auto found = std::find(local.dofs.begin(), local.dofs.end(), own + k);
      r.rows[at(k)] = tied && found != local.dofs.end() ? static_cast<int>(found - local.dofs.begin()) : -1;
      concerned = concerned || r.rows[at(k)] >= 0;
    }
    if (!concerned) continue;
    for (int k = 0; k < model::kNodeDofs; ++k)  // a held rotation keeps its place, for the moment that holds it
      if (const int place = r.rows[at(k)]; place >= 0 && k != data.held_dof()) local.dofs[at(place)] = -1;
    for (const int column : data.columns) {
      const auto found = std::find(local.dofs.begin(), local.dofs.end(), column);
      r.columns.push_back(static_cast<int>(found - local.dofs.begin()));
      if (found != local.dofs.end()) continue;
      local.dofs.push_back(column);
      concern(column, t);  // its own free directions have their places at the follower
    }
    local.replacements.push_back(std::move(r));
  }
  return local;
}

void Ties::reduce(const State& state, const LocalDofs& local, VectorXd& force, MatrixXd* tangent,
                  MatrixXd* geometric) const {
  for (const auto& r : local.replacements) {
    if (r.tie < 0) {
      bring_to_twin(r, force, {tangent, geometric});
      continue;
    }
    const MatrixXd rows = map(state, ties_[at(r.tie)]);
    Vec7 carried = Vec7::Zero();
    for (int k = 0; k < model::kNodeDofs; ++k)
      if (r.rows[at(k)] >= 0) carried[k] = force[r.rows[at(k)]];
    const auto each = [&](const auto& use) {
      for (int k = 0; k < model::kNodeDofs; ++k)
        for (std::size_t c = 0; c < r.columns.size() && r.rows[at(k)] >= 0; ++c)
          if (const double t = rows(k, static_cast<Eigen::Index>(c)); t != 0.0) use(r.rows[at(k)], r.columns[c], t);
    };
    each([&](int row, int column, double t) { force[column] += t * force[row]; });
    const MatrixXd bend = second_order(state, r.tie, carried);
    for (MatrixXd* k : {tangent, geometric}) {
      if (k == nullptr) continue;
      each([&](int row, int column, double t) { k->col(column) += t * k->col(row); });
      each([&](int row, int column, double t) { k->row(column) += t * k->row(row); });
      for (std::size_t a = 0; a < r.columns.size(); ++a)
        for (std::size_t b = 0; b < r.columns.size(); ++b)
          (*k)(r.columns[a], r.columns[b]) += bend(static_cast<Eigen::Index>(a), static_cast<Eigen::Index>(b));
    }
    const Data& data = ties_[at(r.tie)];
    for (int f = 0; f < model::kNodeDofs; ++f) {
      const int place = r.rows[at(f)];
      if (place < 0) continue;
      force[place] = f == data.held_dof() ? holding_moment(state, data, carried) : 0;
      for (MatrixXd* k : {tangent, geometric})
        if (k != nullptr) k->row(place).setZero(), k->col(place).setZero();
    }
  }
}

double Ties::holding_moment(const State& state, const Data& data, const Vec7& force) const {
  const Swing now(data.tie, state);
  const double sense = now.axis[data.held_rotation] < 0 ? -1 : 1;
  return sense * force.segment<3>(3).dot(now.half * now.axis);
}

void Ties::complete(const State& state, VectorXd& full) const {
  for (const Data& data : ties_) {
    const MatrixXd rows = map(state, data);
    VectorXd from(static_cast<Eigen::Index>(data.columns.size()));
    for (std::size_t c = 0; c < data.columns.size(); ++c) from[static_cast<Eigen::Index>(c)] = full[data.columns[c]];
    const Vec7 moved = rows * from;
    const auto own = model::row(data.tie.follower);
    for (int k = 0; k < model::kNodeDofs; ++k)
      if (data.tie.gives(k)) full[own + k] = moved[k];
  }
}

void Ties::gather(const State& state, VectorXd& nodal, const Carried& carried) const {
  for (int t = size() - 1; t >= 0; --t) {
    const Data& data = ties_[at(t)];
    const auto own = model::row(data.tie.follower);
    Vec7 force = nodal.segment<7>(own);
    for (int k = 0; k < model::kNodeDofs; ++k) {
      const bool tied = data.tie.gives(k);
      if (!tied) force[k] = 0;
      if (tied) nodal[own + k] = 0;
    }
    if (force.isZero(0.0)) continue;
    const VectorXd share = map(state, data).transpose() * force;
    for (std::size_t c = 0; c < data.columns.size(); ++c) nodal[data.columns[c]] += share[static_cast<Eigen::Index>(c)];
    if (data.held_rotation >= 0) nodal[own + data.held_dof()] += holding_moment(state, data, force);
    if (carried) carried(t, force);
  }
}

MatrixXd Ties::map(const State& state, const Data& data) const {
  if (data.tie.kind == model::Tie::Kind::alike) {
    MatrixXd rows = MatrixXd::Zero(model::kNodeDofs, static_cast<Eigen::Index>(data.columns.size()));
    for (std::size_t c = 0; c < data.columns.size(); ++c) {
      const int k = data.columns[c] % model::kNodeDofs;
      rows(k, static_cast<Eigen::Index>(c)) = k < 3 ? data.tie.times[at(k)] : 1;
    }
    return rows;
  }
  return data.tie.kind == model::Tie::Kind::mean ? mean_map(state, data) : carried_map(state, data);
}

MatrixXd Ties::second_order(const State& state, int tie, const Vec7& force) const {
  const Data& data = ties_[at(tie)];
  const auto size = static_cast<Eigen::Index>(data.columns.size());
  if (data.tie.kind == model::Tie::Kind::alike) return MatrixXd::Zero(size, size);
  return data.tie.kind == model::Tie::Kind::mean
             ? mean_second_order(state, data, force.head<3>(), force.segment<3>(3))
             : carried_second_order(state, data, force.head<3>(), force.segment<3>(3));
}

// ---- carried by leaders ----

MatrixXd Ties::carried_map(const State& state, const Data& data) const {
  const auto& tie = data.tie;
  MatrixXd rows = MatrixXd::Zero(model::kNodeDofs, static_cast<Eigen::Index>(data.columns.size()));
  const bool single = tie.leaders.size() == 1;
  const MeanRotation mean(state, tie);
  const Eigen::Matrix<double, 4, 3> of_sum = spin_map(mean.sum);
  Eigen::Index column = 0;
  for (std::size_t i = 0; i < tie.leaders.size(); ++i) {
    const double w = tie.weights[i];
    const Vec3 arm =
        single ? state.between(tie.leaders[i], tie.follower) : Vec3(state.rotation[at(tie.leaders[i])] * data.distance);
    if (tie.moves) rows.block<3, 3>(0, column) = w * Mat3::Identity();
    if (tie.moves && data.has_rotations && tie.arms_rotation) rows.block<3, 3>(0, column + 3) = -w * skew(arm);
    if (tie.rotations)
      rows.block<3, 3>(3, column + 3) =
          single ? Mat3::Identity() : Mat3(4 * w / mean.sum.squaredNorm() * of_sum.transpose() * spin_map(mean.q[i]));
    column += data.has_rotations ? 6 : 3;
  }
  if (data.has_warping()) {
    if (tie.warps) rows(6, column) = 1;
    rows.block<3, 1>(0, column++) = lead_of(tie, state) * tie.warp_move;
  }
  for (const Vec3& axis : moves_now(tie, state)) rows.block<3, 1>(0, column++) = axis;
  for (const Vec3& axis : rotations_now(tie, state)) rows.block<3, 1>(3, column++) = axis;
  return rows;
}

MatrixXd Ties::carried_second_order(const State& state, const Data& data, const Vec3& f, const Vec3& m) const {
  const auto& tie = data.tie;
  const auto size = static_cast<Eigen::Index>(data.columns.size());
  MatrixXd k = MatrixXd::Zero(size, size);
  if (!data.has_rotations && tie.free_rotations.empty()) return k;
  const auto count = tie.leaders.size();
  for (std::size_t i = 0; i < count; ++i) {
    const auto own = static_cast<Eigen::Index>(6 * i + 3);
    const Vec3 arm = count == 1 ? state.between(tie.leaders[i], tie.follower)
                                : Vec3(state.rotation[at(tie.leaders[i])] * data.distance);
    if (tie.moves && tie.arms_rotation) k.block<3, 3>(own, own) += tie.weights[i] * detail::arm_term(f, arm);
  }
  if (count > 1 && tie.rotations) {
    const MeanRotation mean(state, tie);
    const double s = mean.sum.squaredNorm();
    const Eigen::Matrix<double, 4, 3> of_sum = spin_map(mean.sum);
    const Vec4 pulled = of_sum * m;
    for (std::size_t j = 0; j < count; ++j)
      for (int axis = 0; axis < 3; ++axis) {
        const Vec4 dq = spin_map(mean.q[j]).col(axis), dsum = tie.weights[j] * dq;
        const Vec4 change = spin_map(dsum) * m - (2 * mean.sum.dot(dsum) / s) * pulled;
        for (std::size_t i = 0; i < count; ++i) {
          Vec3 g = spin_map(mean.q[i]).transpose() * change;
          if (i == j) g += spin_map(dq).transpose() * pulled;
          k.block<3, 1>(static_cast<Eigen::Index>(6 * i + 3), static_cast<Eigen::Index>(6 * j + 3) + axis) +=
              4 * tie.weights[i] / s * g;
        }
      }
  }
  Eigen::Index column = static_cast<Eigen::Index>(6 * count);
  if (data.has_warping() && count > 0)
    k.block<3, 1>(3, column++) += 2 * (lead_of(tie, state) * tie.warp_move).cross(f);  // halved with the rest below
  for (const Vec3& axis : moves_now(tie, state)) {
    if (tie.arms_rotation) k.block<3, 1>(3, column) += 2 * axis.cross(f);
    ++column;
  }
  const auto rotations = rotations_now(tie, state);
  for (std::size_t a = 0; a < rotations.size() && count > 0; ++a)
    k.block<3, 1>(3, column + static_cast<Eigen::Index>(a)) += rotations[a].cross(m);
  if (rotations.size() == 2) {
    // the axes rotate with half the swing h, of which a spin t of the swing h h rotations eta: t = eta + h eta
    const Swing now(tie, state);
    const Mat3 half = now.half.toRotationMatrix();
    const Mat3 share = (Mat3::Identity() + half).inverse();
    const Eigen::Quaterniond lead = lead_of(tie, state);
    for (Eigen::Index a = 0; a < 2; ++a)
      for (Eigen::Index b = 0; b < 2; ++b) {
        const Vec3 eta = lead * Vec3(share * (half * tie.free_rotations[at(static_cast<int>(b))]));
        k(column + a, column + b) += m.dot(eta.cross(rotations[at(static_cast<int>(a))]));
      }
  }
  return 0.5 * (k + k.transpose());
}

// ---- mean of a cloud ----

MatrixXd Ties::mean_map(const State& state, const Data& data) const {
  const auto& tie = data.tie;
  const Fit fit(state, data);
  MatrixXd rows = MatrixXd::Zero(model::kNodeDofs, static_cast<Eigen::Index>(data.columns.size()));
  for (std::size_t i = 0; i < tie.leaders.size(); ++i) {
    const auto column = static_cast<Eigen::Index>(3 * i);
    const Mat3 rotation = tie.weights[i] * fit.inverse * skew(fit.spread[i]);
    if (tie.rotations) rows.block<3, 3>(3, column) = rotation;
    if (tie.moves) rows.block<3, 3>(0, column) = tie.weights[i] * Mat3::Identity() - skew(fit.arm) * rotation;
  }
  return rows;
}

MatrixXd Ties::mean_second_order(const State& state, const Data& data, const Vec3& f, const Vec3& m) const {
  const auto& tie = data.tie;
  const auto size = static_cast<Eigen::Index>(data.columns.size());
  MatrixXd k = MatrixXd::Zero(size, size);
  const Fit fit(state, data);
  const Vec3 pull = fit.inverse.transpose() * (m + fit.arm.cross(f));
  for (std::size_t j = 0; j < tie.leaders.size(); ++j)
    for (int axis = 0; axis < 3; ++axis) {
      const Vec3 e = Vec3::Unit(axis), &a = fit.spread[j];
      const double w = tie.weights[j];
      const Vec3 rotation = fit.inverse * (w * a.cross(e));
      const Vec3 stiffening = w * a.dot(e) * pull - w * a.dot(pull) * e - fit.product * pull.cross(rotation);
      const Vec3 change = fit.inverse.transpose() * (rotation.cross(fit.arm).cross(f) - stiffening);
      for (std::size_t i = 0; i < tie.leaders.size(); ++i)
        k.block<3, 1>(static_cast<Eigen::Index>(3 * i), static_cast<Eigen::Index>(3 * j) + axis) =
            tie.weights[i] * (change.cross(fit.spread[i]) + pull.cross(rotation.cross(fit.spread[i])));
    }
  return 0.5 * (k + k.transpose());
}

}  // namespace archway::elements
