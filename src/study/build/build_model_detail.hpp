#pragma once
#include <algorithm>
#include <map>
#include <set>

#include <fmt/format.h>

#include "archway/study/build_model.hpp"
#include "spec/names_detail.hpp"

/// The steps of building a model, each adding to the one before: parts, joints, then supports and loads.
namespace archway::study::detail {

using base::Complaint;
using base::InputError;

/// A support, a coupling or a bond that is there at some times is there in one that has these names.
inline bool there(const During& during, const During& when) {
  if (during.empty()) return true;
  for (const auto& name : when)
    if (std::find(during.begin(), during.end(), name) != during.end()) return true;
  return false;
}

inline bool there(const BondSpec& bond, const During& when) {
  const bool path = std::find(when.begin(), when.end(), kPath) != when.end();
  return there(bond.during, when) && !(bond.contact && path);
}

/// What all steps share: the study, the model as it grows, and complaints collected instead of stopping at the first.
class Workshop {
 public:
  explicit Workshop(const StudySpec& spec) : spec_(spec) {}

 protected:
  void stop_if_wrong() {
    if (!complaints_.empty()) throw InputError(std::move(complaints_));
  }
  void complain(const SourceLocation& place, std::string problem, std::string remedy) {
    complaints_.push_back(place.complaint(std::move(problem), std::move(remedy)));
  }
  /// Runs a step of the builder and gives what it throws the place in the file.
  template <class Step>
  void at(const SourceLocation& place, const Step& step) {
    try {
      step();
    } catch (const InputError& error) {
      for (auto complaint : error.complaints()) {
        const std::string own = complaint.place;
        complaint.place = place.text.empty() ? own : place.text;
        if (!own.empty() && !place.text.empty()) complaint.problem = own + ": " + complaint.problem;
        complaint.excerpt = place.excerpt;
        complaints_.push_back(std::move(complaint));
      }
    }
  }

  template <class List>
  int index_in(const List& list, const std::string& name, const SourceLocation& place, const char* what) {
    const auto names = names_of(list);
    for (std::size_t i = 0; i < names.size(); ++i)
      if (names[i] == name) return static_cast<int>(i);
    complain(place,
             name.empty() ? fmt::format("no {} is named", what) : fmt::format("there is no {} named '{}'", what, name),
             base::suggestion(name, names));
    return -1;
  }

  int part_index(const std::string& name) const {
    for (std::size_t p = 0; p < model_.parts.size(); ++p)
      if (model_.parts[p].name == name) return static_cast<int>(p);
    return -1;
  }

  /// Nodes of a spot; complains when it catches none or names an unknown group.
  std::vector<int> nodes_at(const Spot& spot, const char* what) {
    const auto& group = spot.selection.group;
    if (!group.empty() && model_.groups.count(group) == 0) {
      std::vector<std::string> known;
      for (const auto& [name, nodes] : model_.groups) known.push_back(name);
      complain(spot.place, fmt::format("nothing is called '{}'", group), base::suggestion(group, known));
      return {};
    }
    auto nodes = model::select(model_, spot.selection);
    if (nodes.empty())
      complain(spot.place,
               fmt::format("the selection {} catches no node, so {} does nothing", spot.selection.text(), what),
               "check the name and the coordinates; planes and boxes must pass through mesh nodes");
    return nodes;
  }

  /// Nodes are made for what is not there as well, so that they are the same at all times.
  bool is_there(const During& during) const { return when_ == nullptr || there(during, *when_); }
  bool is_there(const BondSpec& bond) const { return when_ == nullptr || there(bond, *when_); }

  const StudySpec& spec_;
  const During* when_ = nullptr;  ///< nullptr: everything is there
  model::Model model_;
  std::vector<Complaint> complaints_;
};

/// Materials, profiles, members, bars, panels and solids.
class StructureBuilder : public Workshop {
 public:
  using Workshop::Workshop;

 protected:
  void materials_and_profiles();
  void add_laminate(const LaminateSpec& l);
  /// Material or laminate, thickness.
  model::Part wall_of(const PanelSpec& p);
  void add_profile(const ProfileSpec& p, const std::string& name, const std::map<std::string, double>& dimensions);
  model::Part part_of(const std::string& name, model::PartKind kind, const std::string& material,
                      const SourceLocation& place);
  void parts();
  model::Rigid rigidity_of(const MemberSpec& m);
  int without_yield(const MemberSpec& m, int material);
  void add_member(const MemberSpec& m);
  void add_plates(const MemberSpec& m, model::Part part);
  std::vector<model::ProfileWall> walls_of(const std::string& profile, const SourceLocation& place);
  /// Sections at the Gauss points of a tapered member, from dimensions that go straight from one end to the other.
  void taper(const MemberSpec& m, int start, std::size_t first);
  std::vector<model::Spacing> panel_spacings();
  void vary_thickness(const PanelSpec& p, std::size_t first);
  void add_panel(const PanelSpec& p, const model::Spacing& spacing);
  void add_solid(const SolidSpec& s);
  void add_mesh(const MeshSpec& m);
};

/// Ends of members, couplings, springs, fasteners and bonds.
class JointBuilder : public StructureBuilder {
 public:
  using StructureBuilder::StructureBuilder;

