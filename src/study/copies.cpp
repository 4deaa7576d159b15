#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include <fmt/format.h>

#include "archway/study/limits.hpp"
#include "copies_detail.hpp"

namespace archway::study {

namespace {
using detail::Motion;

Motion motion_of(const CopySpec& c, int k) {
  Motion m;
  if (c.mirror) {
    const Vec3 n = c.mirror->second.normalized();
    m.turn = base::Mat3::Identity() - 2 * n * n.transpose();
    m.shift = c.mirror->first - m.turn * c.mirror->first;
    m.mirrored = true;
  }
  if (c.axis) {
    const Eigen::AngleAxisd turn(k * c.angle_degrees * M_PI / 180, (c.axis->second - c.axis->first).normalized());
    m.turn = turn * m.turn;
    m.shift = turn * Vec3(m.shift - c.axis->first) + c.axis->first;
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

  void complain(const CopySpec& c, std::string problem, std::string remedy) {
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
    if (to.mirrored && lopsided(m.profile))
      complain(c,
               fmt::format("member '{}' cannot be mirrored: its profile '{}' has no upright axis of symmetry", m.name,
                           m.profile),
               "describe the mirrored member and its mirrored profile by themselves");
    if (!m.line.via && m.through.empty()) m.up = base::leaning(m.line.to - m.line.from, m.up);
    m.line = to.line(m.line);
    for (Vec3& p : m.through) p = to.point(p);
    m.up = to.turn * m.up;
    if (to.mirrored) m.offset_y = -m.offset_y;
    m.start.offset = to.turn * m.start.offset;
    m.end.offset = to.turn * m.end.offset;
  }
  bool lopsided(const std::string& profile) const {
    for (const auto& p : spec_.profiles)
      if (p.name == profile)
        for (const char* shape : {"channel", "angle", "zed", "lipped-channel", "polyline", "given"})
          if (p.shape == shape) return true;
    return false;
  }
  void move(BarSpec& b, const Motion& to, const CopySpec& c) {
    if (!c.profile.empty()) b.profile = c.profile;
    b.line = to.line(b.line);
  }
  void move(PanelSpec& p, const Motion& to, const CopySpec& c) {
    if (c.thickness) p.thickness = *c.thickness;
    if (!c.profile.empty()) p.profile = c.profile;
    if (p.surface == Surface::cylinder) {  // as a line that is turned, which can be mirrored
      p.line = {p.start, p.start + p.axis_to - p.axis_from, {}};
      p.surface = Surface::revolution;
    }
    p.corner = to.point(p.corner);
    p.along = to.turn * p.along;
    p.across = to.turn * p.across;
    for (Vec3& x : p.corners) x = to.point(x);
    p.axis_from = to.point(p.axis_from);
    p.axis_to = to.point(p.axis_to);
    if (p.surface == Surface::extrusion) p.up = base::leaning(p.line.to - p.line.from, p.up);
    p.line = to.line(p.line);
    p.up = to.turn * p.up;
    if (!to.mirrored) return;
    std::swap(p.axis_from, p.axis_to);  // a turn seen in a mirror goes the other way
    if (p.surface != Surface::extrusion) p.turned_over = !p.turned_over;
    if (p.surface == Surface::extrusion && lopsided(p.profile))
      complain(c,
               fmt::format("panel '{}' cannot be mirrored: its profile '{}' has no upright axis of symmetry", p.name,
                           p.profile),
               "describe the mirrored panel and its mirrored profile by themselves");
  }
  void move(SolidSpec& s, const Motion& to, const CopySpec& c) {
    if (to.mirrored && s.body == Body::tube && s.angle_degrees < 360 - 1e-9)
      complain(c, fmt::format("part of a tube, '{}', cannot be mirrored", s.name), "turn it instead, or describe it");
    s.corner = to.point(s.corner);
    for (Vec3* v : {&s.along, &s.across, &s.up}) *v = to.turn * *v;
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
