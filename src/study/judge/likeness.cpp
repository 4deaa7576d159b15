#include "archway/study/likeness.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <unordered_map>

#include "archway/base/dense.hpp"
#include "archway/elements/outline.hpp"

namespace archway::study {

namespace {
using Eigen::MatrixXd;
using Eigen::VectorXd;
constexpr double kTogether = 1e-3;  ///< relative distance of factors that count as equal
constexpr int kFarCells = 4;        ///< cells, each about two elements wide, in which a node is looked for
constexpr double kAlike = 0.25;     ///< least MAC of a match

/// Nodes of a model by cells of space, to find the nearest ones.
class Cells {
 public:
  explicit Cells(const model::Model& model) : nodes_(model.nodes) {
    size_ =
        std::max(1e-300, 2 * model.size() / std::sqrt(static_cast<double>(std::max<std::size_t>(1, nodes_.size()))));
    for (std::size_t n = 0; n < nodes_.size(); ++n) cells_[key(cell(nodes_[n]))].push_back(static_cast<int>(n));
  }
  /// The nearest nodes with weights that fall with the square of the distance; at most four. None within a few cells:
  /// empty, since what is so far away says nothing of this place.
  std::vector<std::pair<int, double>> near(const Vec3& x) const {
    std::vector<std::pair<double, int>> found;
    const auto c = cell(x);
    for (int reach = 1; found.empty() && reach <= kFarCells; reach *= 2)
      for (int i = -reach; i <= reach; ++i)
        for (int j = -reach; j <= reach; ++j)
          for (int k = -reach; k <= reach; ++k) {
            const auto at = cells_.find(key({c[0] + i, c[1] + j, c[2] + k}));
            if (at == cells_.end()) continue;
            for (const int n : at->second) found.emplace_back((nodes_[static_cast<std::size_t>(n)] - x).norm(), n);
          }
    std::sort(found.begin(), found.end());
    std::vector<std::pair<int, double>> weights;
    double sum = 0;
    const double close = found.empty() ? 0 : 1e-3 * size_ + found[0].first * 1e-2;
    for (std::size_t k = 0; k < std::min<std::size_t>(4, found.size()); ++k) {
      const double weight = 1 / (found[k].first * found[k].first + close * close);
      weights.emplace_back(found[k].second, weight);
      sum += weight;
    }
    for (auto& [node, weight] : weights) weight /= sum;
    return weights;
  }

