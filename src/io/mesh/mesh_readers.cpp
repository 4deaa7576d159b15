#include <algorithm>
#include <array>
#include <cmath>
#include <cstdint>
#include <cstring>
#include <unordered_map>

#include "mesh/mesh_reader_detail.hpp"

namespace archway::io::detail {

std::string MeshMaker::unique(const std::string& name) {
  std::string clean;
  for (const char c : name)
    clean += std::isalnum(static_cast<unsigned char>(c)) != 0 || c == '-' || c == '_' || c == '.' ? c : '_';
  const int again = taken_[clean]++;
  return again == 0 ? clean : fmt::format("{}_{}", clean, again + 1);
}

model::Model MeshMaker::finish() {
  if (mesh.shell_elements.empty() && mesh.solid_elements.empty() && mesh.bar_elements.empty())
    bad_mesh(file_, 0, "the file has no elements", "it must have faces, solids or lines");
  std::vector<int> last(mesh.nodes.size(), -1);
  mesh.each_element([&](const int* first, const int* end, int part) {
    auto& group = mesh.groups[mesh.parts[static_cast<std::size_t>(part)].name];
    for (; first != end; ++first) group.push_back(*first);
  });
  for (auto& [name, nodes] : mesh.groups) {
    std::sort(nodes.begin(), nodes.end());
    nodes.erase(std::unique(nodes.begin(), nodes.end()), nodes.end());
  }
  return std::move(mesh);
}

// ---- OBJ ----

model::Model read_obj(const std::string& text, const std::string& file) {
  MeshMaker maker(file);
  Lines lines(text, file);
  std::string part = "part";
  std::vector<int> nodes;
  for (std::string_view line; lines.next(line);) {
    const auto words = words_of(line);
    if (words.empty() || words[0][0] == '#') continue;
    if (words[0] == "v") {
      if (words.size() < 4) lines.bad("a vertex with fewer than three coordinates", "write v x y z");
      maker.mesh.nodes.emplace_back(lines.coordinate(words[1]), lines.coordinate(words[2]), lines.coordinate(words[3]));
    } else if (words[0] == "g" || words[0] == "o") {
      part = words.size() > 1 ? std::string(words[1]) : "part";
    } else if (words[0] == "f" || words[0] == "l") {
      nodes.clear();
      for (std::size_t k = 1; k < words.size(); ++k) {
        const long count = maker.mesh.node_count(), given = lines.whole(words[k].substr(0, words[k].find('/')));
        const long node = given < 0 ? count + given : given - 1;
        if (node < 0 || node >= count)
          lines.bad(fmt::format("vertex {} does not exist ({} so far)", given, count), "vertices count from 1");
        nodes.push_back(static_cast<int>(node));
      }
      if (words[0] == "l") {
        if (nodes.size() < 2) lines.bad("a line with fewer than two vertices", "write l first second");
        for (std::size_t k = 0; k + 1 < nodes.size(); ++k) maker.add({nodes[k], nodes[k + 1]}, part);
      } else if (nodes.size() < 3 || nodes.size() > 4) {
        lines.bad(fmt::format("a face of {} corners", nodes.size()), "split it into faces of three and four corners");
      } else {
        maker.add(nodes, part);
      }
    }  // normals, texture and material lines say nothing about the mesh
  }
  return maker.finish();
}

// ---- PLY ----

namespace {
enum class Type { i8, u8, i16, u16, i32, u32, f32, f64 };
constexpr std::array<std::size_t, 8> kSizes = {1, 1, 2, 2, 4, 4, 4, 8};

struct Property {
  std::string name;
  Type type = Type::f64, count_type = Type::u8;
  bool list = false;
};
struct Element {
  std::string name;
  long count = 0;
  std::vector<Property> properties;
};

/// Values of a PLY body, one after the other.
class PlyBody {
 public:
  PlyBody(const std::string& text, std::size_t at, int order, const std::string& file)
      : text_(text), at_(at), order_(order), file_(file) {}
  double next(Type type) { return order_ == 0 ? next_word() : next_bytes(type); }
  std::size_t left() const { return text_.size() - at_; }

