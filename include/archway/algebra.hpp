#pragma once
/// Everything of the room `algebra`: sparse matrices, factorisations, eigenpairs.
#include "archway/algebra/eigen_pairs.hpp"
#include "archway/algebra/factorisation.hpp"
#include "archway/algebra/nearby.hpp"
#include "archway/algebra/pattern.hpp"
#include "archway/algebra/softest.hpp"
