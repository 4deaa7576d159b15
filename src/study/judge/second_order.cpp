#include "archway/study/second_order.hpp"

#include <algorithm>
#include <cmath>

#include "archway/analysis/linear_static.hpp"
#include "archway/analysis/system.hpp"
#include "archway/study/outcome.hpp"
#include "archway/theory/knock_down.hpp"

namespace archway::study {

namespace {
std::vector<model::JoinedMember> members_of(const StudySpec& spec, const model::Model& model) {
  std::map<int, std::string> named;
  for (std::size_t p = 0; p < model.parts.size(); ++p)
    for (const auto& m : spec.members)
      if (m.name == model.parts[p].name && !m.piece_of.empty()) named[static_cast<int>(p)] = m.piece_of;
  return model::joined_members(model, named);
}

/// By the slenderness of the mode, where all pieces choose the same curve.
void choose_curve(const StudySpec& spec, const model::Model& model, analysis::EffectiveLength& e) {
  std::string curve;
  for (const int part : e.parts)
    for (const auto& m : spec.members)
      if (m.name == model.parts[static_cast<std::size_t>(part)].name) {
        if (m.buckling_curve.empty() || (!curve.empty() && curve != m.buckling_curve)) return;
        curve = m.buckling_curve;
      }
  if (curve.empty() || !(e.slenderness > 0)) return;
  const auto& part = model.parts[static_cast<std::size_t>(e.parts.front())];
  e.reduction = theory::column_reduction(e.slenderness, curve.c_str());
  e.resistance = e.reduction * e.area * model.materials[static_cast<std::size_t>(part.material)].yield_stress;
}
}  // namespace

void read_pressed_members(const StudySpec& spec, const model::Model& model, AnalysisOutcome& outcome) {
  if (model.line_elements.empty() || !outcome.base) return;
  outcome.lengths_by_mode =
      analysis::effective_lengths(model, members_of(spec, model), *outcome.base, *outcome.buckling, outcome.readings);
  for (auto& e : outcome.lengths_by_mode) choose_curve(spec, model, e);
  outcome.lengths = analysis::first_taken_along(outcome.lengths_by_mode);
  for (auto& e : outcome.lengths)
    if (e.mode < 0) e.reduction = e.resistance = 0;
}

namespace {
bool same(const model::Combination& a, const model::Combination& b) {
  return a.terms == b.terms;
}

/// A buckling analysis of the same loads, nothing held, of the same structure without imperfection.
const AnalysisOutcome* buckling_of(const std::vector<AnalysisOutcome>& before, const AnalysisOutcome& path) {
  const AnalysisOutcome* found = nullptr;
  for (const auto& o : before)
    if (o.buckling && !o.in_place && o.model == path.model && o.constant.terms.empty() &&
        same(o.variable, path.variable) && !o.lengths.empty())
      found = &o;
  return found;
}

/// The increment before the path loses its stability whose load is nearest to the full one.
const analysis::Increment* at_full_load(const analysis::PathResult& path) {
  const analysis::Increment* nearest = nullptr;
  for (const auto& i : path.increments) {
    if (path.first_loss >= 0 && i.number >= path.first_loss) break;
    if (i.load_factor > 0 && !i.peaks.empty() &&
        (nearest == nullptr || std::abs(i.load_factor - 1) < std::abs(nearest->load_factor - 1)))
      nearest = &i;
  }
  return nearest;
}
}  // namespace

std::vector<SecondOrder> second_order(const std::vector<AnalysisOutcome>& before, const AnalysisOutcome& path,
                                      const analysis::System& system) {
  std::vector<SecondOrder> list;
  if (!path.path || !path.constant.terms.empty() || path.stage_totals.size() > 1 || !path.geometry ||
      path.geometry->line_elements.empty())
    return list;
  const auto* buckling = buckling_of(before, path);
  const auto* increment = at_full_load(*path.path);
  if (buckling == nullptr || increment == nullptr) return list;
  const auto linear = analysis::linear_static(system, path.variable);
  const double factor = increment->load_factor;
  const auto peaks = analysis::peaks_by_part(*path.geometry, analysis::sum_of(linear, factor - 1, linear));
  for (const auto& e : buckling->lengths) {
    if (e.mode < 0) continue;
    // beyond its critical load linear theory amplifies nothing
    if (factor >= buckling->buckling->modes[static_cast<std::size_t>(e.mode)].load_factor) continue;
    SecondOrder s;
    s.member = e.member;
    s.buckling = buckling->spec.name;
    s.load_factor = factor;
    s.amplification = 1 / (1 - factor / buckling->buckling->modes[static_cast<std::size_t>(e.mode)].load_factor);
    for (const int part : e.parts) {
      const auto &first = peaks[static_cast<std::size_t>(part)],
                 &second = increment->peaks[static_cast<std::size_t>(part)];
      s.axial = std::min(s.axial, first.axial_low);
      s.linear_y = std::max(s.linear_y, first.moment_y), s.linear_z = std::max(s.linear_z, first.moment_z);
      s.nonlinear_y = std::max(s.nonlinear_y, second.moment_y);
      s.nonlinear_z = std::max(s.nonlinear_z, second.moment_z);
    }
    list.push_back(s);
  }
  return list;
}

}  // namespace archway::study
