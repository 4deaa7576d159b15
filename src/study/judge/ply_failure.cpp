#include "archway/study/ply_failure.hpp"

#include <algorithm>
#include <cmath>

#include "judge/state_factors_detail.hpp"

namespace archway::study {

namespace {
const LaminateSpec* laminate_of(const StudySpec& spec, const model::Model& model, int part) {
  const int index = model.parts[static_cast<std::size_t>(part)].laminate;
  if (index < 0) return nullptr;
  const auto& laminate = spec.laminates[static_cast<std::size_t>(index)];
  const bool known =
      std::any_of(laminate.plies.begin(), laminate.plies.end(), [](const theory::Ply& p) { return p.has_strengths(); });
  return known ? &laminate : nullptr;
}

/// Without one there is nothing to judge, and no forces to recover for it.
bool some_laminate_has_strengths(const StudySpec& spec, const model::Model& model) {
  for (std::size_t p = 0; p < model.parts.size(); ++p)
    if (laminate_of(spec, model, static_cast<int>(p)) != nullptr) return true;
  return false;
}

Vec3 middle_of(const model::Model& model, const model::ShellElement& element) {
  Vec3 sum = Vec3::Zero();
  for (const int* n = element.begin(); n != element.begin() + element.corners(); ++n)
    sum += model.nodes[static_cast<std::size_t>(*n)];
  return sum / element.corners();
}
}  // namespace

std::vector<PlyFailure> ply_failures(const StudySpec& spec, const analysis::System& system,
                                     const analysis::ElementForces& forces) {
  const auto& model = system.model();
  std::vector<PlyFailure> list(2 * model.parts.size());
  for (std::size_t e = 0; e < model.shell_elements.size(); ++e) {
    const auto& element = model.shell_elements[e];
    const auto* laminate = laminate_of(spec, model, element.part);
    if (laminate == nullptr) continue;
    const auto& part = model.parts[static_cast<std::size_t>(element.part)];
    const auto axes = system.shell_axes(static_cast<int>(e));
    const double rotation = std::atan2(part.fibres.dot(axes.col(1)), part.fibres.dot(axes.col(0)));
    const auto uses =
        theory::ply_use(laminate->plies, forces.shell_stresses[e].membrane, forces.shell_stresses[e].moment, rotation);
    for (std::size_t k = 0; k < uses.size(); ++k)
      for (const bool hill : {false, true}) {
        auto& worst = list[2 * static_cast<std::size_t>(element.part) + (hill ? 1 : 0)];
        const double use = hill ? uses[k].tsai_hill : uses[k].largest_stress;
        // of plies that are used alike the first
        if (!(use > worst.use * (1 + 1e-9))) continue;
        worst = {part.name, laminate->name, hill, static_cast<int>(k) + 1, use, middle_of(model, element), 1 / use};
      }
  }
  list.erase(std::remove_if(list.begin(), list.end(), [](const PlyFailure& f) { return f.ply == 0; }), list.end());
  return list;
}

std::vector<PlyFailure> ply_failures(const StudySpec& spec, const analysis::System& system,
                                     const analysis::PathResult& path) {
  std::vector<PlyFailure> worst;
  if (!some_laminate_has_strengths(spec, system.model())) return worst;
  std::vector<double> before;  // use in the last increment
  double last_factor = 0;
  for (const auto& i : path.increments) {
    if (!i.kept) continue;
    const auto factors = detail::factors_at(system, path, i);
    const auto now =
        ply_failures(spec, system, analysis::forces_at(system, factors, i.kept->state, i.kept->memory.get()));
    for (const auto& own : now) {
      auto known = std::find_if(worst.begin(), worst.end(), [&](const PlyFailure& f) {
        return f.part == own.part && f.tsai_hill == own.tsai_hill;
      });
      if (known == worst.end()) {
        known = worst.insert(worst.end(), own);
        known->load_factor = analysis::kUnset;
        known->use = 0;
        before.push_back(0);
      }
      double& last = before[static_cast<std::size_t>(known - worst.begin())];
      const bool failed = std::isfinite(known->load_factor);
      if (!failed && own.use >= 1) {
        const double share = own.use > last ? (1 - last) / (own.use - last) : 1;
        const double at = last_factor + share * (i.load_factor - last_factor);
        *known = own;
        known->load_factor = at;
      } else if (!failed && own.use > known->use) {
        *known = own;
        known->load_factor = analysis::kUnset;
      }
      last = own.use;
    }
    last_factor = i.load_factor;
  }
  return worst;
}

}  // namespace archway::study
