#include <algorithm>

#include "archway/analysis/system.hpp"
#include "archway/elements/obstacle.hpp"
#include "archway/elements/surface_contact.hpp"
#include "newton/equilibrium_detail.hpp"

/// Which contacts of a state are closed, with which gaps and forces, and how one of them is closed or released.
namespace archway::analysis::detail {

std::vector<Equilibrium::Touching> Equilibrium::touching(const State& state, const elements::Memory& memory) const {
  const auto& geometry = system_.geometry();
  const auto& touches = geometry.touches();
  std::vector<Touching> list;
  const auto trial = geometry.trial(state, &memory, touches);
  for (int t = 0; t < touches.size(); ++t) {
    const auto one = touches.contact(trial, t);
    list.push_back({one.gap, one.normal_force, true});
  }
  if (!geometry.surfaces().empty())
    for (const auto& knot : geometry.surfaces().touches(geometry.surface_trial(state, memory)))
      list.push_back({knot.gap, knot.force, knot.weight > 0});
  return list;
}

namespace {
constexpr double kLittle = 1e-9;  // of the structure's size: what an open contact must close by to be felt again

/// Changes what is remembered of one contact: `change` gets whose it is, its number there and the block of memory.
template <typename Change>
std::shared_ptr<const elements::Memory> changed(const Geometry& geometry, const elements::Memory& memory,
                                                std::size_t which, const Change& change) {
  const auto nodes = static_cast<std::size_t>(geometry.touches().size());
  auto next = std::make_shared<elements::Memory>(memory);
  if (which < nodes)
    change(geometry.touches(), static_cast<int>(which), (*next)[geometry.sets().size() - 1]);
  else
    change(geometry.surfaces(), static_cast<int>(which - nodes), geometry.surface_knots(*next));
  return next;
}
}  // namespace

std::shared_ptr<const elements::Memory> Equilibrium::without_contact(const elements::Memory& memory,
                                                                     std::size_t which) const {
  const double little = kLittle * system_.model().size();
  return changed(system_.geometry(), memory, which,
                 [&](const auto& of, int number, auto& block) { of.release(number, little, block); });
}

std::shared_ptr<const elements::Memory> Equilibrium::with_contact(const elements::Memory& memory, std::size_t which,
                                                                  double gap) const {
  const double held = std::max(gap, 1e-3 * kLittle * system_.model().size());
  return changed(system_.geometry(), memory, which,
                 [&](const auto& of, int number, auto& block) { of.hold(number, held, block); });
}

bool Equilibrium::touch_alike(const Point& a, const Point& b) const {
  if (a.memory == nullptr || b.memory == nullptr) return true;
  const auto one = touching(a.state, *a.memory), other = touching(b.state, *b.memory);
  return std::equal(one.begin(), one.end(), other.begin(),
                    [](const auto& m, const auto& n) { return (m.force > 0) == (n.force > 0); });
}

}  // namespace archway::analysis::detail
