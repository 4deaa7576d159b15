#include <algorithm>
#include <cmath>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "archway/elements/outline.hpp"
#include "archway/model/surface.hpp"
#include "archway/report/figures.hpp"
#include "archway/study/comparison.hpp"
#include "archway/study/verdicts.hpp"
#include "canvas/canvas_detail.hpp"
#include "moving_modes_page.hpp"
#include "pictures/mesh_picture_detail.hpp"
#include "text/text_detail.hpp"

namespace archway::report {

namespace {
using nlohmann::ordered_json;
constexpr int kMostNodes = 200000;

template <class T>
std::string packed(const std::vector<T>& values) {
  return detail::base64(std::string(reinterpret_cast<const char*>(values.data()), values.size() * sizeof(T)));
}

/// Nodes of members and the corners of the sections there, as points behind the nodes of the model.
struct Corners {
  std::vector<std::pair<int, base::Vec3>> points;  // node, arm
  std::vector<std::pair<int, int>> lines;          // points of the page
  explicit Corners(const model::Model& model) {
    const elements::Outline outline(model);
    std::vector<int> first(model.nodes.size(), -1);
    const auto place = [&](int n) {
      int& at = first[static_cast<std::size_t>(n)];
      if (at >= 0) return at;
      at = model.node_count() + static_cast<int>(points.size());
      const auto& arms = outline.corners(n);
      for (std::size_t k = 0; k < arms.size(); ++k) {
        points.emplace_back(n, arms[k].arm);
        lines.emplace_back(at + static_cast<int>(k), at + static_cast<int>((k + 1) % arms.size()));
      }
      return at;
    };
    for (const auto& e : model.line_elements)
      for (std::size_t k = 0; k < 3; ++k) {
        const int a = place(e.nodes[k]), b = place(e.nodes[k + 1]);
        const std::size_t count = std::min(outline.corners(e.nodes[k]).size(), outline.corners(e.nodes[k + 1]).size());
        for (std::size_t c = 0; c < count; ++c) lines.emplace_back(a + static_cast<int>(c), b + static_cast<int>(c));
      }
  }
};

ordered_json model_part(const model::Model& model) {
  const Corners sections(model);
  std::vector<float> places;
  base::Vec3 low = model.nodes[0], high = low;
  for (const auto& n : model.nodes) {
    low = low.cwiseMin(n), high = high.cwiseMax(n);
    for (int k = 0; k < 3; ++k) places.push_back(static_cast<float>(n[k]));
  }
  for (const auto& [node, arm] : sections.points)
    for (int k = 0; k < 3; ++k)
      places.push_back(static_cast<float>(model.nodes[static_cast<std::size_t>(node)][k] + arm[k]));
  std::vector<std::uint32_t> triangles, edges, lines;
  const auto add = [](std::vector<std::uint32_t>& to, std::initializer_list<int> nodes) {
    for (const int n : nodes) to.push_back(static_cast<std::uint32_t>(n));
  };
  for (const auto& facet : model::outer_facets(model)) {
    const auto corners = static_cast<std::size_t>(facet.corners());
    std::vector<int> around;
    for (std::size_t k = 0; k < corners; ++k) {
      around.push_back(facet.nodes[k]);
      if (facet.nodes.size() > 4) around.push_back(facet.nodes[k + 4]);
    }
    for (std::size_t k = 1; k + 1 < around.size(); ++k) add(triangles, {around[0], around[k], around[k + 1]});
  }
  for (const auto& [a, b] : detail::outline(model)) add(edges, {a, b});
  for (const auto& e : model.line_elements)
    for (std::size_t k = 0; k < 3; ++k) add(lines, {e.nodes[k], e.nodes[k + 1]});
  for (const auto& b : model.bar_elements) add(lines, {b.nodes[0], b.nodes[1]});
  for (const auto& [a, b] : sections.lines) add(edges, {a, b});
  const base::Vec3 middle = 0.5 * (low + high);
  return {{"places", packed(places)},    {"triangles", packed(triangles)},
          {"outline", packed(edges)},    {"lines", packed(lines)},
          {"size", (high - low).norm()}, {"middle", {middle.x(), middle.y(), middle.z()}}};
}

std::string shape_of(const model::Model& model, const Eigen::VectorXd& shape) {
  const Corners corners(model);
  std::vector<base::Vec3> moves;
  for (Eigen::Index n = 0; n < shape.size(); n += model::kNodeDofs) moves.emplace_back(shape.segment<3>(n));
  for (const auto& [node, arm] : corners.points)
    moves.push_back(moves[static_cast<std::size_t>(node)] +
                    Eigen::Vector3d(shape.segment<3>(model::row(node) + 3)).cross(arm));
  double most = 0;
  for (const auto& m : moves) most = std::max(most, m.norm());
  std::vector<std::int16_t> values;
  for (const auto& m : moves)
    for (Eigen::Index k = 0; k < 3; ++k)
      values.push_back(static_cast<std::int16_t>(std::lround(32767 * m[k] / std::max(most, 1e-300))));
  return packed(values);
}

ordered_json mode_part(const study::AnalysisOutcome& o, std::size_t m, std::size_t model) {
  const auto& mode = o.buckling->modes[m];
  const double critical = study::total_load(o, mode.load_factor);
  ordered_json j = {{"analysis", o.spec.name},
                    {"structure", study::to_text(o.spec.variant)},
                    {"number", m + 1},
                    {"factor", fmt::format("{:.6g}", mode.load_factor)},
                    {"critical", std::isfinite(critical) ? fmt::format("{:.6g}", critical) : "-"},
                    {"note", mode.repeated        ? "one of a pair"
                             : mode.close_to_next ? "close to the next"
                                                  : ""},
                    {"error", ""},
                    {"words", ""},
                    {"model", model},
                    {"shape", shape_of(*o.geometry, mode.shape)}};
  if (m < o.readings.size()) {
    const auto& r = o.readings[m];
    j["error"] = detail::percent(r.mesh_error);
    std::string words = study::mode_in_words(*o.model, r);
    if (r.load_shares.size() > 1) {
      words += "; driven by";
      for (std::size_t t = 0; t < r.load_shares.size(); ++t)
        words += fmt::format("{} {} {:.0f} %", t == 0 ? "" : ",",
                             o.model->actions[static_cast<std::size_t>(o.variable.terms[t].first)].name,
                             100 * r.load_shares[t]);
    }
    j["words"] = words;
  }
  return j;
}
}  // namespace

std::string moving_modes_page(const study::StudyResult& result, int most_modes) {
  ordered_json data;
  data["title"] = result.spec.title;
  data["force"] = result.spec.units.force;
  data["models"] = ordered_json::array();
  data["modes"] = ordered_json::array();
  for (int k = 0; k <= 16; ++k) {
    const auto colour = detail::scale_colour(k / 16.0);
    for (const double part : {colour.r, colour.g, colour.b}) data["ramp"].push_back(std::round(1e4 * part) / 1e4);
  }
  std::vector<const model::Model*> models;
  for (const auto& o : result.outcomes) {
    if (!o.buckling || o.buckling->modes.empty() || o.geometry->node_count() > kMostNodes) continue;
    const auto at = std::find(models.begin(), models.end(), o.geometry.get());
    const auto number = static_cast<std::size_t>(at - models.begin());
    if (at == models.end()) {
      models.push_back(o.geometry.get());
      data["models"].push_back(model_part(*o.geometry));
    }
    const std::size_t count = std::min(o.buckling->modes.size(), static_cast<std::size_t>(std::max(0, most_modes)));
    for (std::size_t m = 0; m < count; ++m) data["modes"].push_back(mode_part(o, m, number));
  }
  if (data["modes"].empty()) return "";
  const base::Mat3 axes = detail::view_axes(*models[0]).transpose();
  for (int column = 0; column < 4; ++column)  // a 4 x 4 matrix, column by column
    for (int row = 0; row < 4; ++row)
      data["axes"].push_back(row < 3 && column < 3 ? axes(row, column) : row == column ? 1.0 : 0.0);
  std::string page = detail::kMovingModesPage,
              text = data.dump(-1, ' ', true, nlohmann::json::error_handler_t::replace);
  for (std::size_t k = text.find("</"); k != std::string::npos; k = text.find("</", k + 3)) text.insert(k + 1, 1, '\\');
  const std::string mark = "@DATA@";
  return page.replace(page.find(mark), mark.size(), text);
}

}  // namespace archway::report
