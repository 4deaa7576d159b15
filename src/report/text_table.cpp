#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include "text_detail.hpp"

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

std::string Table::text(const TextStyle& style, const std::string& indent) const {
  std::vector<std::size_t> width(rows_[0].size(), 0);
  for (const auto& row : rows_)
    for (std::size_t c = 0; c < row.size(); ++c) width[c] = std::max(width[c], row[c].size());
  std::string out;
  for (std::size_t r = 0; r < rows_.size(); ++r) {
    std::string line = indent;
    for (std::size_t c = 0; c < rows_[r].size(); ++c)
      line += alignment_[c] == 'r' ? fmt::format("{:>{}}  ", rows_[r][c], width[c])
                                   : fmt::format("{:<{}}  ", rows_[r][c], width[c]);
    while (!line.empty() && line.back() == ' ') line.pop_back();
    out += line + "\n";
    if (r == 0) {
      std::size_t total = 0;
      for (const auto w : width) total += w + 2;
      out += indent;
      for (std::size_t i = 0; i + 2 < total; ++i) out += style.unicode ? "─" : "-";
      out += "\n";
    }
  }
  return out;
}

}  // namespace archway::report::detail
