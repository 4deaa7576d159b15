#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include <fmt/format.h>

#include "archway/model/subdivide.hpp"
#include "archway/study/limits.hpp"
#include "spec/copies_detail.hpp"

namespace archway::study {

namespace {
using detail::Motion;

Motion motion_of(const CopySpec& c, int k) {
  Motion m;
  if (c.mirror) {
    const Vec3 n = c.mirror->second.normalized();
    m.rotation = base::Mat3::Identity() - 2 * n * n.transpose();
    m.shift = c.mirror->first - m.rotation * c.mirror->first;
    m.mirrored = true;
  }
  if (c.axis) {
    const Eigen::AngleAxisd rotation(k * c.angle_degrees * M_PI / 180, (c.axis->second - c.axis->first).normalized());
    m.rotation = rotation * m.rotation;
    m.shift = rotation * Vec3(m.shift - c.axis->first) + c.axis->first;
  }
  m.shift += k * c.move;
  return m;
}

class Copier {
 public:
  explicit Copier(StudySpec& spec) : spec_(spec) {}
  void run() {
    refine();
    for (const auto& c : spec_.copies) {
      copied_.clear();
      for (const auto& name : c.of)
        if (!in(spec_.members, name, c) && !in(spec_.bars, name, c) && !in(spec_.panels, name, c) &&
            !in(spec_.solids, name, c))
          complain(c, fmt::format("there is no part named '{}' to copy", name),
                   "name members, bars, panels or solids; copies of copies must come later in the file");
      carry_along(c);
    }
    if (!complaints_.empty()) throw base::InputError(std::move(complaints_));
  }

 private:
  void carry_along(const CopySpec& c) {
    if (c.carry.empty() && !c.carry_all) return;
    detail::Companions companions(spec_, c.carry, c.carry_all);
    for (const auto& [k, names] : copied_) companions.copy(motion_of(c, k), names);
    for (const auto& fault : companions.faults())
      complain(c, fault, "name what can go along in 'carry', and describe the rest by itself");
  }

  template <class Spec>
  void complain(const Spec& c, std::string problem, std::string remedy) {
    complaints_.push_back(c.place.complaint(std::move(problem), std::move(remedy)));
  }

  void refine() {
    if (spec_.refine == 1) return;
    const auto more = [&](int& count) {
      count = static_cast<int>(std::min(1e9, std::ceil(count * spec_.refine - 1e-9)));
    };
    for (auto& m : spec_.members) more(m.elements), more(m.plates);
    for (auto& p : spec_.panels) more(p.divisions[0]), more(p.divisions[1]);
    for (auto& s : spec_.solids)
      for (int& d : s.divisions) more(d);
    for (auto& m : spec_.meshes) refine(m);
  }

  /// The elements of a file can be halved. They cannot be joined: a study with other parts has those made coarser
  /// alone.
  void refine(MeshSpec& m) {
    const double halvings = std::log2(spec_.refine);
    const bool alone = spec_.members.empty() && spec_.panels.empty() && spec_.solids.empty();
    if (!m.mesh || (halvings < 0 && !alone)) return;
    if (halvings < 0 || halvings != std::floor(halvings))
      return complain(
          m, fmt::format("refine is {:g}, but the elements of the mesh '{}' come from its file", spec_.refine, m.file),
          "refine = 2, 4 or 8 halves them once, twice or three times; make any other mesh where this one was made");
    // solids become eight times as many each time
    if (static_cast<double>(m.mesh->nodes.size()) * std::pow(m.mesh->solid_elements.empty() ? 4 : 8, halvings) >
        kMostNodes)
      return complain(
          m,
          fmt::format("refine = {:g} makes more than {:.3g} nodes of the mesh '{}'", spec_.refine, kMostNodes, m.file),
          "use a smaller 'refine'");
    for (int k = 0; k < static_cast<int>(halvings); ++k)
      m.mesh = std::make_shared<const model::Model>(model::subdivided(*m.mesh));
  }

  /// NAME-2 or the next number that is still free.
  std::string next_name(const std::string& name) {
    if (names_.empty()) {
      const auto note = [&](const auto& list) {
        for (const auto& part : list) names_.insert(part.name);
      };
      note(spec_.members), note(spec_.bars), note(spec_.panels), note(spec_.solids);
    }
    int& k = next_.try_emplace(name, 2).first->second;
    while (names_.count(fmt::format("{}-{}", name, k)) > 0) ++k;
    return *names_.insert(fmt::format("{}-{}", name, k)).first;
  }

