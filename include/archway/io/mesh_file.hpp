#pragma once
#include <string>

#include "archway/model/model.hpp"

namespace archway::io {

/// Open formats a mesh is read from and written to. A CSV mesh is a pair of files: NAME-nodes.csv (x,y,z) and
/// NAME-elements.csv (part, then node numbers from 1); named by NAME.csv.
enum class MeshFormat { vtu, obj, ply, stl, csv };

/// The format a file name ends in. \throws base::InputError for others
MeshFormat mesh_format(const std::string& path);

/// A mesh made elsewhere: nodes, panel, solid and bar elements, and the parts they belong to by name; nothing else of
/// the model is filled in. OBJ: groups (g, o), faces of three and four corners, lines. PLY: ascii and binary; a face
/// property `part` numbers the parts. STL: ascii and binary, triangles, corners in one place are one node. VTU:
/// ascii, base64 and raw arrays, plain and zlib; lines, triangles, quadrilaterals, nine-node quadrilaterals, bricks of
/// eight and twenty nodes; a cell array `part` and a field `part names`.
/// \throws base::InputError with the line or the array that is wrong; nothing is guessed
model::Model read_mesh(const std::string& path);

/// The same from text. \param file  for messages only; not for CSV
model::Model parse_mesh(const std::string& content, MeshFormat format, const std::string& file);
model::Model parse_mesh_csv(const std::string& nodes, const std::string& elements, const std::string& file);

/// The mesh of a model in a format, parts by name. OBJ, PLY and STL have panels only (STL splits them into triangles);
/// beams are written as bars. \throws base::InputError when the model has what the format cannot hold
std::string mesh_text(const model::Model& model, MeshFormat format);
/// The pair of a CSV mesh: nodes, elements.
std::pair<std::string, std::string> mesh_csv(const model::Model& model);
void write_mesh(const std::string& path, const model::Model& model);

/// What an analyst wants to know of a mesh from elsewhere.
struct MeshReport {
  int merged = 0;                          ///< nodes that stood in the place of others
  int free_edges = 0, branched_edges = 0;  ///< of panels: one element, more than two
  double free_length = 0;
  std::vector<int> duplicates, flipped;  ///< panel elements: same nodes as an earlier one; against their neighbours
  std::vector<std::pair<int, double>> slender;  ///< panel elements and longest over shortest edge, above 10
  std::vector<std::pair<int, double>> skewed;   ///< panel elements and smallest corner angle in degrees, below 20
};
/// Merges nodes within a tolerance (0: only identical ones) and looks at the panel elements.
MeshReport inspect_mesh(model::Model& mesh, double tolerance);

}  // namespace archway::io
