#include "archway/analysis/reactions.hpp"

#include <map>
#include <set>

#include "archway/model/model.hpp"

namespace archway::analysis {

std::vector<SupportReaction> reactions_by_support(const model::Model& model, const Eigen::VectorXd& reactions,
                                                  const std::vector<std::array<double, 6>>& spring_forces) {
  std::map<std::string, SupportReaction> sums;
  std::map<std::string, std::set<int>> nodes;
  // what several supports hold they share alike, whatever their order
  std::map<std::pair<int, int>, std::set<std::string>> holders;
  for (const auto& s : model.supports) {
    sums[s.name];
    nodes[s.name].insert(s.node);
    if (s.dof < model::warp) holders[{s.node, s.dof}].insert(s.name);
  }
  for (const auto& [held, names] : holders)
    for (const auto& name : names) {
      const auto [node, dof] = held;
      (dof < 3 ? sums[name].force : sums[name].moment)[dof % 3] +=
          reactions[model::row(node) + dof] / static_cast<double>(names.size());
    }
  for (std::size_t k = 0; k < spring_forces.size(); ++k) {
    const auto& spring = model.springs[k];
    if (spring.second >= 0) continue;
    auto& sum = sums[spring.name];
    nodes[spring.name].insert(spring.first);
    sum.force -= spring.axes * Vec3(spring_forces[k].data());
    sum.moment -= spring.axes * Vec3(spring_forces[k].data() + 3);
  }
  std::vector<SupportReaction> list;
  for (auto& [name, sum] : sums) {
    sum.name = name;
    sum.nodes = static_cast<int>(nodes[name].size());
    list.push_back(sum);
  }
  return list;
}

}  // namespace archway::analysis
