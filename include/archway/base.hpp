#pragma once
/// Everything of the room `base`: errors, dense decompositions, indices, rotations, shape functions, executor.
#include "archway/base/chosen.hpp"
#include "archway/base/dense.hpp"
#include "archway/base/disjoint_sets.hpp"
#include "archway/base/errors.hpp"
#include "archway/base/executor.hpp"
#include "archway/base/fields.hpp"
#include "archway/base/index.hpp"
#include "archway/base/memory.hpp"
#include "archway/base/rotation.hpp"
#include "archway/base/shape_functions.hpp"
