#pragma once
#include "archway/model/model.hpp"

namespace archway::model {

/// A line that a plane cuts out of a panel.
struct CutLine {
  Vec3 from = Vec3::Zero(), to = Vec3::Zero();
  double thickness = 0;
  std::string part;
};

/// Cuts all panels with a plane through `point`; lines at nodes that share an edge share their ends exactly.
/// \param normal  any length above 0
std::vector<CutLine> cut(const Model& model, const Vec3& point, const Vec3& normal);

}  // namespace archway::model
