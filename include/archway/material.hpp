#pragma once
/// Everything of the room `material`: laws, walls, cross-sections, curves.
#include "archway/material/cross_section.hpp"
#include "archway/material/law.hpp"
#include "archway/material/logarithmic.hpp"
#include "archway/material/stress_strain.hpp"
#include "archway/material/wall.hpp"
