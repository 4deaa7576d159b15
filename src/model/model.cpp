#include "archway/model/model.hpp"

#include <fmt/format.h>

#include "archway/base/errors.hpp"

namespace archway::model {

const std::array<const char*, 7> kDofNames = {"x", "y", "z", "rx", "ry", "rz", "warp"};
const std::array<std::array<int, 8>, 6> kSolidFaces = {{{0, 3, 2, 1, 11, 10, 9, 8},
                                                        {4, 5, 6, 7, 12, 13, 14, 15},
                                                        {0, 1, 5, 4, 8, 17, 12, 16},
                                                        {1, 2, 6, 5, 9, 18, 13, 17},
                                                        {2, 3, 7, 6, 10, 19, 14, 18},
                                                        {3, 0, 4, 7, 11, 16, 15, 19}}};

namespace {
template <class Named>
int index_of(const std::vector<Named>& list, const std::string& name) {
  for (std::size_t i = 0; i < list.size(); ++i)
    if (list[i].name == name) return static_cast<int>(i);
  return -1;
}
}  // namespace

int Model::action_index(const std::string& name) const {
  return index_of(actions, name);
}
int Model::combination_index(const std::string& name) const {
  return index_of(combinations, name);
}

Combination Model::load_named(const std::string& name) const {
  if (const int i = combination_index(name); i >= 0) return combinations[static_cast<std::size_t>(i)];
  if (const int i = action_index(name); i >= 0) return {name, {{i, 1.0}}};
  std::vector<std::string> known;
  for (const auto& combination : combinations) known.push_back(combination.name);
  for (const auto& action : actions) known.push_back(action.name);
  throw base::InputError("", fmt::format("there is no action or combination named '{}'", name),
                         base::suggestion(name, known));
}

Vec3 Model::middle(const ShellElement& element) const {
  Vec3 sum = Vec3::Zero();
  for (int k = 0; k < element.corners(); ++k)
    sum += nodes[static_cast<std::size_t>(element.nodes[static_cast<std::size_t>(k)])];
  return sum / element.corners();
}

double Model::size() const {
  if (nodes.empty()) return 0;
  Vec3 low = nodes.front(), high = nodes.front();
  for (const auto& node : nodes) {
    low = low.cwiseMin(node);
    high = high.cwiseMax(node);
  }
  return (high - low).maxCoeff();
}

int Model::profile_at(const LineElement& element, Station station) const {
  const auto own = [&] {
    switch (station) {
      case Station::start:
        return element.end_profiles[0];
      case Station::first_gauss:
        return element.profiles[0];
      case Station::middle:
        return element.profiles[1];
      case Station::last_gauss:
        return element.profiles[2];
      case Station::end:
        return element.end_profiles[1];
    }
    return -1;
  }();
  return own >= 0 ? own : parts[static_cast<std::size_t>(element.part)].profile;
}

namespace {
double largest(const Eigen::VectorXd& full, Eigen::Index offset) {
  double most = 0;
  for (Eigen::Index n = 0; n < full.size(); n += kNodeDofs) most = std::max(most, full.segment<3>(n + offset).norm());
  return most;
}
}  // namespace
double largest_translation(const Eigen::VectorXd& full) {
  return largest(full, 0);
}
double largest_rotation(const Eigen::VectorXd& full) {
  return largest(full, 3);
}

}  // namespace archway::model
