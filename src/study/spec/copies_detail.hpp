#pragma once
#include <map>
#include <set>
#include <string>
#include <vector>

#include "archway/study/spec.hpp"

namespace archway::study::detail {

/// Where a copy goes: x -> rotation x + shift; rotation may be a reflection.
struct Motion {
  base::Mat3 rotation = base::Mat3::Identity();
  Vec3 shift = Vec3::Zero();
  bool mirrored = false;
  Vec3 point(const Vec3& x) const { return rotation * x + shift; }
  Vec3 back(const Vec3& x) const { return rotation.transpose() * (x - shift); }
  bool shifts_only() const { return (rotation - base::Mat3::Identity()).norm() < 1e-12; }
  model::Line line(const model::Line& l) const {
    model::Line moved{point(l.from), point(l.to), {}};
    if (l.via) moved.via = point(*l.via);
    return moved;
  }
};

/// What goes along with copied parts: fasteners, springs, couplings, bonds, supports, foundations, and the loads of
/// actions.
class Companions {
 public:
  /// \param asked  names; \param all  and whatever names a copied part
  Companions(StudySpec& spec, const std::vector<std::string>& asked, bool all);
  /// Copies as they are before any copy of this entry. \param names  of the parts, by those of the originals
  void copy(const Motion& to, const std::map<std::string, std::string>& names);
  /// What cannot be copied, and what was asked for and is not there.
  const std::set<std::string>& faults() const { return faults_; }

 private:
  template <class Spec>
  void each(std::vector<Spec>& list, const std::vector<Spec>& originals);
  bool wanted(const std::string& name) const;
  std::string renamed(const std::string& name);
  model::Selection moved(const model::Selection& s, const std::string& of);
  void move(FastenerSpec& f);
  void move(SpringSpec& s);
  void move(CouplingSpec& c);
  void move(BondSpec& b);
  void move(SupportSpec& s);
  void move(FoundationSpec& b);
  LoadSpec moved(LoadSpec l, const std::string& action);
  void actions();

  StudySpec& spec_;
  const StudySpec originals_;
  std::vector<std::string> asked_;
  bool all_;
  const Motion* to_ = nullptr;
  const std::map<std::string, std::string>* names_ = nullptr;
  bool touched_ = false;  ///< what is being copied names a copied part
  std::set<std::string> faults_;
};

}  // namespace archway::study::detail
