#include <cmath>
#include <map>

#include "archway/analysis/mode_reading.hpp"
#include "archway/analysis/system.hpp"
#include "archway/base/index.hpp"
#include "system/changed_detail.hpp"

namespace archway::analysis {

namespace detail {
using base::at;

namespace {
void scale(model::Profile& profile, double factor) {
  for (double* value : {&profile.area, &profile.second_moment_y, &profile.second_moment_z, &profile.torsion_constant,
                        &profile.shear_area_y, &profile.shear_area_z, &profile.product_moment, &profile.shear_area_yz,
                        &profile.warping_constant, &profile.warping_shear, &profile.wagner_y, &profile.wagner_z,
                        &profile.wagner_warp, &profile.fourth_moment})
    *value *= factor;
}
/// All plies thicker alike.
void scale(model::Laminate& laminate, double factor) {
  laminate.membrane *= factor;
  laminate.shear *= factor;
  laminate.coupling *= factor * factor;
  laminate.bending *= factor * factor * factor;
}
/// Number of a copy of a list's entry, scaled; one copy each.
template <class T>
int scaled_copy(std::vector<T>& list, int which, double factor, std::map<int, int>& copies) {
  if (const auto known = copies.find(which); known != copies.end()) return known->second;
  T own = list[at(which)];
  scale(own, factor);
  list.push_back(std::move(own));
  return copies[which] = static_cast<int>(list.size()) - 1;
}
}  // namespace

model::Model with_stiffer(const model::Model& model, int part, double factor) {
  model::Model m = model;
  auto& own = m.parts[at(part)];
  std::map<int, int> copies;
  if (own.kind == model::PartKind::panel) {
    own.thickness *= factor;
    if (own.laminate >= 0) own.laminate = scaled_copy(m.laminates, own.laminate, factor, copies);
    for (auto& e : m.shell_elements)
      if (e.part == part) e.thicker *= factor;
    return m;
  }
  if (own.profile >= 0) own.profile = scaled_copy(m.profiles, own.profile, factor, copies);
  for (auto& e : m.line_elements) {
    if (e.part != part) continue;
    const auto scaled = [&](int& profile) {
      if (profile >= 0) profile = scaled_copy(m.profiles, profile, factor, copies);
    };
    for (int& profile : e.profiles) scaled(profile);
    for (int& profile : e.end_profiles) scaled(profile);
  }
  return m;
}
}  // namespace detail

namespace {
using Eigen::VectorXd;

/// Gradient of the strain energy at `size` x shape from the reference, in coordinates whose rotations are rotation
/// vectors: spins of the moved state are brought back by the transpose of their map.
VectorXd gradient_at(const System& system, const VectorXd& shape, double size) {
  State state = State::reference(system.model());
  system.advance(state, size * shape);
  VectorXd force;
  AssemblyRequest request;
  request.internal_force = &force;
  (void)system.assemble(state, request);  // a thousandth of the structure does not fold it
  for (Eigen::Index n = 0; n < force.size(); n += model::kNodeDofs) {
    const Vec3 rotation = size * shape.segment<3>(n + 3);
    const double angle = rotation.norm();
    if (angle < 1e-12) continue;
    const base::Mat3 s = base::skew(rotation);
    const base::Mat3 map = base::Mat3::Identity() + (1 - std::cos(angle)) / (angle * angle) * s +
                           (angle - std::sin(angle)) / (angle * angle * angle) * s * s;
    force.segment<3>(n + 3) = (map.transpose() * force.segment<3>(n + 3)).eval();
  }
  return force;
}

/// Second derivative of that gradient along the shape, by differences of the sixth order.
VectorXd third_form(const System& system, const VectorXd& shape, double step) {
  const auto second = [&](double h) {
    return VectorXd((gradient_at(system, shape, h) + gradient_at(system, shape, -h)) / (h * h));
  };
  const VectorXd a = second(step), b = second(2 * step), c = second(4 * step);
  const VectorXd ab = (4 * a - b) / 3, bc = (4 * b - c) / 3;
  return (16 * ab - bc) / 15;
}

/// d(x^T K_geo(u) x) / du for stresses by linear theory: K_geo is the part of the third derivative of the energy that
/// comes with the stress of u, the rest comes with the stress of x.
VectorXd geometric_gradient(const System& system, const VectorXd& shape) {
  const double move = model::largest_translation(shape), rotation = model::largest_rotation(shape);
  // large steps: the differences are of the sixth order, and rounding falls with the square of the step
  const double step =
      std::min(0.01 / std::max(rotation, 1e-300), 1e-3 * system.model().size() / std::max(move, 1e-300));
  const VectorXd q = third_form(system, shape, step);
  algebra::SymmetricMatrix g(system.pattern());
  AssemblyRequest request;
  request.geometric = &g;
  request.source.linear = &shape;
  const State reference = State::reference(system.model());
  (void)system.assemble(reference, request);
  const VectorXd x = system.free_values(shape, reference);
  return system.free_part(q) - 2 * VectorXd(g.times(x));
}

/// The structure with the thickness of one part, its section's stiffness, or that of springs, times a factor.
model::Model changed(const model::Model& model, const Sensitivity& by, double factor) {
  model::Model m = model;
  for (auto& spring : m.springs)
    if (!by.springs.empty() && spring.name == by.springs)
      for (double& k : spring.stiffness) k *= factor;
  return by.part < 0 ? m : detail::with_stiffer(m, by.part, factor);
}

/// The preload of the modes: constant part and the variable load.
struct SensitivityPreload {
  std::vector<double> constant, variable;  ///< factors of the actions
  Eigen::VectorXd constant_displacement;   ///< full; zero without a constant part
  const BucklingResult& result;
  SensitivityPreload(const System& system, const BucklingOptions& options, const BucklingResult& r)
      : constant(system.factors(options.constant)), variable(system.factors(options.variable)), result(r) {
    constant_displacement =
        r.constant_displacement.size() > 0 ? r.constant_displacement : VectorXd(VectorXd::Zero(system.full_size()));
  }
  algebra::SymmetricMatrix geometric(const System& system, bool grows) const {
    return detail::geometric_of(system, grows ? variable : constant,
                                grows ? result.variable_displacement : constant_displacement, result.slack);
  }
};

/// What depends on the parameter alone, for every mode, displacements u kept:
/// x^T K x + x^T K_geo(held) x + f x^T K_geo(growing) x, and v^T (p - K u) of held + f x growing.
VectorXd explicit_part(const System& system, const SensitivityPreload& preload, const std::vector<VectorXd>& adjoints) {
  const BucklingResult& result = preload.result;
  const State reference = State::reference(system.model());
  algebra::SymmetricMatrix k(system.pattern());
  const auto unbalanced = [&](const std::vector<double>& factors, const VectorXd& displacement) {
    AssemblyRequest request;
    request.tangent = &k;
    request.source.slack = &result.slack;
    VectorXd pull;
    request.direction = &displacement;  // full, so that prescribed displacements pull too
    request.tangent_times = &pull;
    (void)system.assemble(reference, request);
    return VectorXd(system.free_part(system.loads(factors, reference) - pull));
  };
  const VectorXd of_constant = unbalanced(preload.constant, preload.constant_displacement),
                 of_variable = unbalanced(preload.variable, result.variable_displacement);
  const auto held = preload.geometric(system, false), variable = preload.geometric(system, true);
  VectorXd values(static_cast<Eigen::Index>(result.modes.size()));
  for (std::size_t m = 0; m < result.modes.size(); ++m) {
    const VectorXd x = system.free_values(result.modes[m].shape, reference);
    const double f = result.modes[m].load_factor;
    values[static_cast<Eigen::Index>(m)] = x.dot(VectorXd(k.times(x))) + x.dot(VectorXd(held.times(x))) +
                                           f * x.dot(VectorXd(variable.times(x))) +
                                           adjoints[m].dot(of_constant + f * of_variable);
  }
  return values;
}
}  // namespace

std::vector<Sensitivity> sensitivities(const System& system, const BucklingOptions& options,
                                       const BucklingResult& result, const std::vector<int>& parts,
                                       const std::vector<std::string>& springs) {
  const SensitivityPreload preload(system, options, result);
  const State reference = State::reference(system.model());
  algebra::SymmetricMatrix k(system.pattern());
  AssemblyRequest request;
  request.tangent = &k;
  request.source.slack = &result.slack;
  (void)system.assemble(reference, request);
  const auto factorisation = system.factorisation();
  (void)factorisation->factor(k).regular();  // definite: there are modes
  const auto g = preload.geometric(system, true);
  std::vector<VectorXd> adjoints;
  std::vector<double> driven;
  for (const auto& mode : result.modes) {
    Eigen::MatrixXd v = geometric_gradient(system, mode.shape);
    factorisation->solve(v);
    adjoints.emplace_back(v.col(0));
    const VectorXd x = system.free_values(mode.shape, reference);
    driven.push_back(x.dot(VectorXd(g.times(x))));
  }
  std::vector<Sensitivity> list;
  for (const int part : parts) list.push_back({part, "", {}});
  for (const auto& name : springs) list.push_back({-1, name, {}});
  constexpr double step = 1e-4;
  for (auto& s : list) {
    const auto with = [&](double factor) {  // same mesh: the topology serves again
      return explicit_part(System(std::make_shared<const model::Model>(changed(system.model(), s, factor)),
                                  system.shared_executor(), system.topology()),
                           preload, adjoints);
    };
    const VectorXd up = with(1 + step), down = with(1 - step);
    for (std::size_t m = 0; m < result.modes.size(); ++m)
      s.relative.push_back(-(up[static_cast<Eigen::Index>(m)] - down[static_cast<Eigen::Index>(m)]) / (2 * step) /
                           driven[m] / result.modes[m].load_factor);
  }
  return list;
}

}  // namespace archway::analysis
