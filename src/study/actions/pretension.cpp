#include <algorithm>

#include <fmt/format.h>

#include "actions/load_kind_detail.hpp"
#include "archway/base/index.hpp"

namespace archway::study::detail {

namespace {
/// Springs or fasteners of this name.
bool is_spring(const LoadBuilder& b, const std::string& name) {
  const auto& springs = b.model().springs;
  return std::any_of(springs.begin(), springs.end(), [&](const auto& s) { return s.name == name; });
}

/// Members and bars that a load names, springs and fasteners omitted; complains of others.
std::vector<int> lines_of(LoadBuilder& b, const LoadSpec& l, const char* what) {
  LoadSpec of_parts = l;
  of_parts.parts.erase(std::remove_if(of_parts.parts.begin(), of_parts.parts.end(),
                                      [&](const auto& name) { return is_spring(b, name); }),
                       of_parts.parts.end());
  std::vector<int> lines;
  if (of_parts.parts.empty()) return lines;
  for (const int p : b.parts_of(of_parts)) {
    const auto& part = b.model().parts[base::at(p)];
    if (part.kind == model::PartKind::bar || part.kind == model::PartKind::member)
      lines.push_back(p);
    else
      b.complain(l.place, fmt::format("'{}' is no bar, no member and no fastener", part.name),
                 fmt::format("{} acts in bars, members, springs and fasteners", what));
  }
  return lines;
}

/// Springs and fasteners that a load names; they must have stiffness along their axis.
void add_misfits(LoadBuilder& b, model::Action& action, const LoadSpec& l, double longer, double pull) {
  for (const auto& name : l.parts) {
    if (!is_spring(b, name)) continue;
    for (const auto& s : b.model().springs)
      if (s.name == name && s.curves[0] < 0 && !(s.stiffness[0] > 0))
        return b.complain(l.place, fmt::format("'{}' has no stiffness along its axis 1 for a pretension", name),
                          "give stiffness = [k1, ..] above zero, and 'along' the way it is pulled");
    action.misfits.push_back({name, longer, pull});
  }
}

/// From end to end, along its pieces.
double length_of(const model::Model& model, int part) {
  const auto between = [&](int a, int b) { return (model.nodes[base::at(b)] - model.nodes[base::at(a)]).norm(); };
  double sum = 0;
  for (const auto& e : model.bar_elements)
    if (e.part == part) sum += between(e.nodes[0], e.nodes[1]);
  for (const auto& e : model.line_elements)
    for (std::size_t k = 0; k < 3 && e.part == part; ++k) sum += between(e.nodes[k], e.nodes[k + 1]);
  return sum;
}

/// Made too short by what the force would stretch them.
void shorten(LoadBuilder& b, model::Action& action, const LoadSpec& l) {
  for (const int p : lines_of(b, l, "pretension")) {
    const auto& part = b.model().parts[base::at(p)];
    const double stiffness =
        b.model().materials[base::at(part.material)].youngs_modulus * b.model().profiles[base::at(part.profile)].area;
    action.temperatures.push_back({p, 0, -l.amount / stiffness});
  }
  add_misfits(b, action, l, 0, l.amount);
  action.notes.push_back(
      fmt::format("pretension of {:.6g} in {} while its ends stay fixed; the loss by displacement of the ends is "
                  "lost; no resultant",
                  l.amount, l.names()));
}

/// Each too long by so much when nothing acts on it.
void misfit(LoadBuilder& b, model::Action& action, const LoadSpec& l) {
  for (const int p : lines_of(b, l, "lack of fit"))
    action.temperatures.push_back({p, 0, l.amount / length_of(b.model(), p)});
  add_misfits(b, action, l, l.amount, 0);
  action.notes.push_back(fmt::format("{} made {:.6g} {} too {}, each; no resultant", l.names(), std::abs(l.amount),
                                     b.study().units.length, l.amount < 0 ? "short" : "long"));
}

/// A free strain of lines, by the word of the study.
class InLines final : public LoadKind {
 public:
  using Put = void (*)(LoadBuilder&, model::Action&, const LoadSpec&);
  InLines(const char* word, Put put) : word_(word), put_(put) {}
  const char* word() const override { return word_; }
  void read(Keys& keys, LoadSpec& l, const Units&) const override {
    read_parts(keys, l);
    l.amount = keys.number("value");
  }
  void build(LoadBuilder& b, model::Action& action, const LoadSpec& l) const override { put_(b, action, l); }

 private:
  const char* word_;
  Put put_;
};
}  // namespace

const LoadKind& pretension_kind() {
  static const InLines kind("pretension", shorten);
  return kind;
}
const LoadKind& lack_of_fit_kind() {
  static const InLines kind("lack-of-fit", misfit);
  return kind;
}

}  // namespace archway::study::detail
