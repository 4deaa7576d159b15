#include <algorithm>
#include <cmath>
#include <cstdint>
#include <cstring>
#include <limits>
#include <pugixml.hpp>
#include <zlib.h>

#include "mesh/mesh_reader_detail.hpp"

namespace archway::io::detail {

namespace {
/// Bytes of base64 text; the encoder may close a stretch with = and begin anew.
std::string from_base64(std::string_view text, const std::string& file) {
  std::string bytes;
  unsigned group = 0;
  int have = 0;
  for (const char c : text) {
    if (std::isspace(static_cast<unsigned char>(c)) != 0) continue;
    if (c == '=') {
      have = 0, group = 0;
      continue;
    }
    const char* const letters = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
    const char* const found = std::strchr(letters, c);
    if (found == nullptr || c == '\0') bad_mesh(file, 0, "an array is not base64", "write the file anew");
    group = (group << 6 | static_cast<unsigned>(found - letters)) & 0xffffff;
    if (have > 0) bytes += static_cast<char>(group >> (6 - 2 * have) & 0xff);
    have = have == 3 ? 0 : have + 1;
  }
  return bytes;
}

class VtuReader {
 public:
  VtuReader(const std::string& text, const std::string& file) : file_(file), maker_(file) {
    // raw appended data is no XML: what is before it is
    const auto appended = text.find("<AppendedData");
    std::string head = text;
    if (appended != std::string::npos) {
      const auto begin = text.find('_', appended);
      if (begin == std::string::npos) bad(0, "the appended data has no beginning", "it must start with _");
      const std::string_view tag(text.data() + appended, begin - appended);
      raw_ = tag.find("raw") != std::string_view::npos;
      appended_ = std::string_view(text).substr(begin + 1);
      if (!raw_) appended_ = appended_.substr(0, appended_.find('<'));
      head = text.substr(0, appended) + "</VTKFile>";
    }
    const auto outcome = xml_.load_buffer(head.data(), head.size());
    if (!outcome)
      bad(std::count(head.begin(), head.begin() + std::min<long>(outcome.offset, long(head.size())), '\n') + 1,
          fmt::format("this is not XML: {}", outcome.description()), "write the file anew");
  }

  /// Points and the first of their fields with three components.
  study::NumberTable table() {
    study::NumberTable table{file_, {"x", "y", "z", "ux", "uy", "uz"}, {}};
    const auto mesh = read();
    if (field_.size() != 3 * mesh.nodes.size())
      bad(0, "its points have no field of three components", "write one, for instance 'displacement'");
    for (std::size_t n = 0; n < mesh.nodes.size(); ++n) {
      const auto& x = mesh.nodes[n];
      table.rows.push_back({x.x(), x.y(), x.z(), field_[3 * n], field_[3 * n + 1], field_[3 * n + 2]});
    }
    return table;
  }

  model::Model read() {
    const auto root = xml_.child("VTKFile");
    if (std::string(root.attribute("type").value()) != "UnstructuredGrid")
      bad(0, "this is not an unstructured grid of the VTK file format", "write an UnstructuredGrid (.vtu)");
    if (std::string(root.attribute("byte_order").as_string("LittleEndian")) != "LittleEndian")
      bad(0, "its bytes are in big-endian order", "write it in little-endian order");
    wide_ = std::string(root.attribute("header_type").as_string("UInt32")) == "UInt64";
    packed_ = !root.attribute("compressor").empty();
    if (packed_ && std::string(root.attribute("compressor").value()) != "vtkZLibDataCompressor")
      bad(0, fmt::format("its arrays are packed with '{}'", root.attribute("compressor").value()),
          "pack them with zlib");
    const auto grid = root.child("UnstructuredGrid");
    names(grid);
    int pieces = 0;
    for (const auto& one : grid.children("Piece")) piece(one), ++pieces;
    if (pieces == 0) bad(0, "it has no piece", "write it anew");
    return maker_.finish();
  }

 private:
  [[noreturn]] void bad(long line, const std::string& problem, const std::string& remedy) const {
    bad_mesh(file_, line, problem, remedy);
  }

  void names(const pugi::xml_node& grid) {
    for (const auto& field : grid.child("FieldData").children()) {
      if (std::string(field.attribute("Name").value()) != "part names" ||
          std::string(field.attribute("format").as_string("ascii")) != "ascii")
        continue;
      std::string name;
      for (const auto word : words_of(field.text().get(), " \t\r\n")) {
        const auto code = number_in<int>(word);
        if (!code || *code < 0 || *code > 127) bad(0, "the part names are not letters", "write character codes");
        if (*code != 0)
          name += static_cast<char>(*code);
        else
          part_names_.push_back(std::exchange(name, ""));
      }
    }
  }

  pugi::xml_node array(const pugi::xml_node& parent, const char* name) const {
    for (const auto& a : parent.children("DataArray"))
      if (name == nullptr || std::string(a.attribute("Name").value()) == name) return a;
    return {};
  }

