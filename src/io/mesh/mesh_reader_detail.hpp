#pragma once
#include <charconv>
#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include <fmt/format.h>

#include "archway/base/errors.hpp"
#include "archway/model/model.hpp"
#include "archway/study/keys.hpp"

/// What all mesh readers use.
namespace archway::io::detail {

using base::Vec3;

[[noreturn]] inline void bad_mesh(const std::string& file, long line, const std::string& problem,
                                  const std::string& remedy) {
  throw base::InputError(line > 0 ? fmt::format("{}:{}", file, line) : file, problem, remedy);
}

/// Words of one line.
inline std::vector<std::string_view> words_of(std::string_view line, std::string_view blanks = " \t\r") {
  std::vector<std::string_view> words;
  for (std::size_t at = line.find_first_not_of(blanks); at != std::string_view::npos;) {
    const std::size_t end = line.find_first_of(blanks, at);
    words.push_back(line.substr(at, end == std::string_view::npos ? end : end - at));
    at = end == std::string_view::npos ? end : line.find_first_not_of(blanks, end);
  }
  return words;
}

template <class Number>
std::optional<Number> number_in(std::string_view word) {
  Number value{};
  if (!word.empty() && word[0] == '+') word.remove_prefix(1);
  const auto [end, trouble] = std::from_chars(word.data(), word.data() + word.size(), value);
  if (trouble != std::errc() || end != word.data() + word.size()) return {};
  return value;
}

/// A text line by line, with numbers for messages.
class Lines {
 public:
  Lines(std::string_view text, std::string file) : text_(text), file_(std::move(file)) {}
  bool next(std::string_view& line) {
    if (at_ >= text_.size()) return false;
    const std::size_t end = std::min(text_.find('\n', at_), text_.size());
    line = text_.substr(at_, end - at_);
    if (!line.empty() && line.back() == '\r') line.remove_suffix(1);
    at_ = end + 1;
    ++number_;
    return true;
  }
  std::size_t place() const { return std::min(at_, text_.size()); }
  [[noreturn]] void bad(const std::string& problem, const std::string& remedy) const {
    bad_mesh(file_, number_, problem, remedy);
  }
  double coordinate(std::string_view word) const {
    const auto value = number_in<double>(word);
    if (!value || !(std::abs(*value) < 1e40))
      bad(fmt::format("'{}' is not a number", clip(word)), "write a decimal number");
    return *value;
  }
  long whole(std::string_view word) const {
    const auto value = number_in<long>(word);
    if (!value) bad(fmt::format("'{}' is not a whole number", clip(word)), "write a whole number");
    return *value;
  }
  static std::string clip(std::string_view word) {
    std::string clean;
    for (const char c : word.substr(0, 24)) clean += c >= ' ' && c < 127 ? c : '?';
    return clean;
  }

 private:
  std::string_view text_;
  std::string file_;
  std::size_t at_ = 0;
  long number_ = 0;
};

/// Collects elements under part names.
class MeshMaker {
 public:
  explicit MeshMaker(std::string file) : file_(std::move(file)) {}
  model::Model mesh;

  int part(const std::string& name, model::PartKind kind) {
    const auto [entry, fresh] = parts_.try_emplace({name, kind}, static_cast<int>(mesh.parts.size()));
    if (fresh) {
      model::Part part;
      part.kind = kind;
      part.name = unique(name.empty() ? "part" : name);
      mesh.parts.push_back(part);
    }
    return entry->second;
  }
  /// Adds an element by its count of nodes; false when there is none of that many.
  bool add(const std::vector<int>& n, const std::string& name, bool solid = false) {
    if (solid && (n.size() == 8 || n.size() == 20)) {
      model::SolidElement e;
      e.part = part(name, model::PartKind::solid);
      e.count = static_cast<int>(n.size());
      std::copy(n.begin(), n.end(), e.nodes.begin());
      mesh.solid_elements.push_back(e);
      return true;
    }
    if (n.size() == 2) {
      mesh.bar_elements.push_back({{n[0], n[1]}, part(name, model::PartKind::bar)});
      return true;
    }
    if (n.size() != 3 && n.size() != 4 && n.size() != 9) return false;
    model::ShellElement e;
    e.part = part(name, model::PartKind::panel);
    e.count = static_cast<int>(n.size());
    std::copy(n.begin(), n.end(), e.nodes.begin());
    mesh.shell_elements.push_back(e);
    return true;
  }
  model::Model finish();

 private:
  /// Names a study accepts: letters, digits, - and _; no two alike.
  std::string unique(const std::string& name);
  std::string file_;
  std::map<std::pair<std::string, model::PartKind>, int> parts_;
  std::map<std::string, int> taken_;
};

model::Model read_obj(const std::string& text, const std::string& file);
model::Model read_ply(const std::string& text, const std::string& file);
model::Model read_stl(const std::string& text, const std::string& file);
model::Model read_vtu(const std::string& text, const std::string& file);
/// Nodes of such a mesh with their first field of three components, as a table x, y, z, ux, uy, uz.
study::NumberTable vtu_table(const std::string& text, const std::string& file);

}  // namespace archway::io::detail
