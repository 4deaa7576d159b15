#include "archway/analysis/geometry.hpp"

#include <numeric>

#include "archway/base/index.hpp"
#include "archway/elements/contact_trial.hpp"
#include "archway/elements/kernels.hpp"
#include "archway/elements/obstacle.hpp"
#include "archway/elements/shell.hpp"
#include "archway/elements/surface_contact.hpp"
#include "archway/elements/tie.hpp"

namespace archway::analysis {

namespace {
using base::at;

}  // namespace

template <class Kind>
Kind* Geometry::add(std::unique_ptr<Kind> batch, ElementKind kind) {
  Kind* raw = batch.get();
  std::vector<int> numbers(at(raw->size()));
  std::iota(numbers.begin(), numbers.end(), 0);
  sets_.push_back({std::move(batch), kind, std::move(numbers)});
  return raw;
}

Geometry::Geometry(const model::Model& model, const State* standing)
    : ties_(std::make_unique<elements::Ties>(model, standing)),
      surfaces_(std::make_unique<elements::SurfaceContact>(model)) {
  elements::Batches made = elements::make_batches(model);
  beams_ = add(std::move(made.beams), ElementKind::line);
  bars_ = add(std::move(made.bars), ElementKind::bar);
  springs_ = add(std::move(made.springs), ElementKind::spring);
  const std::size_t first_solid = sets_.size();
  solids8_ = add(std::move(made.solids8), ElementKind::solid);
  solids20_ = add(std::move(made.solids20), ElementKind::solid);
  const std::size_t first_shell = sets_.size();
  const std::array<const elements::ShellKind*, 3> shells = {add(std::move(made.shells4), ElementKind::shell),
                                                            add(std::move(made.shells3), ElementKind::shell),
                                                            add(std::move(made.shells9), ElementKind::shell)};
  std::array<int, 3> next{};
  for (const auto& e : model.shell_elements) {
    const std::size_t kind = e.count == 4 ? 0 : e.count == 3 ? 1 : 2;
    sets_[first_shell + kind].in_model[at(next[kind])] = static_cast<int>(shells_.size());
    shells_.emplace_back(shells[kind], next[kind]++);
  }
  std::array<int, 2> next_solid{};
  for (const auto& e : model.solid_elements) {
    const std::size_t kind = e.count == 8 ? 0 : 1;
    sets_[first_solid + kind].in_model[at(next_solid[kind])] = static_cast<int>(solids_.size());
    solids_.emplace_back(kind == 0 ? solids8_ : solids20_, next_solid[kind]++);
  }
  touches_ = add(std::make_unique<elements::ObstacleBatch>(model), ElementKind::touch);
  set_initial(model);
}

Geometry::~Geometry() = default;

elements::ContactTrial Geometry::surface_trial(const State& state, const elements::Memory& memory) const {
  return {state, memory[sets_.size()], memory[sets_.size() + 1]};
}

elements::Memory Geometry::virgin_memory() const {
  elements::Memory memory;
  for (const auto& set : sets_) {
    memory.emplace_back(set.batch->memory_size());
    set.batch->start_memory(memory.back().data());
  }
  for (const auto& [set, place, strain] : initial_) memory[set][place] = strain;
  if (!surfaces_->empty()) {
    memory.resize(sets_.size() + 2);
    surfaces_->start_memory(surface_knots(memory), surface_pairs(memory));
  }
  return memory;
}

/// Initial stresses are those of plastic strains that have been there before: elastic strain = strain - plastic strain.
void Geometry::set_initial(const model::Model& model) {
  for (const auto& member : model.member_stresses)
    for (int e = 0; e < beams_->size(); ++e) {
      if (model.line_elements[at(e)].part != member.part) continue;
      const auto records = beams_->flow_records(e);
      const double modulus = model.materials[at(model.parts[at(member.part)].material)].youngs_modulus;
      std::size_t record = 0;
      for (std::size_t point = 0; point < 3 && record < records.count(); ++point) {
        const int profile = model.profile_at(model.line_elements[at(e)], model::kGaussStations[point]);
        for (const double stress : member.by_profile.at(profile))
          initial_.push_back({0, records.first + records.stride * record++, -stress / modulus});
      }
    }
  for (const auto& panel : model.panel_stresses) {
    const auto& [batch, place] = shells_[at(panel.element)];
    const auto& material = model.materials[at(model.parts[at(batch->part(place))].material)];
    const auto axes = batch->axes(place);
    Eigen::Vector2d way(panel.along.dot(axes.col(0)), panel.along.dot(axes.col(1)));
    if (!(way.norm() > 1e-9)) continue;
    way.normalize();
    const Vec3 stress(panel.stress * way.x() * way.x(), panel.stress * way.y() * way.y(),
                      panel.stress * way.x() * way.y());
    const double e = material.youngs_modulus, nu = material.poisson_ratio;
    const std::array<double, 3> strain = {(stress[0] - nu * stress[1]) / e, (stress[1] - nu * stress[0]) / e,
                                          2 * (1 + nu) / e * stress[2]};
    std::size_t set = 0;
    while (sets_[set].batch.get() != static_cast<const elements::Batch*>(batch)) ++set;
    const auto records = batch->flow_records(place);
    for (std::size_t k = 0; k < records.count(); ++k)
      for (std::size_t i = 0; i < 3; ++i) initial_.push_back({set, records.first + records.stride * k + i, -strain[i]});
  }
}

elements::Trial Geometry::trial(const State& state, const elements::Memory* memory,
                                const elements::Batch& batch) const {
  for (std::size_t s = 0; memory != nullptr && s < sets_.size(); ++s)
    if (sets_[s].batch.get() == &batch && batch.memory_size() > 0)
      return elements::Trial(state, (*memory)[s].data(), nullptr);
  return elements::Trial(state);
}

bool Geometry::remembers() const {
  return flows() || touches_->memory_size() > 0 || !surfaces_->empty();
}

bool Geometry::flows() const {
  for (const auto& set : sets_)
    if (set.kind != ElementKind::touch && set.batch->memory_size() > 0) return true;
  return false;
}

}  // namespace archway::analysis