  void piece(const pugi::xml_node& p) {
    const auto where = array(p.child("Points"), nullptr);
    const auto cells = p.child("Cells");
    if (!where || !array(cells, "connectivity") || !array(cells, "offsets") || !array(cells, "types"))
      bad(0, "a piece lacks its points or its cells", "Points, connectivity, offsets and types must be there");
    const auto points = values(where);
    if (points.size() % 3 != 0) bad(0, "the points are not triples", "write three coordinates a point");
    const auto first = maker_.mesh.node_count();
    for (std::size_t k = 0; k + 2 < points.size(); k += 3) {
      maker_.mesh.nodes.emplace_back(points[k], points[k + 1], points[k + 2]);
      if (!maker_.mesh.nodes.back().allFinite())
        bad(0, fmt::format("point {} has a coordinate that is not finite", k / 3), "write it anew");
    }
    for (const auto& a : p.child("PointData").children("DataArray"))
      if (a.attribute("NumberOfComponents").as_int(1) == 3) {
        const auto own = values(a);
        field_.insert(field_.end(), own.begin(), own.end());
        break;
      }
    const auto connectivity = values(array(cells, "connectivity")), offsets = values(array(cells, "offsets")),
               types = values(array(cells, "types"));
    const auto named = array(p.child("CellData"), "part");
    const auto parts = named ? values(named) : std::vector<double>();
    if (types.size() != offsets.size() || (!parts.empty() && parts.size() != types.size()))
      bad(0,
          fmt::format("there are {} cell types, {} offsets and {} part numbers", types.size(), offsets.size(),
                      parts.size()),
          "one of each a cell");
    double before = 0;
    for (std::size_t c = 0; c < types.size(); ++c) {
      if (!(offsets[c] >= before) || offsets[c] > static_cast<double>(connectivity.size()))
        bad(0, fmt::format("the offset of cell {} is {}", c, offsets[c]), "offsets must grow, up to the connectivity");
      std::vector<int> nodes;
      for (auto k = static_cast<std::size_t>(before); k < static_cast<std::size_t>(offsets[c]); ++k) {
        const double n = connectivity[k];
        if (!(n >= 0) || n >= static_cast<double>(points.size() / 3))
          bad(0, fmt::format("cell {} names point {}, which does not exist", c, n), "points count from 0");
        nodes.push_back(first + static_cast<int>(n));
      }
      before = offsets[c];
      cell(c, types[c], nodes, parts.empty() ? 0 : parts[c]);
    }
  }

  void cell(std::size_t number, double type, const std::vector<int>& nodes, double part) {
    static const std::map<int, std::pair<std::size_t, bool>> kinds = {
        {3, {2, false}}, {5, {3, false}}, {9, {4, false}}, {28, {9, false}}, {12, {8, true}}, {25, {20, true}}};
    const auto kind = type >= 0 && type < 256 ? kinds.find(static_cast<int>(type)) : kinds.end();
    if (kind == kinds.end())
      bad(0, fmt::format("cell {} is of type {}", number, type),
          "lines (3), triangles (5), quadrilaterals (9, 28) and bricks (12, 25) are read");
    if (nodes.size() != kind->second.first)
      bad(0, fmt::format("cell {} of type {} has {} nodes", number, type, nodes.size()), "write it anew");
    const bool is_named = part >= 0 && part < static_cast<double>(part_names_.size());
    maker_.add(nodes,
               is_named                  ? part_names_[static_cast<std::size_t>(part)]
               : part >= 0 && part < 1e9 ? fmt::format("part_{}", static_cast<long>(part))
                                         : "part",
               kind->second.second);
  }

  std::uint64_t head_number(std::string_view bytes, std::size_t index) const {
    const std::size_t size = wide_ ? 8 : 4;
    if (bytes.size() < size * (index + 1)) bad(0, "the data of an array is cut short", "write the file anew");
    std::uint64_t value = 0;
    std::memcpy(&value, bytes.data() + size * index, size);
    return value;
  }