 private:
  [[noreturn]] void ended() const { bad_mesh(file_, 0, "the file ends before all elements are read", "write it anew"); }
  double next_word() {
    at_ = text_.find_first_not_of(" \t\r\n", at_);
    if (at_ == std::string::npos) {
      at_ = text_.size();
      ended();
    }
    const std::size_t end = std::min(text_.find_first_of(" \t\r\n", at_), text_.size());
    const std::string_view word(text_.data() + at_, end - at_);
    at_ = end;
    const auto value = number_in<double>(word);
    if (!value) bad_mesh(file_, 0, fmt::format("'{}' is not a number", Lines::clip(word)), "write a decimal number");
    return *value;
  }
  template <class Number>
  double as() {
    std::array<char, sizeof(Number)> bytes;
    std::memcpy(bytes.data(), text_.data() + at_, sizeof(Number));
    if (order_ == 2) std::reverse(bytes.begin(), bytes.end());
    Number value;
    std::memcpy(&value, bytes.data(), sizeof(Number));
    at_ += sizeof(Number);
    return static_cast<double>(value);
  }
  double next_bytes(Type type) {
    if (left() < kSizes[static_cast<std::size_t>(type)]) ended();
    switch (type) {
      case Type::i8:
        return as<std::int8_t>();
      case Type::u8:
        return as<std::uint8_t>();
      case Type::i16:
        return as<std::int16_t>();
      case Type::u16:
        return as<std::uint16_t>();
      case Type::i32:
        return as<std::int32_t>();
      case Type::u32:
        return as<std::uint32_t>();
      case Type::f32:
        return as<float>();
      case Type::f64:
        return as<double>();
    }
    return 0;
  }
  const std::string& text_;
  std::size_t at_;
  int order_;  // 0 ascii, 1 little endian, 2 big endian
  const std::string& file_;
};

class PlyReader {
 public:
  PlyReader(const std::string& text, const std::string& file) : text_(text), file_(file), maker_(file) {}
  model::Model read() {
    header();
    PlyBody body(text_, start_, order_, file_);
    for (const auto& element : elements_) {
      if (element.count > 0 && static_cast<std::size_t>(element.count) > body.left() + 1)
        bad_mesh(file_, 0,
                 fmt::format("{} elements '{}' are announced, the file is too short for them", element.count,
                             Lines::clip(element.name)),
                 "write it anew");
      for (long k = 0; k < element.count; ++k) one(element, k, body);
    }
    return maker_.finish();
  }

 private:
  static std::optional<Type> type_of(std::string_view word) {
    static const std::map<std::string_view, Type> names = {
        {"char", Type::i8},   {"int8", Type::i8},     {"uchar", Type::u8},   {"uint8", Type::u8},
        {"short", Type::i16}, {"int16", Type::i16},   {"ushort", Type::u16}, {"uint16", Type::u16},
        {"int", Type::i32},   {"int32", Type::i32},   {"uint", Type::u32},   {"uint32", Type::u32},
        {"float", Type::f32}, {"float32", Type::f32}, {"double", Type::f64}, {"float64", Type::f64}};
    const auto found = names.find(word);
    return found == names.end() ? std::optional<Type>() : found->second;
  }

  void header() {
    Lines lines(text_, file_);
    std::string_view line;
    if (!lines.next(line) || line != "ply") lines.bad("the file does not begin with 'ply'", "this is not a PLY file");
    bool ended = false;
    while (!ended && lines.next(line)) {
      const auto w = words_of(line);
      if (w.empty() || w[0] == "comment" || w[0] == "obj_info") continue;
      if (w[0] == "end_header") {
        ended = true;
      } else if (w[0] == "format" && w.size() > 1) {
        order_ = w[1] == "ascii" ? 0 : w[1] == "binary_little_endian" ? 1 : w[1] == "binary_big_endian" ? 2 : -1;
        if (order_ < 0) lines.bad(fmt::format("unknown format '{}'", Lines::clip(w[1])), "ascii or binary");
      } else if (w[0] == "element" && w.size() == 3) {
        elements_.push_back({std::string(w[1]), lines.whole(w[2]), {}});
        if (elements_.back().count < 0) lines.bad("a negative number of elements", "write it anew");
      } else if (w[0] == "property" && !elements_.empty() && (w.size() == 3 || (w.size() == 5 && w[1] == "list"))) {
        Property p;
        p.list = w.size() == 5;
        p.name = std::string(w.back());
        const auto type = type_of(w[w.size() - 2]), count = p.list ? type_of(w[2]) : Type::u8;
        if (!type || !count) lines.bad("a property of unknown type", "for instance property float x");
        p.type = *type;
        p.count_type = *count;
        elements_.back().properties.push_back(p);
      } else {
        lines.bad(fmt::format("'{}' does not belong in the head of a PLY file", Lines::clip(line)), "write it anew");
      }
    }
    if (!ended) lines.bad("the head has no end", "it must close with end_header");
    start_ = lines.place();
  }

