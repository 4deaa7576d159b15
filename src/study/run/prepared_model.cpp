#include <algorithm>

#include <fmt/format.h>

#include "archway/elements/loads.hpp"
#include "archway/study/check.hpp"
#include "build/build_model_detail.hpp"
#include "run/prepared_model_detail.hpp"

namespace archway::study {

namespace {
/// Actions with prescribed displacements that take part: only these hold the degrees of freedom they move.
std::set<int> movers(const model::Model& model, const model::Combination& acting) {
  std::set<int> list;
  for (const auto& [action, factor] : acting.terms)
    if (!model.actions[static_cast<std::size_t>(action)].displacements.empty()) list.insert(action);
  return list;
}

std::set<int> all_movers(const model::Model& model) {
  std::set<int> list;
  for (std::size_t a = 0; a < model.actions.size(); ++a)
    if (!model.actions[a].displacements.empty()) list.insert(static_cast<int>(a));
  return list;
}

/// \param topology  of the same mesh under the same displacements; nullptr: made anew
std::shared_ptr<const analysis::System> system_for(const model::Model& model, const std::set<int>& moving,
                                                   const Threads& threads, const SharedTopology& topology = nullptr) {
  auto own = std::make_shared<model::Model>(model);
  for (std::size_t a = 0; a < own->actions.size(); ++a)
    if (moving.count(static_cast<int>(a)) == 0) own->actions[a].displacements.clear();
  return std::make_shared<const analysis::System>(std::move(own), threads, topology);
}

/// A displacement of a support that is not there would move nothing.
void require_moved_supports(const model::Model& model, const std::set<int>& moving, const During& when) {
  std::set<int> held;
  for (const auto& tie : model.ties) held.insert(tie.leaders.begin(), tie.leaders.end());
  for (const int action : moving)
    for (const auto& m : model.actions[static_cast<std::size_t>(action)].displacements)
      if (std::find(model.anchors.begin(), model.anchors.end(), m.node) != model.anchors.end() &&
          held.count(m.node) == 0)
        throw base::InputError(fmt::format("action '{}'", model.actions[static_cast<std::size_t>(action)].name),
                               fmt::format("it moves a support that is not there in '{}'", fmt::join(when, "', '")),
                               "let the support be there whenever it is moved ('during')");
}
}  // namespace

bool PreparedModel::moves_more(const model::Combination& acting, std::size_t first) const {
  model::Combination before;
  before.terms.assign(acting.terms.begin(), acting.terms.begin() + static_cast<std::ptrdiff_t>(first));
  return movers(*model, acting) != movers(*model, before);
}

std::shared_ptr<const model::Model> PreparedModel::model_when(const During& when) {
  const auto there = what_is_there(spec, when);
  if (std::find(there.begin(), there.end(), false) == there.end()) return model;
  auto& own = models_[there];
  if (!own) own = std::make_shared<const model::Model>(build_model(spec, when));
  return own;
}

const analysis::System& PreparedModel::system(const model::Combination& acting, const During& when) {
  const auto moving = movers(*model, acting);
  const When key = {what_is_there(spec, when), moving};
  auto& own = systems_[key];
  if (!own) {
    const auto now = model_when(when);
    require_moved_supports(*now, moving, when);
    auto topology = topologies_[key];
    if (!topology && now == model && moving == all_movers(*model)) topology = checked;
    own = system_for(*now, moving, threads, topology);
  }
  return *own;
}

void PreparedModel::use_threads(const Threads& other) {
  for (const auto& [key, system] : systems_) topologies_[key] = system->topology();
  systems_.clear();
  threads = other;
}

namespace {
bool same_rigid_parts(const model::Model& a, const model::Model& b) {
  return std::equal(a.parts.begin(), a.parts.end(), b.parts.begin(), b.parts.end(), [](const auto& p, const auto& q) {
    return p.rigid.axial == q.rigid.axial && p.rigid.shear == q.rigid.shear && p.rigid.bending == q.rigid.bending &&
           p.rigid.torsion == q.rigid.torsion;
  });
}
}  // namespace

std::shared_ptr<const analysis::System> PreparedModel::moved(const model::Model& geometry,
                                                             const model::Combination& acting, const During& when) {
  const auto& perfect = system(acting, when);
  const auto now = model_when(when);
  const auto moving = movers(*model, acting);
  // what is no longer rigid has other equations
  const auto topology = same_rigid_parts(*model, geometry) ? perfect.topology() : nullptr;
  if (now == model) return system_for(geometry, moving, threads, topology);
  model::Model own = geometry;
  own.supports = now->supports;
  own.ties = now->ties;
  return system_for(own, moving, threads, topology);
}

PreparedModel stage_of(const StudySpec& study, const Variant& variant, const Threads& threads) {
  if (!study.vary)
    throw base::InputError(study.file, "an analysis asks for a variant of a structure that was made by a program",
                           "give the study a function `vary`");
  PreparedModel stage;
  stage.threads = threads;
  stage.spec = study.vary(variant);
  stage.model = std::make_shared<model::Model>(build_model(stage.spec));
  stage.watch = watch_points(stage.spec, *stage.model);
  const auto check = check_model(stage.spec, *stage.model, true, threads, &stage.checked);
  if (check.has_mechanism)
    throw base::InputError(
        study.file, check.mechanism,
        "add supports that prevent this mechanism; parts 1e12 times stiffer than others also hide what those resist");
  return stage;
}

bool same_problem(const model::Model& a, const model::Model& b) {
  const double size = a.size();
  const auto boxes = [](const model::Model& m) {
    std::map<std::pair<std::string, int>, std::pair<Vec3, Vec3>> list;
    for (const auto& s : m.supports) {
      const Vec3& x = m.nodes[static_cast<std::size_t>(s.node)];
      const auto [entry, fresh] = list.try_emplace({s.name, s.dof}, x, x);
      if (!fresh) entry->second = {entry->second.first.cwiseMin(x), entry->second.second.cwiseMax(x)};
    }
    return list;
  };
  const auto first = boxes(a), second = boxes(b);
  if (first.size() != second.size() || a.actions.size() != b.actions.size()) return false;
  for (auto i = first.begin(), k = second.begin(); i != first.end(); ++i, ++k)
    if (i->first != k->first || (i->second.first - k->second.first).norm() > 1e-6 * size ||
        (i->second.second - k->second.second).norm() > 1e-6 * size)
      return false;
  const auto totals = [&](const model::Model& m, const model::Action& action) {
    Eigen::VectorXd nodal = Eigen::VectorXd::Zero(model::row(m.node_count()));
    elements::add_loads(m, action, 1, elements::State::reference(m), nodal);
    return elements::resultant(m.nodes, nodal, a.nodes[0]);
  };
  for (std::size_t p = 0; p < a.actions.size(); ++p) {
    const auto own = totals(a, a.actions[p]), other = totals(b, b.actions[p]);
    const double force = std::max(own.force.norm(), own.moment.norm() / size);
    // loads on curved surfaces change a little with the mesh
    if ((own.force - other.force).norm() > 0.02 * force || (own.moment - other.moment).norm() > 0.02 * force * size)
      return false;
  }
  return true;
}

}  // namespace archway::study