  /// Contents behind a block table, or behind a plain length.
  std::string unpacked(std::string_view bytes, std::string_view body, std::size_t body_at) const {
    const auto need = [&](std::uint64_t from, std::uint64_t count) {
      if (from > body.size() || count > body.size() - from)
        bad(0, "the data of an array is cut short", "write the file anew");
    };
    if (!packed_) {
      const std::uint64_t count = head_number(bytes, 0);
      need(body_at, count);
      return std::string(body.substr(body_at, count));
    }
    const std::uint64_t blocks = head_number(bytes, 0), size = head_number(bytes, 1), last = head_number(bytes, 2);
    if (blocks > bytes.size()) bad(0, "the block table of an array makes no sense", "write the file anew");
    std::string out;
    std::uint64_t at = body_at;
    for (std::uint64_t b = 0; b < blocks; ++b) {
      const std::uint64_t length = head_number(bytes, 3 + b), full = b + 1 == blocks && last != 0 ? last : size;
      need(at, length);
      if (full > 1100 * length + 100) bad(0, "a block of an array makes no sense", "write the file anew");
      constexpr std::uint64_t most = std::uint64_t{2} << 30;
      if (out.size() + full > most) bad(0, "the arrays unpack to more than 2048 MB", "split the mesh");
      std::string block(full, '\0');
      uLongf room = static_cast<uLongf>(full);
      if (uncompress(reinterpret_cast<unsigned char*>(block.data()), &room,
                     reinterpret_cast<const unsigned char*>(body.data() + at), static_cast<uLong>(length)) != Z_OK ||
          room != full)
        bad(0, "a block of an array cannot be unpacked", "write the file anew");
      out += block;
      at += length;
    }
    return out;
  }
  std::size_t head_size(std::string_view bytes) const {
    return (wide_ ? 8u : 4u) *
           (packed_ ? 3 + static_cast<std::size_t>(std::min<std::uint64_t>(head_number(bytes, 0), bytes.size())) : 1);
  }
  /// Base64 of head and body come one after the other, each with its own = at the end when packed.
  std::string from_text(std::string_view text) const {
    std::string clean;
    for (const char c : text)
      if (std::isspace(static_cast<unsigned char>(c)) == 0) clean += c;
    if (!packed_) {
      const std::string bytes = from_base64(clean, file_);
      return unpacked(bytes, bytes, head_size(bytes));
    }
    const std::string start = from_base64(std::string_view(clean).substr(0, 16), file_);
    const std::size_t letters = (head_size(start.size() >= 8 ? start : std::string(8, '\0')) + 2) / 3 * 4;
    if (letters > clean.size()) bad(0, "the data of an array is cut short", "write the file anew");
    const std::string head = from_base64(std::string_view(clean).substr(0, letters), file_),
                      body = from_base64(std::string_view(clean).substr(letters), file_);
    return unpacked(head, body, 0);
  }

  template <class Number>
  static std::vector<double> numbers(const std::string& bytes) {
    std::vector<double> list(bytes.size() / sizeof(Number));
    for (std::size_t k = 0; k < list.size(); ++k) {
      Number value;
      std::memcpy(&value, bytes.data() + k * sizeof(Number), sizeof(Number));
      list[k] = static_cast<double>(value);
    }
    return list;
  }

  std::vector<double> values(const pugi::xml_node& a) const {
    const std::string type = a.attribute("type").value(), format = a.attribute("format").as_string("ascii");
    if (format == "ascii") {
      std::vector<double> list;
      for (const auto word : words_of(a.text().get(), " \t\r\n")) {
        const auto value = number_in<double>(word);
        if (!value)
          bad(0, fmt::format("'{}' in array '{}' is not a number", Lines::clip(word), a.attribute("Name").value()),
              "write decimal numbers");
        list.push_back(*value);
      }
      return list;
    }
    std::string bytes;
    if (format == "appended") {
      const auto offset = a.attribute("offset").as_ullong();
      if (offset >= appended_.size()) bad(0, "an array lies behind the end of the file", "write the file anew");
      const auto from = appended_.substr(offset);
      bytes = raw_ ? unpacked(from, from, head_size(from)) : from_text(from);
    } else if (format == "binary") {
      bytes = from_text(a.text().get());
    } else {
      bad(0, fmt::format("an array has the unknown format '{}'", format), "ascii, binary or appended");
    }
    if (type == "Float64") return numbers<double>(bytes);
    if (type == "Float32") return numbers<float>(bytes);
    if (type == "Int64") return numbers<std::int64_t>(bytes);
    if (type == "UInt64") return numbers<std::uint64_t>(bytes);
    if (type == "Int32") return numbers<std::int32_t>(bytes);
    if (type == "UInt32") return numbers<std::uint32_t>(bytes);
    if (type == "Int16") return numbers<std::int16_t>(bytes);
    if (type == "UInt16") return numbers<std::uint16_t>(bytes);
    if (type == "Int8") return numbers<std::int8_t>(bytes);
    if (type == "UInt8") return numbers<std::uint8_t>(bytes);
    bad(0, fmt::format("an array is of the unknown type '{}'", type), "Float32, Float64 or a whole-number type");
  }

  std::string file_;
  MeshMaker maker_;
  pugi::xml_document xml_;
  std::string_view appended_;
  bool raw_ = false, wide_ = false, packed_ = false;
  std::vector<std::string> part_names_;
  std::vector<double> field_;
};
}  // namespace

model::Model read_vtu(const std::string& text, const std::string& file) {
  return VtuReader(text, file).read();
}

study::NumberTable vtu_table(const std::string& text, const std::string& file) {
  return VtuReader(text, file).table();
}

}  // namespace archway::io::detail
