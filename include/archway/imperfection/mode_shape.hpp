#pragma once
#include "archway/model/model.hpp"

namespace archway::imperfection {

using base::Vec3;

/// A geometric imperfection: movement of every node, free of stress.
struct Imperfection {
  std::vector<Vec3> movement;   ///< one a node
  double largest = 0;           ///< largest movement of a node, length
  double root_mean_square = 0;  ///< over all nodes, length
};

/// One term of a mix of shapes.
struct ShapeTerm {
  const Eigen::VectorXd* shape = nullptr;  ///< full, 6 values a node; only translations are used
  double factor = 1;                       ///< share in the mix, after every shape is scaled to largest translation 1
};

/// Mix of mode shapes, scaled so that the largest movement is |amplitude|; a negative amplitude turns it round. The raw
/// sizes of the shapes do not matter.
/// \throws base::InputError when the mix is zero everywhere
Imperfection from_shapes(const model::Model& model, const std::vector<ShapeTerm>& terms, double amplitude);

/// The model with its nodes moved. Directors, section axes and lengths are made from the moved nodes, without stress.
model::Model apply(const model::Model& model, const Imperfection& imperfection);

}  // namespace archway::imperfection
