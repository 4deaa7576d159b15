#pragma once
#include <fmt/format.h>

#include "archway/base/errors.hpp"
#include "archway/model/mesh.hpp"

/// What all mesh makers use.
namespace archway::model::mesh_detail {

inline int add_node(Model& model, const Vec3& position) {
  model.nodes.push_back(position);
  return model.node_count() - 1;
}

inline int add_part(Model& model, const Part& part) {
  model.parts.push_back(part);
  return static_cast<int>(model.parts.size()) - 1;
}

inline void require_divisions(int count, const char* what) {
  if (count < 1) throw base::InputError("", fmt::format("{} is {}", what, count), "use at least 1");
}

/// Shell elements on a grid of nodes, at(i, j) its numbers: i runs along the first side, normal = first x second.
template <class At>
void add_faces(Model& model, const At& at, int rows, int columns, int part, Faces faces) {
  const int step = faces == Faces::nine ? 2 : 1;
  for (int i = 0; i < rows; i += step)
    for (int j = 0; j < columns; j += step) {
      const int a = at(i, j), b = at(i + step, j), c = at(i + step, j + step), d = at(i, j + step);
      if (faces == Faces::four) model.shell_elements.emplace_back(std::array<int, 4>{a, b, c, d}, part);
      if (faces == Faces::nine)
        model.shell_elements.emplace_back(std::array<int, 9>{a, b, c, d, at(i + 1, j), at(i + 2, j + 1),
                                                             at(i + 1, j + 2), at(i, j + 1), at(i + 1, j + 1)},
                                          part);
      if (faces != Faces::three) continue;
      const bool other = (i + j) % 2 != 0;
      model.shell_elements.emplace_back(other ? std::array<int, 3>{a, b, d} : std::array<int, 3>{a, b, c}, part);
      model.shell_elements.emplace_back(other ? std::array<int, 3>{b, c, d} : std::array<int, 3>{a, c, d}, part);
    }
}

}  // namespace archway::model::mesh_detail