  template <class Spec>
  bool in(std::vector<Spec>& list, const std::string& name, const CopySpec& c) {
    for (std::size_t i = 0; i < list.size(); ++i) {
      if (list[i].name != name) continue;
      if (made_ += c.count; made_ > kMostParts) {
        complain(c, fmt::format("these copies make more than {} parts", kMostParts), "make fewer copies");
        return true;
      }
      for (int k = 1; k <= c.count; ++k) {
        Spec copy = list[i];
        copy.name = next_name(name);
        copied_[k][name] = copy.name;
        copy.place = c.place;
        if (!c.material.empty()) copy.material = c.material;
        move(copy, motion_of(c, k), c);
        list.push_back(std::move(copy));
      }
      return true;
    }
    return false;
  }

  void move(MemberSpec& m, const Motion& to, const CopySpec& c) {
    if (!c.profile.empty()) m.profile = c.profile;
    if (to.mirrored) m.profile = mirror_of(m.profile);
    if (to.mirrored && !m.profile_end.empty()) m.profile_end = mirror_of(m.profile_end);
    if (!m.line.via && m.through.empty()) m.up = base::leaning(m.line.to - m.line.from, m.up);
    m.line = to.line(m.line);
    for (Vec3& p : m.through) p = to.point(p);
    m.up = to.rotation * m.up;
    if (to.mirrored) m.offset_y = -m.offset_y;
    m.start.offset = to.rotation * m.start.offset;
    m.end.offset = to.rotation * m.end.offset;
  }
  /// Name of the profile seen in a mirror, which is made where it is another one.
  std::string mirror_of(const std::string& profile) {
    static const std::set<std::string> kLopsided = {"channel", "angle", "zed", "lipped-channel", "polyline", "given"};
    const auto named = [&](const std::string& name) {
      return std::find_if(spec_.profiles.begin(), spec_.profiles.end(), [&](const auto& p) { return p.name == name; });
    };
    const auto found = named(profile);
    if (found == spec_.profiles.end() || kLopsided.count(found->shape) == 0) return profile;
    ProfileSpec other = *found;
    const std::string suffix = " mirrored";
    other.mirrored = !found->mirrored;
    other.name = found->mirrored ? profile.substr(0, profile.size() - suffix.size()) : profile + suffix;
    if (named(other.name) == spec_.profiles.end()) spec_.profiles.push_back(other);
    return other.name;
  }
  void move(BarSpec& b, const Motion& to, const CopySpec& c) {
    if (!c.profile.empty()) b.profile = c.profile;
    b.line = to.line(b.line);
  }
  void move(PanelSpec& p, const Motion& to, const CopySpec& c) {
    if (c.thickness) p.thickness = *c.thickness;
    if (!c.profile.empty()) p.profile = c.profile;
    if (p.surface == Surface::cylinder) {  // as a line that is rotated, which can be mirrored
      p.line = {p.start, p.start + p.axis_to - p.axis_from, {}};
      p.surface = Surface::revolution;
    }
    p.corner = to.point(p.corner);
    p.along = to.rotation * p.along;
    p.across = to.rotation * p.across;
    for (Vec3& x : p.corners) x = to.point(x);
    p.axis_from = to.point(p.axis_from);
    p.axis_to = to.point(p.axis_to);
    if (p.surface == Surface::extrusion) p.up = base::leaning(p.line.to - p.line.from, p.up);
    p.line = to.line(p.line);
    p.up = to.rotation * p.up;
    if (!to.mirrored) return;
    std::swap(p.axis_from, p.axis_to);  // a rotation seen in a mirror goes the other way
    if (p.surface != Surface::extrusion) p.flipped = !p.flipped;
    if (p.surface == Surface::extrusion) p.profile = mirror_of(p.profile);
  }
  void move(SolidSpec& s, const Motion& to, const CopySpec& c) {
    if (to.mirrored && s.body == Body::tube && s.angle_degrees < 360 - 1e-9)
      complain(c, fmt::format("part of a tube, '{}', cannot be mirrored", s.name), "rotate it instead, or describe it");
    s.corner = to.point(s.corner);
    for (Vec3* v : {&s.along, &s.across, &s.up}) *v = to.rotation * *v;
    for (Vec3* v : {&s.axis_from, &s.axis_to, &s.start}) *v = to.point(*v);
  }

  StudySpec& spec_;
  long made_ = 0;
  std::set<std::string> names_;
  std::map<std::string, int> next_;
  std::map<int, std::map<std::string, std::string>> copied_;  ///< names of this entry's copies, by number and original
  std::vector<base::Complaint> complaints_;
};
}  // namespace

void carry_out_copies(StudySpec& spec) {
  Copier(spec).run();
}

}  // namespace archway::study
