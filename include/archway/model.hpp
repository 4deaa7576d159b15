#pragma once
/// Everything of the room `model`: what the user describes.
#include "archway/model/contact.hpp"
#include "archway/model/cut.hpp"
#include "archway/model/joints.hpp"
#include "archway/model/mesh.hpp"
#include "archway/model/mesh_check.hpp"
#include "archway/model/mesh_lines.hpp"
#include "archway/model/model.hpp"
#include "archway/model/obstacle.hpp"
#include "archway/model/panel_area.hpp"
#include "archway/model/selection.hpp"
#include "archway/model/surface.hpp"
#include "archway/model/touching.hpp"
