#pragma once
#include <string>

#include "archway/analysis/vocabulary.hpp"

namespace archway::algebra {
class Factorisation;
struct SymmetricMatrix;
}  // namespace archway::algebra

namespace archway::analysis {

/// A displacement that nothing resists.
struct Mechanism {
  bool exists = false;
  std::string description;       ///< "the whole structure can rotate about an axis through ... along ..."
  Eigen::VectorXd displacement;  ///< full, largest translation (or rotation) = 1
};

/// Looks for a mechanism of the unloaded structure: inverse iteration on the scaled stiffness; a displacement counts as
/// free when its energy is below 1e-13 of the scaled stiffness. The factorisation holds the stiffness afterwards when
/// there is none.
Mechanism find_mechanism(const System& system, const algebra::SymmetricMatrix& stiffness,
                         algebra::Factorisation& factorisation);

/// The quick look: a piece of the structure that hangs together and can move as a whole, by its supports and springs
/// to the ground alone. Nothing is factorised; hinges and slides inside the structure go unseen.
Mechanism find_mechanism(const model::Model& model);

}  // namespace archway::analysis