  void one(const Element& element, long number, PlyBody& body) {
    Vec3 place = Vec3::Zero();
    std::vector<int> nodes;
    long part = 0;
    for (const auto& p : element.properties) {
      if (!p.list) {
        const double value = body.next(p.type);
        if (p.name == "x" || p.name == "y" || p.name == "z") place[p.name[0] - 'x'] = value;
        if (p.name == "part" && std::abs(value) < 1e9) part = static_cast<long>(value);
        continue;
      }
      const double count = body.next(p.count_type);
      if (!(count >= 0) || count > static_cast<double>(body.left()))
        bad_mesh(file_, 0, fmt::format("a list of {} entries in '{}' {}", count, Lines::clip(element.name), number),
                 "write it anew");
      const bool corners = element.name == "face" && (p.name == "vertex_indices" || p.name == "vertex_index");
      for (long k = 0; k < static_cast<long>(count); ++k) {
        const double value = body.next(p.type);
        if (!corners) continue;
        if (!(value >= 0) || value >= maker_.mesh.node_count())
          bad_mesh(file_, 0, fmt::format("face {} names vertex {}, which does not exist", number, value),
                   "vertices must come before faces and count from 0");
        nodes.push_back(static_cast<int>(value));
      }
    }
    if (element.name == "vertex") {
      if (!place.allFinite())
        bad_mesh(file_, 0, fmt::format("vertex {} has a coordinate that is not finite", number), "write it anew");
      maker_.mesh.nodes.push_back(place);
    }
    if (element.name == "face" &&
        ((nodes.size() != 3 && nodes.size() != 4) || !maker_.add(nodes, fmt::format("part_{}", part))))
      bad_mesh(file_, 0, fmt::format("face {} has {} corners", number, nodes.size()),
               "split it into faces of three and four corners");
  }

  const std::string& text_;
  std::string file_;
  MeshMaker maker_;
  std::vector<Element> elements_;
  int order_ = 0;
  std::size_t start_ = 0;
};
}  // namespace

model::Model read_ply(const std::string& text, const std::string& file) {
  return PlyReader(text, file).read();
}

// ---- STL ----

namespace {
/// Corners in one place are one node.
class Places {
 public:
  explicit Places(model::Model& mesh) : mesh_(mesh) {}
  int operator()(const Vec3& x) {
    std::array<double, 3> key = {x.x() + 0.0, x.y() + 0.0, x.z() + 0.0};  // no negative zero
    const auto [entry, fresh] = numbers_.try_emplace(key, mesh_.node_count());
    if (fresh) mesh_.nodes.push_back(x);
    return entry->second;
  }

 private:
  struct Hash {
    std::size_t operator()(const std::array<double, 3>& key) const {
      std::size_t h = 0;
      for (const double v : key) h = h * 1000003 ^ std::hash<double>()(v);
      return h;
    }
  };
  model::Model& mesh_;
  std::unordered_map<std::array<double, 3>, int, Hash> numbers_;
};

model::Model binary_stl(const std::string& text, const std::string& file) {
  std::uint32_t count = 0;
  std::memcpy(&count, text.data() + 80, 4);
  if (text.size() != 84 + 50 * static_cast<std::size_t>(count))
    bad_mesh(file, 0,
             fmt::format("{} triangles are announced, the file has room for {}", count, (text.size() - 84) / 50),
             "write it anew");
  MeshMaker maker(file);
  Places places(maker.mesh);
  for (std::uint32_t t = 0; t < count; ++t) {
    std::array<float, 9> v;
    std::memcpy(v.data(), text.data() + 84 + 50 * static_cast<std::size_t>(t) + 12, 36);
    std::vector<int> nodes;
    for (std::size_t k = 0; k < 3; ++k) {
      const Vec3 x(v[3 * k], v[3 * k + 1], v[3 * k + 2]);
      if (!x.allFinite())
        bad_mesh(file, 0, fmt::format("triangle {} has a coordinate that is not finite", t), "write it anew");
      nodes.push_back(places(x));
    }
    maker.add(nodes, "part");
  }
  return maker.finish();
}
}  // namespace

model::Model read_stl(const std::string& text, const std::string& file) {
  if (text.size() >= 84 && (text.compare(0, 5, "solid") != 0 || text.find("facet") == std::string::npos))
    return binary_stl(text, file);
  MeshMaker maker(file);
  Places places(maker.mesh);
  Lines lines(text, file);
  std::string part = "part";
  std::vector<int> nodes;
  bool begun = false;
  for (std::string_view line; lines.next(line);) {
    const auto w = words_of(line);
    if (w.empty()) continue;
    if (w[0] == "solid") {
      begun = true;
      part = w.size() > 1 ? std::string(w[1]) : "part";
    } else if (w[0] == "vertex") {
      if (w.size() != 4) lines.bad("a vertex without three coordinates", "write vertex x y z");
      nodes.push_back(places(Vec3(lines.coordinate(w[1]), lines.coordinate(w[2]), lines.coordinate(w[3]))));
    } else if (w[0] == "endloop") {
      if (nodes.size() != 3) lines.bad(fmt::format("a facet of {} corners", nodes.size()), "STL has triangles only");
      maker.add(nodes, part);
      nodes.clear();
    } else if (!begun || (w[0] != "facet" && w[0] != "outer" && w[0] != "endfacet" && w[0] != "endsolid")) {
      lines.bad(fmt::format("'{}' does not belong in an STL file", Lines::clip(w[0])), "this is not STL");
    }
  }
  if (!nodes.empty()) lines.bad("the file ends inside a facet", "write it anew");
  return maker.finish();
}

}  // namespace archway::io::detail