 private:
  std::array<int, 3> cell(const Vec3& x) const {
    return {static_cast<int>(std::floor(x[0] / size_)), static_cast<int>(std::floor(x[1] / size_)),
            static_cast<int>(std::floor(x[2] / size_))};
  }
  static std::uint64_t key(const std::array<int, 3>& c) {
    std::uint64_t k = 0;
    for (const int i : c) k = k << 21 | (static_cast<std::uint64_t>(i + (1 << 20)) & 0x1fffff);
    return k;
  }
  const std::vector<Vec3>& nodes_;
  double size_;
  std::unordered_map<std::uint64_t, std::vector<int>> cells_;
};

/// Displacements of `modes` at the nodes of `at` and at the corners of the sections there, one mode a column.
MatrixXd displacements(const model::Model& at, const model::Model& model, const std::vector<analysis::Mode>& modes) {
  const bool same = &at == &model;
  const Cells cells(model);
  const elements::Outline outline(at);
  std::vector<std::vector<double>> columns(modes.size());
  for (int n = 0; n < at.node_count(); ++n) {
    const auto near =
        same ? std::vector<std::pair<int, double>>{{n, 1.0}} : cells.near(at.nodes[static_cast<std::size_t>(n)]);
    for (std::size_t m = 0; m < modes.size(); ++m) {
      Eigen::Matrix<double, 6, 1> here = Eigen::Matrix<double, 6, 1>::Zero();
      for (const auto& [node, weight] : near) here += weight * modes[m].shape.segment<6>(model::row(node));
      outline.append(here, n, columns[m]);
    }
  }
  MatrixXd out(static_cast<Eigen::Index>(columns[0].size()), static_cast<Eigen::Index>(modes.size()));
  for (std::size_t m = 0; m < modes.size(); ++m)
    out.col(static_cast<Eigen::Index>(m)) = VectorXd::Map(columns[m].data(), out.rows());
  return out;
}
}  // namespace

std::vector<ModeMatch> match_modes(const model::Model& model, const std::vector<analysis::Mode>& modes,
                                   const model::Model& other_model, const std::vector<analysis::Mode>& others) {
  std::vector<ModeMatch> list(modes.size());
  for (std::size_t m = 0; m < modes.size(); ++m) {
    list[m].mode = static_cast<int>(m);
    list[m].load_factor = modes[m].load_factor;
  }
  if (modes.empty() || others.empty()) return list;
  const MatrixXd own = displacements(model, model, modes), theirs = displacements(model, other_model, others);
  // groups of equal factors, each with an orthonormal basis
  for (std::size_t from = 0; from < others.size();) {
    std::size_t to = from + 1;
    while (to < others.size() &&
           others[to].load_factor - others[to - 1].load_factor <= kTogether * others[to].load_factor)
      ++to;
    const auto first = static_cast<Eigen::Index>(from), size = static_cast<Eigen::Index>(to - from);
    const MatrixXd basis = base::orthonormal_columns(theirs.middleCols(first, size), size);
    for (std::size_t m = 0; m < modes.size(); ++m) {
      const VectorXd x = own.col(static_cast<Eigen::Index>(m)).normalized();
      const VectorXd parts = basis.transpose() * x;
      if (parts.squaredNorm() <= list[m].likeness) continue;
      list[m].likeness = std::min(1.0, parts.squaredNorm());
      // within the group: the one whose own shape is nearest
      Eigen::Index best = 0;
      (theirs.middleCols(first, size).colwise().normalized().transpose() * x).cwiseAbs().maxCoeff(&best);
      list[m].other = static_cast<int>(first + best);
      list[m].other_load_factor = others[static_cast<std::size_t>(list[m].other)].load_factor;
    }
    from = to;
  }
  for (auto& match : list)
    if (match.likeness < kAlike) match.other = -1, match.other_load_factor = analysis::kUnset;
  return list;
}

std::vector<double> extrapolated(const model::Model& model, const std::vector<analysis::ModeReading>& readings,
                                 const SecondMesh& second) {
  std::vector<double> list;
  for (std::size_t m = 0; m < second.modes.size(); ++m) {
    const double f1 = second.modes[m].load_factor, f2 = second.modes[m].other_load_factor;
    const int order = m < readings.size() ? analysis::error_order(model, readings[m].leading_part) : 2;
    list.push_back(f2 + (f2 - f1) / (std::pow(second.refine, order) - 1));
  }
  return list;
}

namespace {
/// Constant and variable loads are the same, so that load factors are for the same thing.
bool same_loads(const AnalysisOutcome& a, const AnalysisOutcome& b) {
  const auto alike = [&](const model::Combination& x, const model::Combination& y) {
    const auto terms = [](const AnalysisOutcome& o, const model::Combination& c) {
      std::map<std::string, double> list;
      for (const auto& [action, factor] : c.terms)
        list[o.model->actions[static_cast<std::size_t>(action)].name] += factor;
      return list;
    };
    return terms(a, x) == terms(b, y);
  };
  return alike(a.constant, b.constant) && alike(a.variable, b.variable);
}
}  // namespace

std::vector<ShapeComparison> compare_shapes(const StudyResult& result) {
  std::vector<ShapeComparison> list;
  const AnalysisOutcome* first = nullptr;
  for (const auto& outcome : result.outcomes) {
    if (!outcome.buckling || outcome.buckling->modes.empty()) continue;
    if (first == nullptr) {
      first = &outcome;
      continue;
    }
    const auto* like = result.find(outcome.spec.like);
    const auto& with = like != nullptr && like->buckling && !like->buckling->modes.empty() ? *like : *first;
    list.push_back({outcome.spec.name, with.spec.name,
                    match_modes(*outcome.model, outcome.buckling->modes, *with.model, with.buckling->modes),
                    same_loads(outcome, with)});
  }
  return list;
}

}  // namespace archway::study
