#pragma once
/// Everything of the room `imperfection`: imperfect geometry.
#include "archway/imperfection/mode_shape.hpp"
