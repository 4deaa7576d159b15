#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include "text/text_detail.hpp"

namespace archway::report::detail {

std::string number(double value, int digits) {
  return std::isfinite(value) ? fmt::format("{:.{}g}", value, digits) : "-";
}

std::string percent(double share) {
  if (!std::isfinite(share)) return "not known";
  if (share > 1) return "> 100 %";
  return share < 1e-5    ? "< 0.001 %"
         : share < 0.095 ? fmt::format("{:.1g} %", 100 * share)
                         : fmt::format("{:.0f} %", 100 * share);
}

std::string number_beside(double value, double scale, int digits) {
  return number(std::abs(value) < 1e-9 * scale ? 0.0 : value, digits);
}

std::string vector(const base::Vec3& v) {
  const double scale = v.norm();
  return fmt::format("({}, {}, {})", number_beside(v.x(), scale), number_beside(v.y(), scale),
                     number_beside(v.z(), scale));
}

std::string heading(const std::string& text, const TextStyle& style) {
  return style.bold ? fmt::format("\033[1m{}\033[0m\n", text) : text + "\n";
}

std::string paragraph(const std::string& sign, const std::string& text, const TextStyle& style) {
  std::string out, line = "  " + sign + " ";
  std::size_t at = 0;
  while (at < text.size()) {
    const std::size_t space = std::min(text.find(' ', at), text.size());
    const std::string word = text.substr(at, space - at);
    if (line.size() + word.size() > static_cast<std::size_t>(style.width) && line.size() > 6) {
      line.pop_back();
      out += line + "\n";
      line = "    ";
    }
    line += word + " ";
    at = space + 1;
  }
  while (!line.empty() && line.back() == ' ') line.pop_back();
  return out + line + "\n";
}

std::string warnings_text(const std::vector<std::string>& warnings, const TextStyle& style) {
  std::string out;
  for (const auto& warning : warnings) out += paragraph("!", warning, style);
  return out;
}

std::size_t columns_of(const std::string& text) {
  std::size_t count = 0;
  for (const char c : text) count += (static_cast<unsigned char>(c) & 0xC0) != 0x80 ? 1 : 0;
  return count;
}

std::vector<std::string> broken(const std::string& text, std::size_t width) {
  std::vector<std::string> lines = {""};
  std::size_t at = 0;
  while (at < text.size()) {
    const std::size_t space = std::min(text.find(' ', at), text.size());
    const std::string word = text.substr(at, space - at);
    if (!lines.back().empty() && columns_of(lines.back()) + 1 + columns_of(word) > width) lines.emplace_back();
    lines.back() += (lines.back().empty() ? "" : " ") + word;
    at = space + 1;
  }
  return lines;
}

std::string wrapped(const std::string& text, const TextStyle& style) {
  std::string out;
  std::size_t at = 0;
  while (at < text.size()) {
    const std::size_t end = std::min(text.find('\n', at), text.size());
    const std::string line = text.substr(at, end - at);
    at = end + 1;
    if (columns_of(line) <= static_cast<std::size_t>(style.width)) {
      out += line + "\n";
      continue;
    }
    const std::size_t indent = std::min(line.find_first_not_of(' '), line.size());
    const std::size_t hang = indent + (indent < line.size() && (line[indent] == '!' || line[indent] == '-') ? 2 : 4);
    const std::size_t room = static_cast<std::size_t>(std::max(style.width, 30)) - hang;
    const auto pieces = broken(line.substr(indent), room);
    for (std::size_t k = 0; k < pieces.size(); ++k) out += std::string(k == 0 ? indent : hang, ' ') + pieces[k] + "\n";
  }
  return out;
}

namespace {
using Widths = std::vector<std::size_t>;
std::size_t total_of(const Widths& widths, const std::string& indent) {
  std::size_t sum = indent.size();
  for (const auto w : widths) sum += w + 2;
  return sum - 2;
}

std::size_t longest_word(const std::string& text) {
  std::size_t most = 0;
  for (const auto& word : broken(text, 1)) most = std::max(most, columns_of(word));
  return most;
}
}  // namespace

/// As wide as the widest cells; where that is too much heads are broken, then texts.
Widths Table::widths(const TextStyle& style, const std::string& indent) const {
  constexpr std::size_t least = 10;  // of a column of text
  const auto most = static_cast<std::size_t>(style.width);
  Widths natural(rows_[0].size(), 0), body = natural;
  for (std::size_t r = 0; r < rows_.size(); ++r)
    for (std::size_t c = 0; c < rows_[r].size(); ++c) {
      natural[c] = std::max(natural[c], columns_of(rows_[r][c]));
      body[c] = std::max(body[c], r == 0 ? longest_word(rows_[r][c]) : columns_of(rows_[r][c]));
    }
  if (total_of(natural, indent) <= most) return natural;
  while (total_of(body, indent) > most) {
    std::size_t widest = body.size();
    for (std::size_t c = 0; c < body.size(); ++c)
      if (alignment_[c] == 'l' && body[c] > least && (widest == body.size() || body[c] > body[widest])) widest = c;
    if (widest == body.size()) return {};
    const std::size_t excess = total_of(body, indent) - most;
    body[widest] = std::max(least, body[widest] > excess ? body[widest] - excess : 0);
  }
  // room that is left goes to the head that is broken into most lines
  const auto lines = [&](std::size_t c) { return body[c] < natural[c] ? broken(rows_[0][c], body[c]).size() : 1; };
  while (total_of(body, indent) < most) {
    std::size_t tallest = 0;
    for (std::size_t c = 1; c < body.size(); ++c)
      if (lines(c) > lines(tallest)) tallest = c;
    if (lines(tallest) < 2) break;
    ++body[tallest];
  }
  return body;
}

/// One row after the other, heads before the values.
std::string Table::as_records(const TextStyle& style, const std::string& indent) const {
  std::string out;
  for (std::size_t r = 1; r < rows_.size(); ++r) {
    std::string line = rows_[0][0].empty() ? rows_[r][0] : rows_[0][0] + " " + rows_[r][0];
    for (std::size_t c = 1; c < rows_[r].size(); ++c)
      if (!rows_[r][c].empty())
        line += (c == 1 ? ": " : ", ") + (rows_[0][c].empty() ? "" : rows_[0][c] + " ") + rows_[r][c];
    out += wrapped(indent + line, style);
  }
  return out;
}

std::string Table::text(const TextStyle& style, const std::string& indent) const {
  const Widths width = widths(style, indent);
  if (width.empty()) return as_records(style, indent);
  std::string out;
  for (std::size_t r = 0; r < rows_.size(); ++r) {
    std::vector<std::vector<std::string>> cells;
    std::size_t lines = 1;
    for (std::size_t c = 0; c < rows_[r].size(); ++c) {
      cells.push_back(columns_of(rows_[r][c]) <= width[c] ? std::vector<std::string>{rows_[r][c]}
                                                          : broken(rows_[r][c], width[c]));
      lines = std::max(lines, cells.back().size());
    }
    for (std::size_t k = 0; k < lines; ++k) {
      std::string line = indent;
      for (std::size_t c = 0; c < cells.size(); ++c) {
        // heads stand on the rule, texts hang from their first line
        const std::size_t skip = r == 0 ? lines - cells[c].size() : 0;
        const std::string cell = k >= skip && k - skip < cells[c].size() ? cells[c][k - skip] : "";
        const std::string pad(width[c] - std::min(width[c], columns_of(cell)), ' ');
        line += (alignment_[c] == 'r' ? pad + cell : cell + pad) + "  ";
      }
      while (!line.empty() && line.back() == ' ') line.pop_back();
      out += line + "\n";
    }
    if (r > 0) continue;
    out += indent;
    for (std::size_t i = indent.size(); i < total_of(width, indent); ++i) out += style.unicode ? "─" : "-";
    out += "\n";
  }
  return out;
}

}  // namespace archway::report::detail
