#pragma once
/// Everything of the room `theory`: sections and hand formulas.
#include "archway/theory/beams.hpp"
#include "archway/theory/catalogue.hpp"
#include "archway/theory/columns.hpp"
#include "archway/theory/formulas.hpp"
#include "archway/theory/frames.hpp"
#include "archway/theory/knock_down.hpp"
#include "archway/theory/laminate.hpp"
#include "archway/theory/plates.hpp"
#include "archway/theory/section.hpp"
#include "archway/theory/shells.hpp"
