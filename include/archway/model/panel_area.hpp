#pragma once
#include "archway/model/model.hpp"

namespace archway::model {

/// Of a shell element through its corners; of a warped quadrilateral that of its mean plane.
double area(const Model& model, const ShellElement& element);

}  // namespace archway::model
