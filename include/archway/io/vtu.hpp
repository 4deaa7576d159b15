#pragma once
#include <string>
#include <utility>
#include <vector>

#include "archway/model/model.hpp"

namespace archway::io {

/// One array of a VTU file, `components` values a point or cell.
struct VtuField {
  std::string name;
  int components = 1;
  std::vector<double> values;
};

/// An unstructured grid of the VTK file format: four-node cells for shells, three straight pieces for every beam
/// element. Compressed binary (zlib blocks, 64-bit headers). Cell order: shell elements, then beam pieces.
std::string vtu(const model::Model& model, const std::vector<VtuField>& point_fields,
                const std::vector<VtuField>& cell_fields);
/// A collection of VTU files over a series. \param files  (value of the series, file name relative to the pvd)
std::string pvd(const std::vector<std::pair<double, std::string>>& files);

}  // namespace archway::io
