#pragma once
#include "archway/model/model.hpp"

namespace archway::imperfection {

using base::Vec3;

/// A geometric imperfection: displacement of every node, free of stress.
struct Imperfection {
  std::vector<Vec3> displacement;  ///< one a node
  std::vector<Vec3> rotation;   ///< one a node, rotation vector; what of it is about a member's axis twists the member
  std::vector<double> thicker;  ///< of the walls, one a shell element; empty: walls are as they are
  /// Largest displacement of the outline (elements::Outline), length; where only walls change: largest change.
  double largest = 0;
  double root_mean_square = 0;     ///< of the same, by the area, length or volume that belongs to it
  std::vector<double> amplitudes;  ///< of each term of the mix by itself, length
};

/// Displacements and rotations as a full vector.
Eigen::VectorXd full_of(const Imperfection& imperfection);

/// One term of a mix of shapes.
struct ShapeTerm {
  const Eigen::VectorXd* shape = nullptr;  ///< full
  double factor = 1;                       ///< share in the mix, after every shape is scaled to largest displacement 1
};

/// Mix of mode shapes, scaled so that the largest displacement is |amplitude|; a negative amplitude flips it round. The
/// raw sizes of the shapes do not matter. \throws base::InputError when the mix is zero everywhere
Imperfection from_shapes(const model::Model& model, const std::vector<ShapeTerm>& terms, double amplitude);
/// Sum of mode shapes, each with an amplitude of its own (its factor, a length); the sum is not scaled.
/// \throws base::InputError when the sum is zero everywhere
Imperfection from_amplitudes(const model::Model& model, const std::vector<ShapeTerm>& terms);

/// The model with its nodes moved, its members twisted and its walls thicker. Directors and lengths are made from the
/// moved nodes, without stress; sections stand as in the perfect structure, but for the twist. \throws base::InputError
/// naming the part and place where a wall would have nothing left
model::Model apply(const model::Model& model, const Imperfection& imperfection);

}  // namespace archway::imperfection
