#pragma once
#include "archway/model/model.hpp"
#include "canvas_detail.hpp"

namespace archway::report::detail {

/// A structure with a movement and a value at every node.
struct MeshPicture {
  std::string title, subtitle, legend;  ///< legend: what the colours show, with unit
  const model::Model* model = nullptr;
  Eigen::VectorXd movement;   ///< full: 6 values a node
  double scale = 1;           ///< times the movement
  std::vector<double> value;  ///< one a node
};
void draw(Canvas& canvas, const MeshPicture& picture, int width, int height);

}  // namespace archway::report::detail
