#include <algorithm>

#include <fmt/format.h>

#include "spec/copies_detail.hpp"

namespace archway::study::detail {

Companions::Companions(StudySpec& spec, const std::vector<std::string>& asked, bool all)
    : spec_(spec), originals_(spec), asked_(asked), all_(all) {
  std::set<std::string> known;
  const auto note = [&](const auto& list) {
    for (const auto& one : list) known.insert(one.name);
  };
  note(spec.fasteners), note(spec.springs), note(spec.couplings), note(spec.bonds), note(spec.supports);
  note(spec.foundations), note(spec.actions);
  for (const auto& name : asked)
    if (known.count(name) == 0) faults_.insert(fmt::format("there is nothing called '{}' to carry along", name));
}

bool Companions::wanted(const std::string& name) const {
  return all_ ? touched_ : std::find(asked_.begin(), asked_.end(), name) != asked_.end();
}

/// Of a part or something of it: "rib", "rib.left".
std::string Companions::renamed(const std::string& name) {
  const auto dot = std::min(name.find('.'), name.size());
  const auto found = names_->find(name.substr(0, dot));
  if (found == names_->end()) return name;
  touched_ = true;
  return found->second + name.substr(dot);
}

model::Selection Companions::moved(const model::Selection& s, const std::string& of) {
  model::Selection m = s;
  m.group = renamed(s.group);
  for (auto* list : {&m.any, &m.without})
    for (auto& one : *list) one = moved(one, of);
  const auto cannot = [&] { faults_.insert(fmt::format("the selection of '{}' cannot be rotated: {}", of, s.text())); };
  for (auto& plane : m.plane) plane.reset();
  for (Eigen::Index k = 0; k < 3; ++k) {
    if (!s.plane[k]) continue;
    const Vec3 normal = to_->rotation.col(k), point = to_->point(*s.plane[k] * Vec3::Unit(k));
    Eigen::Index main;
    if (normal.cwiseAbs().maxCoeff(&main) > 1 - 1e-12) {
      m.plane[main] = point[main];
      continue;
    }
    if (m.inclined) cannot();
    m.inclined = model::Selection::Plane{point, normal};
  }
  if (s.inclined)
    m.inclined = model::Selection::Plane{to_->point(s.inclined->point), to_->rotation * s.inclined->normal};
  if (s.cylinder) {
    m.cylinder->axis_from = to_->point(s.cylinder->axis_from);
    m.cylinder->axis_to = to_->point(s.cylinder->axis_to);
  }
  if (s.box) {
    // a box stays one where every axis goes to an axis
    if ((to_->rotation.cwiseAbs().rowwise().maxCoeff() - Vec3::Ones()).norm() > 1e-12) cannot();
    const Vec3 a = to_->point(s.box->first), b = to_->point(s.box->second);
    m.box = std::pair<Vec3, Vec3>(a.cwiseMin(b), a.cwiseMax(b));
  }
  if (s.normal) m.normal = to_->rotation * *s.normal;
  if (s.near) m.near = to_->point(*s.near);
  return m;
}

void Companions::move(FastenerSpec& f) {
  f.first = renamed(f.first), f.second = renamed(f.second);
  for (Vec3& p : f.points) p = to_->point(p);
  if (f.edge) f.edge->selection = moved(f.edge->selection, f.name);
  f.along = to_->rotation * f.along, f.up = to_->rotation * f.up;
}

void Companions::move(SpringSpec& s) {
  s.from.selection = moved(s.from.selection, s.name);
  if (s.to) s.to->selection = moved(s.to->selection, s.name);
  s.along = to_->rotation * s.along, s.up = to_->rotation * s.up;
}

void Companions::move(CouplingSpec& c) {
  c.at.selection = moved(c.at.selection, c.name);
  if (c.point_at.empty())
    c.point = to_->point(c.point);
  else
    c.point_at = renamed(c.point_at);
  const bool some = c.kind == CouplingKind::alike && !(c.share[0] == c.share[1] && c.share[1] == c.share[2]);
  if (c.axes) c.axes = to_->rotation * *c.axes;
  if (some && !c.axes && (to_->rotation.cwiseAbs() - base::Mat3::Identity()).norm() > 1e-12)
    faults_.insert(
        fmt::format("coupling '{}' shares displacements along global axes, which cannot be rotated", c.name));
}

void Companions::move(BondSpec& b) {
  b.follow.selection = moved(b.follow.selection, b.name);
  b.to = renamed(b.to);
}

void Companions::move(SupportSpec& s) {
  s.at.selection = moved(s.at.selection, s.name);
  if (!s.axes && to_->shifts_only()) return;
  AxesSpec axes = s.axes.value_or(AxesSpec{});
  const auto go = [&](Vec3& v) { v = axes.cylindrical ? to_->point(v) : Vec3(to_->rotation * v); };
  go(axes.first), go(axes.second);
  const bool global = !s.axes && (to_->rotation.cwiseAbs() - base::Mat3::Identity()).norm() < 1e-12;
  if (!global) s.axes = axes;  // a direction that is restrained is, whichever way it points
}

void Companions::move(FoundationSpec& b) {
  b.part = renamed(b.part);
  if (b.edge) b.edge->selection = moved(b.edge->selection, b.name);
  const bool even = b.stiffness[0] == b.stiffness[1] && b.stiffness[1] == b.stiffness[2] && !b.varying;
  if (!even && (to_->rotation.cwiseAbs() - base::Mat3::Identity()).norm() > 1e-12)
    faults_.insert(fmt::format("foundation '{}' has stiffness along global axes, which cannot be rotated", b.name));
  const Motion to = *to_;
  if (b.varying) b.varying = [to, f = b.varying](const Vec3& x) { return f(to.back(x)); };
  if (b.normal_at) b.normal_at = [to, f = b.normal_at](const Vec3& x) { return f(to.back(x)); };
}

LoadSpec Companions::moved(LoadSpec l, const std::string& action) {
  for (auto& part : l.parts) part = renamed(part);
  l.at.selection = moved(l.at.selection, action);
  const Motion to = *to_;
  l.value = to.rotation * l.value;
  l.arm = to.rotation * l.arm;
  // moments and rotations go the other way in a mirror
  l.moment = (to.mirrored ? -1.0 : 1.0) * (to.rotation * l.moment);
  l.plane_normal = (to.mirrored ? -1.0 : 1.0) * (to.rotation * l.plane_normal);
  if (l.value_at) l.value_at = [to, f = l.value_at](const Vec3& x) { return Vec3(to.rotation * f(to.back(x))); };
  if (l.amount_at) l.amount_at = [to, f = l.amount_at](const Vec3& x) { return f(to.back(x)); };
  if (l.where) l.where = moved(*l.where, action);
  const bool along_axes = std::string(l.kind->word()) == "displacement" && !to.shifts_only();
  if (along_axes && touched_)
    faults_.insert(fmt::format("a displacement of action '{}' is along global axes, which cannot be rotated", action));
  return l;
}

template <class Spec>
void Companions::each(std::vector<Spec>& list, const std::vector<Spec>& originals) {
  std::set<std::string> taken;
  for (const auto& one : list) taken.insert(one.name);
  for (const Spec& original : originals) {
    Spec copy = original;
    touched_ = false;
    const auto before = faults_;
    move(copy);
    if (!wanted(original.name)) {
      faults_ = before;
      continue;
    }
    int k = 2;
    while (taken.count(fmt::format("{}-{}", original.name, k)) > 0) ++k;
    copy.name = *taken.insert(fmt::format("{}-{}", original.name, k)).first;
    list.push_back(std::move(copy));
  }
}

/// Loads stay in their action, so that it acts on the copies as well.
void Companions::actions() {
  for (std::size_t a = 0; a < originals_.actions.size(); ++a)
    for (const auto& load : originals_.actions[a].loads) {
      touched_ = false;
      const auto before = faults_;
      LoadSpec copy = moved(load, originals_.actions[a].name);
      if (touched_ && wanted(originals_.actions[a].name))
        spec_.actions[a].loads.push_back(std::move(copy));
      else
        faults_ = before;
    }
}

void Companions::copy(const Motion& to, const std::map<std::string, std::string>& names) {
  to_ = &to;
  names_ = &names;
  each(spec_.fasteners, originals_.fasteners);
  each(spec_.springs, originals_.springs);
  each(spec_.couplings, originals_.couplings);
  each(spec_.bonds, originals_.bonds);
  each(spec_.supports, originals_.supports);
  each(spec_.foundations, originals_.foundations);
  actions();
}

}  // namespace archway::study::detail
