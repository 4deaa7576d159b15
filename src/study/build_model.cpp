#include <algorithm>
#include <cmath>

#include "archway/model/joints.hpp"
#include "archway/model/mesh_check.hpp"
#include "archway/model/touching.hpp"
#include "archway/study/limits.hpp"
#include "build_model_detail.hpp"

namespace archway::study {

using base::Complaint;
using base::InputError;

namespace {
/// Points, supports, loads and combinations on the finished structure.
class Builder : public detail::LoadBuilder {
 public:
  using LoadBuilder::LoadBuilder;

  model::Model build() {
    materials_and_profiles();
    stop_if_wrong();
    parts();
    stop_if_wrong();
    model::merge_coincident_nodes(model_, 1e-6 * model_.size(), bonded_nodes());
    points();
    member_ends();
    joints();
    stop_if_wrong();
    beddings();
    supports();
    bonds();
    stop_if_wrong();
    if (spec_.join_edges)
      for (auto& text : model::join_touching_panels(model_)) model_.remarks.push_back(std::move(text));
    loads();
    anchor();
    combinations();
    stop_if_wrong();
    model::settle_bonds(model_);
    model::require_sound(model_);
    return std::move(model_);
  }

 private:
  void points() {
    for (const auto& [name, position] : spec_.points) {
      model::Selection here;
      here.near = position;
      const auto nodes = model::select(model_, here);
      if (!nodes.empty() &&
          (model_.nodes[static_cast<std::size_t>(nodes[0])] - position).norm() <= 1e-6 * model_.size())
        model_.groups[name] = nodes;
    }
  }

  void combinations() {
    for (const auto& c : spec_.combinations) {
      model::Combination combination;
      combination.name = c.name;
      for (const auto& [action, factor] : c.terms)
        combination.terms.emplace_back(index_in(model_.actions, action, c.place, "action"), factor);
      model_.combinations.push_back(std::move(combination));
    }
  }
};
}  // namespace

model::Profile to_profile(const std::string& name, const theory::SectionProperties& s) {
  model::Profile p;
  p.name = name;
  p.area = s.area;
  p.second_moment_y = s.second_moment_y;
  p.second_moment_z = s.second_moment_z;
  p.torsion_constant = s.torsion_constant;
  p.shear_area_y = s.shear_area_y;
  p.shear_area_z = s.shear_area_z;
  p.fibre_y = s.fibre_y;
  p.fibre_z = s.fibre_z;
  p.outline = s.outline;
  p.product_moment = s.product_moment;
  p.shear_area_yz = s.shear_area_yz;
  p.shear_centre_y = s.shear_centre_y;
  p.shear_centre_z = s.shear_centre_z;
  p.warping_constant = s.warping_constant;
  p.warping_shear = s.warping_shear;
  p.wagner_y = s.wagner_y;
  p.wagner_z = s.wagner_z;
  p.wagner_warp = s.wagner_warp;
  p.fourth_moment = s.fourth_moment;
  for (const auto& f : s.fibres) p.fibres.push_back({f.area, f.y, f.z, f.omega});
  return p;
}

model::Model build_model(const StudySpec& spec) {
  if (auto list = size_complaints(spec); !list.empty()) throw InputError(std::move(list));
  return Builder(spec).build();
}

std::vector<int> watch_nodes(const StudySpec& spec, const model::Model& model) {
  std::vector<int> nodes;
  std::vector<Complaint> complaints;
  for (const auto& watch : spec.watches) {
    const auto caught = model::select(model, watch.at.selection);
    if (caught.size() != 1)
      complaints.push_back(
          watch.at.place.complaint(fmt::format("watch point '{}' catches {} nodes", watch.name, caught.size()),
                                   "it must be exactly one: use near = [x, y, z] or a named point"));
    nodes.push_back(caught.empty() ? -1 : caught[0]);
  }
  if (!complaints.empty()) throw InputError(std::move(complaints));
  return nodes;
}

}  // namespace archway::study
