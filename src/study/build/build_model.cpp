#include <algorithm>
#include <cmath>

#include "archway/model/joints.hpp"
#include "archway/model/mesh_check.hpp"
#include "archway/model/touching.hpp"
#include "archway/study/limits.hpp"
#include "build/build_model_detail.hpp"

namespace archway::study {

using base::Complaint;
using base::InputError;

namespace {
/// Points, supports, loads and combinations on the finished structure.
class Builder : public detail::LoadBuilder {
 public:
  Builder(const StudySpec& spec, const During* when) : LoadBuilder(spec) { when_ = when; }

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
    foundations();
    supports();
    keep_plane();
    bonds();
    stop_if_wrong();
    if (spec_.join_edges)
      for (auto& text : model::join_touching_panels(model_)) model_.remarks.push_back(std::move(text));
    obstacles();
    contacts();
    loads();
    remark_on_loads_across();
    residual_stresses();
    anchor();
    combinations();
    remark_on_times();
    remark_on_measures();
    hidden_parts();
    stop_if_wrong();
    model::settle_bonds(model_);
    model::require_sound(model_);
    return std::move(model_);
  }

  /// Nodes, elements, names and supports as far as they can be made; everything that is wrong stays behind in a list.
  model::Model build_what_stands(std::vector<Complaint>& wrong) {
    const auto step = [&](const auto& body) { at({}, body); };
    step([&] { materials_and_profiles(); });
    step([&] { parts(); });
    if (!model_.nodes.empty()) {
      step([&] { model::merge_coincident_nodes(model_, 1e-6 * model_.size(), bonded_nodes()); });
      step([&] { points(); });
      step([&] { supports(); });
      step([&] { hidden_parts(); });
    }
    for (auto& complaint : complaints_) wrong.push_back(std::move(complaint));
    fill_gaps();
    return std::move(model_);
  }

 private:
  /// Parts whose material or profile is not known get one to be drawn with.
  void fill_gaps() {
    const auto stand_in = [](auto& list, auto made) {
      made.name = "(not known)";
      list.push_back(made);
      return static_cast<int>(list.size()) - 1;
    };
    for (auto& part : model_.parts) {
      if (part.material < 0) part.material = stand_in(model_.materials, model::Material{});
      if (part.profile < 0 && (part.kind == model::PartKind::member || part.kind == model::PartKind::bar))
        part.profile = stand_in(model_.profiles, model::Profile{});
    }
  }

  /// What is not always there.
  void remark_on_times() {
    const auto remark = [&](const char* what, const std::string& name, const During& during) {
      if (!during.empty())
        model_.remarks.push_back(
            fmt::format("{} '{}' is there during '{}' only", what, name, fmt::join(during, "', '")));
    };
    for (const auto& s : spec_.supports) remark("support", s.name, s.during);
    for (const auto& c : spec_.couplings) remark("coupling", c.name, c.during);
    for (const auto& b : spec_.bonds) remark("bond", b.name, b.during);
  }

  /// Curves that panels and solids follow in another measure than they are given in.
  void remark_on_measures() {
    for (std::size_t m = 0; m < spec_.materials.size(); ++m) {
      const auto& given = spec_.materials[m];
      const auto& material = model_.materials[m];
      if (given.given_as_true) {
        remark_on_true(given);
        continue;
      }
      const bool is_followed = std::any_of(model_.parts.begin(), model_.parts.end(), [&](const auto& part) {
        return part.material == static_cast<int>(m) &&
               (part.kind == model::PartKind::panel || part.kind == model::PartKind::solid);
      });
      if (!is_followed || !given.true_flow.flows() || given.flow.corners.empty()) continue;
      const auto [plastic, stress] = given.flow.corners.back();
      const double strain = plastic + stress / material.youngs_modulus, true_stress = stress * (1 + strain);
      model_.remarks.push_back(fmt::format(
          "material '{}': panels and solids of GMNA and GMNIA follow true stress over logarithmic strain. {:.4g} {} at "
          "a plastic strain of {:.4g} (engineering) is {:.4g} {} at {:.4g} there. MNA and members follow the "
          "engineering values",
          material.name, stress, spec_.units.stress(), plastic, true_stress, spec_.units.stress(),
          std::log1p(strain) - true_stress / material.youngs_modulus));
    }
  }

  /// Members measure engineering stress: a table of true stress is converted for them, from its yield stress on.
  void remark_on_true(const MaterialSpec& given) {
    const auto m = static_cast<int>(&given - spec_.materials.data());
    const bool is_followed = std::any_of(model_.parts.begin(), model_.parts.end(), [&](const auto& part) {
      return part.material == m && (part.kind == model::PartKind::member || part.kind == model::PartKind::bar);
    });
    if (is_followed && given.true_flow.flows())
      model_.remarks.push_back(fmt::format(
          "material '{}': members and bars of GMNA and GMNIA follow engineering stress. The true yield stress of "
          "{:.6g} {} is "
          "{:.6g} {} there, so first yield comes at a load {:.2g} % lower. MNA, panels and solids follow the table",
          given.material.name, given.true_flow.yield_stress, spec_.units.stress(), given.flow.yield_stress,
          spec_.units.stress(), 100 * (1 - given.flow.yield_stress / given.true_flow.yield_stress)));
  }

  /// Loads that a frame in a plane does not feel.
  void remark_on_loads_across() {
    if (spec_.plane_normal < 0) return;
    for (const auto& action : model_.actions) {
      const Vec3 total = total_of(action);
      if (std::abs(total[spec_.plane_normal]) > 1e-9 * total.norm())
        model_.remarks.push_back(fmt::format(
            "action '{}' has {:.6g} {} across the plane, which goes straight into what holds the frame there",
            action.name, total[spec_.plane_normal], spec_.units.force));
    }
  }

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

