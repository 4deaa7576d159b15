#include "archway/io/vtu.hpp"

#include <cstdint>
#include <cstring>
#include <zlib.h>

#include <fmt/format.h>

namespace archway::io {

namespace {
constexpr std::size_t kBlock = 1 << 20;

/// Collects arrays behind the XML part; every array starts with its block table, as the VTK file format asks.
class Appended {
 public:
  template <class Number>
  std::size_t add(const std::vector<Number>& numbers) {
    const std::size_t offset = bytes_.size();
    const std::size_t size = numbers.size() * sizeof(Number), blocks = (size + kBlock - 1) / kBlock;
    const auto* data = reinterpret_cast<const unsigned char*>(numbers.data());
    std::vector<std::uint64_t> header = {blocks, kBlock, size % kBlock};
    std::string packed;
    for (std::size_t b = 0; b < blocks; ++b) {
      const std::size_t length = std::min(kBlock, size - b * kBlock);
      uLongf room = compressBound(static_cast<uLong>(length));
      std::string block(room, '\0');
      compress2(reinterpret_cast<unsigned char*>(block.data()), &room, data + b * kBlock, static_cast<uLong>(length),
                4);
      block.resize(room);
      header.push_back(room);
      packed += block;
    }
    bytes_.append(reinterpret_cast<const char*>(header.data()), header.size() * sizeof(std::uint64_t));
    bytes_ += packed;
    return offset;
  }
  const std::string& bytes() const { return bytes_; }

 private:
  std::string bytes_;
};

std::string array(const char* type, const std::string& name, int components, std::size_t offset) {
  return fmt::format(
      "<DataArray type=\"{}\" Name=\"{}\" NumberOfComponents=\"{}\" format=\"appended\" offset=\"{}\"/>\n", type, name,
      components, offset);
}

struct Cells {
  std::vector<std::int64_t> connectivity, offsets;
  std::vector<std::uint8_t> types;
  void add(const int* first, const int* last, std::uint8_t type) {
    connectivity.insert(connectivity.end(), first, last);
    offsets.push_back(static_cast<std::int64_t>(connectivity.size()));
    types.push_back(type);
  }
};
}  // namespace

std::string vtu(const model::Model& model, const std::vector<VtuField>& point_fields,
                const std::vector<VtuField>& cell_fields) {
  constexpr std::uint8_t kLine = 3, kTriangle = 5, kQuad = 9, kBrick = 12, kTwenty = 25, kNine = 28;
  Appended data;
  std::vector<double> points;
  for (const auto& node : model.nodes) points.insert(points.end(), node.data(), node.data() + 3);
  Cells cells;
  for (const auto& e : model.shell_elements)
    cells.add(e.begin(), e.end(), e.count == 3 ? kTriangle : e.count == 4 ? kQuad : kNine);
  for (const auto& e : model.line_elements)
    for (std::size_t k = 0; k < 3; ++k) cells.add(&e.nodes[k], &e.nodes[k] + 2, kLine);
  for (const auto& e : model.bar_elements) cells.add(e.nodes.data(), e.nodes.data() + 2, kLine);
  for (const auto& e : model.solid_elements) cells.add(e.begin(), e.end(), e.count == 8 ? kBrick : kTwenty);
  std::string xml =
      "<?xml version=\"1.0\"?>\n<!-- made by archway -->\n<VTKFile type=\"UnstructuredGrid\" version=\"1.0\" "
      "byte_order=\"LittleEndian\" "
      "header_type=\"UInt64\" compressor=\"vtkZLibDataCompressor\">\n<UnstructuredGrid>\n";
  xml += fmt::format("<Piece NumberOfPoints=\"{}\" NumberOfCells=\"{}\">\n<PointData>\n", model.nodes.size(),
                     cells.types.size());
  for (const auto& f : point_fields) xml += array("Float64", f.name, f.components, data.add(f.values));
  xml += "</PointData>\n<CellData>\n";
  for (const auto& f : cell_fields) xml += array("Float64", f.name, f.components, data.add(f.values));
  xml += "</CellData>\n<Points>\n" + array("Float64", "Points", 3, data.add(points)) + "</Points>\n<Cells>\n";
  xml += array("Int64", "connectivity", 1, data.add(cells.connectivity));
  xml += array("Int64", "offsets", 1, data.add(cells.offsets));
  xml += array("UInt8", "types", 1, data.add(cells.types));
  xml += "</Cells>\n</Piece>\n</UnstructuredGrid>\n<AppendedData encoding=\"raw\">\n_";
  return xml + data.bytes() + "\n</AppendedData>\n</VTKFile>\n";
}

std::string pvd(const std::vector<std::pair<double, std::string>>& files) {
  std::string xml =
      "<?xml version=\"1.0\"?>\n<!-- made by archway -->\n<VTKFile type=\"Collection\" "
      "version=\"1.0\">\n<Collection>\n";
  for (const auto& [value, name] : files)
    xml += fmt::format("<DataSet timestep=\"{:.17g}\" file=\"{}\"/>\n", value, name);
  return xml + "</Collection>\n</VTKFile>\n";
}

}  // namespace archway::io