 protected:
  /// Nodes of bonded edges and faces must not merge with the part they are bonded to, even where they coincide.
  std::vector<model::KeptApart> bonded_nodes();
  /// Releases, offsets and warping at the ends of members: where there is any, the end gets a node of its own.
  void member_ends();
  void member_end(const MemberSpec& m, const MemberEnd& end, std::size_t element, std::size_t place,
                  const std::string& group);
  void joints();
  /// A member modelled with plates is joined by its ends like one modelled as a line: stiff end sections.
  void plate_ends(const MemberSpec& m);
  std::vector<model::Tie> warping_end(const MemberSpec& m, bool end, int point, const std::vector<int>& nodes);
  void couple(const CouplingSpec& c);
  void move_alike(const CouplingSpec& c, const std::vector<int>& nodes);
  int point_of(const CouplingSpec& c);
  void remark_on(const SpringSpec& s, std::size_t count);
  /// The spring with its curves, which the model gets. \param s  of a spring or a fastener
  template <class Spec>
  model::SpringElement spring_of(const Spec& s);
  void add_springs(const SpringSpec& s);
  void fasten(const FastenerSpec& f);
  void bonds();

 private:
  std::vector<Vec3> row_along(const FastenerSpec& fastener);
  void node_at_point(const Spot& spot);
  std::vector<std::pair<Vec3, int>> coupling_points_;
};

/// What may touch rigid bodies in the way.
class ObstacleBuilder : public JointBuilder {
 public:
  using JointBuilder::JointBuilder;

 protected:
  void obstacles();

 private:
  void add_obstacle(const ObstacleSpec& spec);
  std::vector<int> parts_of(const ObstacleSpec& spec);
  std::map<int, model::Touch> touching_nodes(const ObstacleSpec& spec, const std::vector<int>& parts);
};

/// Parts that may touch each other.
class ContactBuilder : public ObstacleBuilder {
 public:
  using ObstacleBuilder::ObstacleBuilder;

 protected:
  void contacts();

 private:
  std::vector<model::ContactFace> faces_of(const std::string& name, bool edges, const SourceLocation& place);
  std::string follower_of(const BondSpec& bond);
  ContactSpec in_place_of(const BondSpec& bond);
  void add_contact(const ContactSpec& spec);
  void look_at_gaps(const ContactSpec& spec, model::Contact& contact);
};

/// Supports in global and in own axes, and foundations.
class SupportBuilder : public ContactBuilder {
 public:
  using ContactBuilder::ContactBuilder;

 protected:
  void supports();
  void foundations();
  /// A frame in a plane: everything else is restrained.
  void keep_plane();
  /// Last step: nodes restrained in axes of their own get one that is in for the ground.
  void anchor();

 private:
  struct Hold {
    base::Mat3 axes;
    std::set<int> dofs;
    const SupportSpec* support;
    bool ever;  ///< at some time it holds more than warping
  };
  void hold(const SupportSpec& support);
  void keep_in_plane(model::Tie& tie, int across);
  void lay(const FoundationSpec& foundation);
  void spring_up(const FoundationSpec& foundation, int node, double share, const Vec3& normal, const Vec3& along);
  base::Mat3 axes_at(const AxesSpec& axes, int node);
  /// The node has no radial direction, and the support asks for one.
  bool on_axis(const SupportSpec& support, int node) const;
  /// Global supports of a node that also has axes of its own.
  void absorb(int node, Hold& own);
  std::map<int, Hold> own_axes_;
};

/// Actions; kinds of loads (src/study/actions) find here what they act on.
class LoadBuilder : public SupportBuilder {
 public:
  using SupportBuilder::SupportBuilder;
  using Faces = std::vector<std::pair<int, int>>;  ///< element and face; shell elements have face -1

  const StudySpec& study() const { return spec_; }
  const model::Model& model() const { return model_; }
  using Workshop::complain;
  using Workshop::nodes_at;
  /// Faces that a load on a part, or on a side of a solid, acts on; complains when there are none.
  Faces faces(const LoadSpec& l);
  /// Line elements of a member whose middle lies where the load says; complains when there are none.
  std::vector<int> line_elements(const LoadSpec& l);
  std::vector<int> corners(int element, int face) const;
  bool inside(const LoadSpec& l, const Vec3& middle) const;
  std::set<int> parts_named(const std::string& wanted);
  /// Those that a load names; all where it names none.
  std::set<int> parts_of(const LoadSpec& l);
  Vec3 total_of(const model::Action& action) const;

 protected:
  void loads();
  /// What rolling and welding have left in members and panels.
  void residual_stresses();

 private:
  Faces solid_faces(const std::string& part);
  void member_stress(const ResidualStressSpec& r, int part);
  void panel_stresses(const ResidualStressSpec& r, const std::vector<int>& parts);
  Vec3 mean(const int* first, const int* last) const;
  void complain_of_nothing(const LoadSpec& l, const std::string& part);
};

}  // namespace archway::study::detail
