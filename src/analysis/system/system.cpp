#include "archway/analysis/system.hpp"

#include <stdexcept>

#include "archway/analysis/contact_assembly.hpp"
#include "archway/elements/shell.hpp"
#include "archway/elements/solid.hpp"
#include "archway/elements/spring.hpp"
#include "archway/elements/surface_contact.hpp"
#include "archway/elements/tie.hpp"
#include "archway/model/mesh_check.hpp"

namespace archway::analysis {

namespace {
using Eigen::VectorXd;

std::shared_ptr<const model::Model> sound(std::shared_ptr<const model::Model> model) {
  model::require_sound(*model);
  return model;
}

std::shared_ptr<const Topology> topology_of(const model::Model& model, const Geometry& geometry,
                                            const base::Executor& executor, std::shared_ptr<const Topology> shared) {
  if (shared == nullptr) return std::make_shared<const Topology>(model, geometry, executor);
  if (!shared->fits(model, geometry)) throw std::invalid_argument("the topology belongs to another mesh");
  return shared;
}
}  // namespace

System::System(const model::Model& model)
    : System(std::make_shared<const model::Model>(model), base::make_executor(), nullptr) {}

System::System(std::shared_ptr<const model::Model> model, std::shared_ptr<const base::Executor> executor,
               std::shared_ptr<const Topology> shared, const State* standing)
    : model_(sound(std::move(model))),
      executor_(std::move(executor)),
      geometry_(std::make_shared<const Geometry>(*model_, standing)),
      topology_(topology_of(*model_, *geometry_, *executor_, std::move(shared))),
      loading_(*model_, *topology_, *geometry_) {
  add_contributions();
}

System::System(const System& base, std::shared_ptr<const Topology> topology)
    : model_(base.model_),
      executor_(base.executor_),
      geometry_(base.geometry_),
      topology_(std::move(topology)),
      loading_(*model_, *topology_, *geometry_) {
  add_contributions();
  contributions_.insert(contributions_.end(), base.contributions_.begin() + static_cast<std::ptrdiff_t>(base.own_),
                        base.contributions_.end());
}

void System::add_contributions() {
  contributions_.push_back(std::make_shared<ElementContribution>(*topology_, *geometry_, *executor_));
  if (!geometry_->surfaces().empty())
    contributions_.push_back(std::make_shared<SurfacePairs>(*topology_, *geometry_, *executor_));
  own_ = contributions_.size();
}

std::shared_ptr<const System> System::coupled(const State& state, const elements::Memory* memory) const {
  constexpr double kAhead = 0.05;  // of a face: what may touch within the next corrections
  const auto& surfaces = geometry_->surfaces();
  if (memory == nullptr || surfaces.empty()) return nullptr;
  const auto trial = geometry_->surface_trial(state, *memory);
  if (topology_->couples(surfaces.couplings(trial, 0), geometry_->ties())) return nullptr;
  return std::shared_ptr<const System>(new System(
      *this, std::make_shared<const Topology>(*topology_, *geometry_, *executor_, surfaces.couplings(trial, kAhead))));
}

std::shared_ptr<const System> System::standing_at(const State& state) const {
  auto own = std::make_shared<System>(model_, executor_, topology_, &state);
  own->contributions_.insert(own->contributions_.end(), contributions_.begin() + static_cast<std::ptrdiff_t>(own_),
                             contributions_.end());
  return own;
}

elements::ShellStress System::shell_stress(const State& state, int element, const VectorXd* linear) const {
  const auto& [batch, place] = geometry_->shell(element);
  return batch->stress(state, place, linear, nullptr);
}
elements::Mat3 System::shell_axes(int element) const {
  const auto& [batch, place] = geometry_->shell(element);
  return batch->axes(place);
}
std::vector<elements::SolidStress> System::solid_stress(const State& state, int element, const VectorXd* linear) const {
  const auto& [batch, place] = geometry_->solid(element);
  return batch->stress(state, place, linear, nullptr);
}

VectorXd System::ground_reactions(const State& state, const VectorXd* linear, const std::string* name,
                                  const elements::Memory* memory) const {
  VectorXd full = VectorXd::Zero(full_size());
  for (std::size_t s = 0; s < model_->springs.size(); ++s) {
    const auto& spring = model_->springs[s];
    if (spring.second >= 0 || (name != nullptr && spring.name != *name)) continue;
    const auto f = springs().forces(geometry_->trial(state, memory, springs()), static_cast<int>(s), linear);
    full.segment<3>(model::row(spring.first)) -= spring.axes * f.head<3>();
    full.segment<3>(model::row(spring.first) + 3) -= spring.axes * f.tail<3>();
  }
  return full;
}

base::Verdict System::assemble(const State& state, const AssemblyRequest& asked) const {
  const base::Verdict verdict = assemble_as_it_is(state, asked);
  if (state.correction.size() == 0 || asked.internal_force == nullptr || asked.source.linear != nullptr) return verdict;
  if (state.correction_force.size() > 0) {
    *asked.internal_force += state.correction_force;
    return verdict;
  }
  VectorXd force;
  const base::Verdict of_force = force_of_correction(state, asked.committed, force);
  *asked.internal_force += force;
  return verdict != base::Verdict::good ? verdict : of_force;
}

base::Verdict System::force_of_correction(const State& state, const elements::Memory* committed,
                                          VectorXd& force) const {
  AssemblyRequest request;
  request.committed = committed;
  request.direction = &state.correction;
  request.tangent_times = &force;
  return assemble_as_it_is(state, request);
}

base::Verdict System::assemble_as_it_is(const State& state, const AssemblyRequest& asked) const {
  AssemblyRequest request = asked;
  VectorXd direction;
  if (asked.direction != nullptr && !ties().empty()) {  // elements see the free directions of followers by their values
    direction = *asked.direction;
    ties().extract(state, direction);
    request.direction = &direction;
  }
  if (request.internal_force != nullptr) request.internal_force->setZero(full_size());
  if (request.tangent_times != nullptr) request.tangent_times->setZero(full_size());
  for (algebra::SymmetricMatrix* matrix : {request.tangent, request.geometric})
    if (matrix != nullptr) std::fill(matrix->values.begin(), matrix->values.end(), 0.0);
  base::Verdict verdict = base::Verdict::good;
  for (const auto& contribution : contributions_)
    if (const auto one = contribution->add(state, request); one != base::Verdict::good) verdict = one;
  return verdict;
}

material::Energy System::energy(const State& state, const elements::Memory* memory) const {
  material::Energy sum;
  for (const auto& set : geometry_->sets()) {
    const auto trial = geometry_->trial(state, memory, *set.batch);
    std::vector<material::Energy> own(static_cast<std::size_t>(set.batch->size()));
    executor_->for_range(
        set.batch->size(),
        [&](int begin, int end) {
          for (int e = begin; e < end; ++e) own[static_cast<std::size_t>(e)] = set.batch->energy(trial, e);
        },
        64);
    for (const auto& one : own) sum += one;  // in one order, whatever the threads
  }
  if (memory != nullptr && !geometry_->surfaces().empty())
    sum.dissipated += geometry_->surfaces().dissipated(geometry_->surface_trial(state, *memory).knots);
  return sum;
}

State System::warmed_reference(const std::vector<double>& factors) const {
  State state = State::reference(*model_);
  state.expansion = expansion(factors);
  return state;
}

VectorXd System::times_full(const Eigen::SparseMatrix<double>& full, const VectorXd& free, const State& state) const {
  VectorXd nodal = full * to_full(free, state);
  ties().gather(state, nodal);
  return free_part(nodal);
}

VectorXd System::free_part(const VectorXd& full) const {
  VectorXd free = VectorXd::Zero(free_count());
  for (int i = 0; i < full_size(); ++i)
    if (equation(i) >= 0) free[equation(i)] = full[i];
  return free;
}

VectorXd System::free_values(const VectorXd& full, const State& state) const {
  if (ties().empty()) return free_part(full);
  VectorXd values = full;
  ties().extract(state, values);
  return free_part(values);
}

VectorXd System::to_full(const VectorXd& free, const State& state, const VectorXd* prescribed) const {
  VectorXd full = prescribed == nullptr ? VectorXd::Zero(full_size()) : *prescribed;
  for (int i = 0; i < full_size(); ++i)
    if (equation(i) >= 0) full[i] = free[equation(i)];
  if (!ties().empty()) ties().complete(state, full);
  return full;
}

VectorXd System::constant_part(const VectorXd& full) const {
  VectorXd held = full;
  for (int i = 0; i < full_size(); ++i)
    if (equation(i) >= 0 || ties().eliminated(i)) held[i] = 0;
  return held;
}

void System::advance(State& state, const VectorXd& step) const {
  ties().advance(state, step);
}

}  // namespace archway::analysis
