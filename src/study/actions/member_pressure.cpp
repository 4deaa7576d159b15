#include "actions/load_kind_detail.hpp"

namespace archway::study::detail {

namespace {
class MemberPressure final : public LoadKind {
 public:
  const char* word() const override { return "member-pressure"; }
  void read(Keys& keys, LoadSpec& l, const Units&) const override {
    read_parts(keys, l);
    l.amount = keys.number("value");
    l.follows = keys.flag("follower", true);
    l.plane_normal = keys.vector("plane_normal");
    read_where(keys, l);
  }
  void build(LoadBuilder& b, model::Action& action, const LoadSpec& l) const override {
    for (const int e : b.line_elements(l))
      action.member_pressures.push_back({e, l.amount, l.plane_normal.normalized(), l.follows});
  }
};
}  // namespace

const LoadKind& member_pressure_kind() {
  static const MemberPressure kind;
  return kind;
}

}  // namespace archway::study::detail
