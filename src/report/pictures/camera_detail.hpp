#pragma once
#include <memory>

#include "archway/study/pictures.hpp"
#include "pictures/mesh_picture_detail.hpp"

namespace archway::report::detail {

/// A face to draw: its nodes once around, middles of the edges in between when the element is curved.
struct Face {
  std::vector<int> nodes;
};
/// Outer faces; those of shell elements come first, in their order.
std::vector<Face> faces_of(const model::Model& model);

/// Columns right, up, towards the viewer, for an eye in this direction.
base::Mat3 axes_towards(const base::Vec3& eye);

/// What is seen of a displacement: a structure, where its nodes are drawn, and how much each moves (any unit).
struct Subject {
  const model::Model* model = nullptr;
  std::vector<base::Vec3> drawn;
  std::vector<double> amount;
};
/// The view in which most of what moves is seen and not hidden, the structure fills the sheet, and displacement does
/// not go to or from the eye. Another than view_axes() is taken where it is clearly better only, so that pictures of
/// like things look alike.
base::Mat3 best_view(const std::vector<Subject>& subjects);

/// A structure without the parts and the side of a plane that pictures omit; the model itself where nothing is
/// omitted. Nodes keep their numbers.
std::shared_ptr<const model::Model> shown(std::shared_ptr<const model::Model> model, const study::PictureSpec& spec);
/// Nodes that elements of the model use.
std::vector<char> used_nodes(const model::Model& model);

}  // namespace archway::report::detail
