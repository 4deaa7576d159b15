#include "archway/analysis/small_movements.hpp"

#include <algorithm>
#include <cmath>
#include <map>

#include <fmt/format.h>

#include "archway/analysis/system.hpp"
#include "archway/base/index.hpp"

namespace archway::analysis {

namespace {
constexpr double kTrace = 1e-7;
constexpr double kFarOff = 1e30;

/// Displacements are so small that places far from the origin would cost their digits.
Vec3 middle_of(const model::Model& model) {
  Vec3 low = Vec3::Constant(HUGE_VAL), high = -low;
  for (const auto& x : model.nodes) low = low.cwiseMin(x), high = high.cwiseMax(x);
  return model.nodes.empty() ? Vec3(Vec3::Zero()) : Vec3(0.5 * (low + high));
}

/// Of members that are rigid in shear: a hundred times their shear areas instead. Rigid strains are reported from
/// displacements a million times the members' own, which is too much of displacements that are made as small as these;
/// a plastic limit load does not hang on shear.
void shear_by_stiffness(model::Model& model) {
  constexpr double stiff = 100;
  std::map<int, int> own;  // profiles of rigid members, by those they are made from
  const auto of = [&](int profile) {
    if (profile < 0) return profile;
    const auto [known, fresh] = own.try_emplace(profile, static_cast<int>(model.profiles.size()));
    if (fresh) {
      auto made = model.profiles[static_cast<std::size_t>(profile)];
      made.shear_area_y *= stiff, made.shear_area_z *= stiff, made.shear_area_yz *= stiff, made.warping_shear *= stiff;
      model.profiles.push_back(std::move(made));
    }
    return known->second;
  };
  std::vector<char> rotated(model.parts.size(), 0);
  for (std::size_t p = 0; p < model.parts.size(); ++p) {
    auto& part = model.parts[p];
    if (part.kind != model::PartKind::member || !part.rigid.shear) continue;
    rotated[p] = 1;
    part.rigid.shear = false;
    part.profile = of(part.profile);
  }
  for (auto& e : model.line_elements) {
    if (!rotated[static_cast<std::size_t>(e.part)]) continue;
    for (int& profile : e.profiles) profile = of(profile);
    for (int& profile : e.end_profiles) profile = of(profile);
  }
  for (auto& stress : model.member_stresses)
    for (const auto& [from, to] : own)
      if (const auto found = stress.by_profile.find(from); found != stress.by_profile.end())
        stress.by_profile[to] = found->second;
}
}  // namespace

model::Model stiffened(const model::Model& model) {
  model::Model stiff = model;
  const Vec3 middle = middle_of(model);
  // linear geometry does not see obstacles: they are further off than anything moves, in as many elements as before
  for (auto& touch : stiff.touches) touch.closed = -kFarOff;
  for (auto& contact : stiff.contacts)  // nor parts that touch: all of them are behind each other
    for (auto& face : contact.followers) face.depth = -kFarOff;
  for (auto& x : stiff.nodes) x -= middle;
  for (auto& m : stiff.materials) {
    m.true_flow = {};  // where displacements are small the two measures are one: the curve as it is given
    // with a trace of hardening the last stiffness of a mechanism is something: a plastic strain of one
    // then adds less than 1e-4 of a usual yield stress
    for (auto* flow : {&m.flow, &m.true_flow}) {
      if (flow->flows()) flow->isotropic = std::max(flow->isotropic, kTrace * m.youngs_modulus);
      flow->isotropic *= kStiffer;
      flow->kinematic *= kStiffer;
      for (auto& corner : flow->corners) corner.first /= kStiffer;
    }
    m.youngs_modulus *= kStiffer;
    m.expansion /= kStiffer;
  }
  for (auto& l : stiff.laminates) {
    l.membrane *= kStiffer;
    l.coupling *= kStiffer;
    l.bending *= kStiffer;
    l.shear *= kStiffer;
  }
  for (auto& s : stiff.springs)
    for (auto& k : s.stiffness) k *= kStiffer;
  for (auto& c : stiff.spring_curves)
    for (auto& point : c.curve.points) point.first /= kStiffer;
  shear_by_stiffness(stiff);
  for (auto& action : stiff.actions) {
    for (auto& displacement : action.displacements) displacement.value /= kStiffer;
    for (auto& t : action.temperatures) t.strain /= kStiffer;
    for (auto& misfit : action.misfits) misfit.longer /= kStiffer;
    for (auto& load : action.surface_loads) load.about -= middle;
    for (auto& load : action.surface_pressures) load.about -= middle;
  }
  return stiff;
}

namespace {
std::shared_ptr<const KeptState> brought_back(const KeptState& kept, const model::Model& stiff,
                                              const model::Model& model) {
  auto own = std::make_shared<KeptState>(kept);
  own->moved *= kStiffer;
  for (std::size_t n = 0; n < own->state.position.size(); ++n) {
    own->state.put(n, model.nodes[n] + kStiffer * (kept.state.position[n] - stiff.nodes[n]));
    own->state.rotation[n] = base::exponential(kStiffer * base::rotation_vector(kept.state.rotation[n]));
    own->state.warp[n] *= kStiffer;
  }
  for (auto& [node, rotation] : own->rotated) rotation *= kStiffer;
  for (auto& strain : own->state.expansion) strain *= kStiffer;
  own->state.correction.resize(0);
  own->state.correction_force.resize(0);
  return own;
}

/// What a watch records is as small as the displacements.
bool is_small(const WatchPoint& watch) {
  using Kind = WatchPoint::Kind;
  return watch.kind == Kind::displacement || watch.kind == Kind::rotation || watch.kind == Kind::distance ||
         watch.kind == Kind::plastic_strain || watch.kind == Kind::volume || watch.kind == Kind::stored_energy ||
         watch.kind == Kind::dissipated_energy || watch.kind == Kind::external_work;
}

void bring_back(Increment& i, const std::vector<WatchPoint>& watch) {
  for (std::size_t w = 0; w < i.watched.size(); ++w)
    if (is_small(watch[w])) i.watched[w] *= kStiffer;
  i.largest_displacement *= kStiffer;
  for (double* energy : {&i.external_work, &i.stored_energy, &i.dissipated_energy, &i.energy_gap}) *energy *= kStiffer;
  i.plastic_strain *= kStiffer;
  // stability is no question of small displacements, and what is left of the geometry decides nothing
  i.negative_pivots = 0;
  for (auto& part : i.flow) part.plastic_strain *= kStiffer;
}
}  // namespace

std::vector<double> plastic_strain_at_nodes(const Geometry& geometry, const model::Model& model,
                                            const Increment& increment, WallPlace place) {
  if (!increment.kept || !increment.kept->memory || !(increment.plastic_strain > 0)) return {};
  // the memory of a stiff copy has strains of its own size
  const auto all = plastic_strain_at_nodes(geometry, model, *increment.kept->memory);
  const double most = *std::max_element(all.begin(), all.end());
  auto nodes =
      place == WallPlace::anywhere ? all : plastic_strain_at_nodes(geometry, model, *increment.kept->memory, place);
  for (double& strain : nodes) strain *= increment.plastic_strain / most;
  return nodes;
}

PathResult follow_small_displacements(std::vector<PathStage> stages, const model::Model& model,
                                      const PathWatcher& watcher) {
  for (auto& stage : stages) {
    auto& options = stage.options;
    const bool small = options.stop.watch < 0 || is_small(options.watch[base::at(options.stop.watch)]);
    if (small) options.stop.displacement /= kStiffer;
    for (auto& wanted : options.record.readings_wanted) wanted.second /= kStiffer;
    options.stop.plastic_strain /= kStiffer;
    options.record.critical_points = false;
  }
  const auto watch = stages.empty() ? std::vector<WatchPoint>() : stages[0].options.watch;
  PathWatcher through;
  if (watcher)
    through = [&](const PathProgress& progress) {
      if (progress.increment == nullptr) return watcher(progress);
      Increment told = *progress.increment;
      told.kept = nullptr;  // only the numbers are wanted while it runs
      bring_back(told, watch);
      PathProgress own = progress;
      own.increment = &told;
      return watcher(own);
    };
  PathResult result = follow_stages(stages, through);
  const auto& last = stages.back().options;
  if (last.stop.plastic_strain > 0 && !result.increments.empty() &&
      result.increments.back().plastic_strain >= last.stop.plastic_strain)
    result.stop_reason = fmt::format("a plastic strain of {:.3g} % was reached",
                                     100 * kStiffer * result.increments.back().plastic_strain);
  for (auto& i : result.increments) {
    bring_back(i, watch);
    if (i.kept) i.kept = brought_back(*i.kept, stages[0].system->model(), model);
  }
  const Vec3 middle = middle_of(model);
  for (auto* resultant : {&result.applied, &result.reacted}) resultant->moment += middle.cross(resultant->force);
  for (auto& i : result.increments) {
    for (auto* resultant : {&i.applied, &i.reacted}) resultant->moment += middle.cross(resultant->force);
    for (auto& part : i.flow)
      if (part.plastic_strain > 0) part.place += middle;
    for (auto& peak : i.peaks) peak.place += middle;
  }
  if (result.first_yield.part >= 0) result.first_yield.place += middle;
  return result;
}

}  // namespace archway::analysis
