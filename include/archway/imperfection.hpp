#pragma once
/// Everything of the room `imperfection`: imperfect geometry.
#include "archway/imperfection/measured_map.hpp"
#include "archway/imperfection/mode_shape.hpp"
#include "archway/imperfection/part_frame.hpp"
#include "archway/imperfection/shapes.hpp"
#include "archway/imperfection/standards.hpp"