  /// What pictures omit is there.
  void hidden_parts() {
    const auto names = detail::names_of(model_.parts);
    for (const auto& word : spec_.pictures.hide)
      if (std::find(names.begin(), names.end(), word) == names.end())
        complain(spec_.pictures.place, fmt::format("[pictures] hides '{}', and there is no such part", word),
                 base::suggestion(word, names));
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

theory::SectionProperties section_of(const ProfileSpec& profile, const std::map<std::string, double>& dimensions) {
  auto section = profile.shape == "polyline" ? theory::thin_walled_properties(profile.walls)
                                             : theory::section_properties(profile.shape, dimensions);
  if (profile.fibres != theory::kFibres) theory::set_fibres(section, profile.fibres);
  return profile.mirrored ? theory::mirrored(std::move(section)) : section;
}

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
  for (const auto& c : s.stress_points) p.stress_points.push_back({c.y, c.z, c.omega});
  p.round = s.round;
  return p;
}

model::Model build_model(const StudySpec& spec) {
  if (auto list = size_complaints(spec); !list.empty()) throw InputError(std::move(list));
  return Builder(spec, nullptr).build();
}

model::Model build_what_stands(const StudySpec& spec, std::vector<Complaint>& wrong) {
  if (auto list = size_complaints(spec); !list.empty()) throw InputError(std::move(list));
  return Builder(spec, nullptr).build_what_stands(wrong);
}

model::Model build_model(const StudySpec& spec, const During& when) {
  return Builder(spec, &when).build();
}

std::vector<bool> what_is_there(const StudySpec& spec, const During& when) {
  std::vector<bool> list;
  const auto add = [&](const auto& things) {
    for (const auto& thing : things) list.push_back(detail::there(thing.during, when));
  };
  add(spec.supports);
  add(spec.couplings);
  for (const auto& bond : spec.bonds) list.push_back(detail::there(bond, when));
  return list;
}

namespace {
/// A part has what is watched of it.
void check_part(const WatchSpec& watch, const model::Part& part, std::vector<Complaint>& complaints) {
  using Kind = analysis::WatchPoint::Kind;
  const bool of_member = watch.kind == Kind::shear_force || watch.kind == Kind::moment_y ||
                         watch.kind == Kind::moment_z || watch.kind == Kind::torque;
  if (of_member && part.kind != model::PartKind::member)
    complaints.push_back(watch.place.complaint(fmt::format("watch '{}': '{}' is no member", watch.name, part.name),
                                               "shear forces, moments and torques are those of members"));
  if (watch.kind == Kind::volume && part.kind != model::PartKind::panel)
    complaints.push_back(watch.place.complaint(fmt::format("watch '{}': '{}' is no panel", watch.name, part.name),
                                               "a volume is displaced by the surface of a panel or shell"));
}
}  // namespace

std::vector<analysis::WatchPoint> watch_points(const StudySpec& spec, const model::Model& model) {
  using Kind = analysis::WatchPoint::Kind;
  std::vector<analysis::WatchPoint> list;
  std::vector<Complaint> complaints;
  const auto node = [&](const Spot& spot, const std::string& name) {
    const auto caught = model::select(model, spot.selection);
    if (caught.size() != 1)
      complaints.push_back(spot.place.complaint(fmt::format("watch point '{}' catches {} nodes", name, caught.size()),
                                                "it must be exactly one: use near = [x, y, z] or a named point"));
    return caught.empty() ? -1 : caught[0];
  };
  for (const auto& watch : spec.watches) {
    analysis::WatchPoint point;
    point.name = watch.name;
    point.direction = watch.direction;
    point.kind = watch.kind;
    const bool of_support = watch.kind == Kind::reaction || watch.kind == Kind::reaction_moment;
    const bool of_node =
        watch.kind == Kind::displacement || watch.kind == Kind::rotation || watch.kind == Kind::distance;
    if (of_node) point.node = node(watch.at, watch.name);
    if (of_node && watch.from) point.other = node(*watch.from, watch.name);
    std::vector<std::string> names;
    if (of_support) {
      point.support = watch.of;
      for (const auto& s : spec.supports) names.push_back(s.name);
      for (const auto& s : spec.springs)
        if (!s.to) names.push_back(s.name);
      for (const auto& b : spec.foundations) names.push_back(b.name);
      for (const auto& o : spec.obstacles) names.push_back(o.body.name);
      for (const auto& c : spec.contacts) names.push_back(c.name);
    } else if (!of_node) {
      for (const auto& p : model.parts) names.push_back(p.name);
    }
    const bool of_all =
        watch.kind == Kind::stored_energy || watch.kind == Kind::dissipated_energy || watch.kind == Kind::external_work;
    const auto found = std::find(names.begin(), names.end(), watch.of);
    if (!of_all && !of_node && found == names.end())
      complaints.push_back(watch.place.complaint(
          fmt::format("there is no {} named '{}' to watch", of_support ? "support" : "part", watch.of),
          base::suggestion(watch.of, names)));
    else if (!of_all && !of_node && !of_support)
      point.part = static_cast<int>(found - names.begin());
    if (point.part >= 0) check_part(watch, model.parts[static_cast<std::size_t>(point.part)], complaints);
    list.push_back(std::move(point));
  }
  if (!complaints.empty()) throw InputError(std::move(complaints));
  return list;
}

}  // namespace archway::study
