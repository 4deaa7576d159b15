#pragma once
#include <array>
#include <memory>
#include <optional>

#include "archway/model/model.hpp"
#include "canvas/canvas_detail.hpp"

namespace archway::report::detail {

/// More arrows than this would cover the structure: some are omitted then.
constexpr std::size_t kMostArrows = 350;

/// A piece of a force diagram: places on a member and how far the diagram is off there, in the model's lengths.
struct Ordinates {
  std::vector<Eigen::Vector3d> place, tip;
  bool pressed = false;  ///< drawn in the other colour
};
/// A short line with a letter at its end, the same length on paper wherever it is.
struct AxisMark {
  Eigen::Vector3d place, direction;
  std::string letter;
  Colour colour;
};

/// Named shares of a whole, drawn as one bar of stacked pieces; a negative share is reported in words only.
struct StackedBar {
  std::string label;
  std::vector<std::pair<std::string, double>> shares;
};

/// A structure with a displacement and a value at every node.
struct MeshPicture {
  std::string title, subtitle, legend;  ///< legend: what the colours show, with unit
  const model::Model* model = nullptr;
  std::shared_ptr<const model::Model> kept{};             ///< owns the model, where nobody else does
  std::optional<base::Mat3> view{};                       ///< see view_axes; nothing: that
  Eigen::VectorXd displacement;                           ///< full: 6 values a node
  double scale = 1;                                       ///< times the displacement
  std::vector<double> value;                              ///< one a node; empty: plain grey
  std::vector<double> face_value{};                       ///< one a shell element, instead of those of its nodes
  std::vector<int> marks{};                               ///< nodes to mark
  std::vector<std::pair<int, Eigen::Vector3d>> arrows{};  ///< forces at nodes, drawn with their points on the node
  bool tell_extremes = false;  ///< mark the largest value (signed: and the least) with number and place
  double signed_up_to = 0;     ///< above zero: values are signed, coloured from minus this to this
  bool grey_faces = false;     ///< the values are those of members alone
  bool free_edges = false;     ///< drawn thick
  std::vector<Ordinates> diagram{};
  std::vector<AxisMark> axes{};
  std::vector<StackedBar> bars{};  ///< below the structure
};
void draw(Canvas& canvas, const MeshPicture& picture, int width, int height);
/// Bars one over the other at the bottom of a sheet.
void draw_bars(Canvas& canvas, const std::vector<StackedBar>& bars, int height);

/// Pieces of lines in space.
using LineNet = std::vector<std::array<Eigen::Vector3d, 2>>;
/// Obstacles, as far as something may touch them; of surfaces of very many triangles nothing.
LineNet obstacle_lines(const model::Model& model);

/// Edges of outer faces that belong to one face, or to a fold.
std::vector<std::pair<int, int>> outline(const model::Model& model);
/// Columns right, up, towards the viewer. Flat structures are seen square on, others from the front, side and above.
base::Mat3 view_axes(const model::Model& model);

/// Several pictures side by side, subtitles as captions, without scales.
struct Sheet {
  std::string title, subtitle;
  std::vector<MeshPicture> cells;  ///< up to twelve
  int columns = 0;                 ///< 0: as many as suit the number of cells
  std::string legend;              ///< of the colours of all cells, which share one range; empty: none
};
void draw(Canvas& canvas, const Sheet& sheet, int width, int height);

}  // namespace archway::report::detail
