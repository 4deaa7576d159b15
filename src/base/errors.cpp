#include "archway/base/errors.hpp"

#include <algorithm>
#include <numeric>

namespace archway::base {

std::string printable(std::string text) {
  for (char& c : text)
    if ((static_cast<unsigned char>(c) < 0x20 && c != '\n' && c != '\t') || c == 0x7f) c = '?';
  return text;
}

std::string to_text(const Complaint& complaint) {
  std::string text = complaint.place.empty() ? complaint.problem : complaint.place + ": " + complaint.problem;
  if (!complaint.excerpt.empty()) text += "\n" + complaint.excerpt;
  if (!complaint.remedy.empty()) text += "\n  -> " + complaint.remedy;
  return printable(std::move(text));
}

namespace {
/// One cause can have thousands of places: as many as somebody reads.
std::string joined(const std::vector<Complaint>& complaints) {
  constexpr std::size_t most = 20;
  std::string text;
  for (std::size_t k = 0; k < std::min(most, complaints.size()); ++k)
    text += (text.empty() ? "" : "\n") + to_text(complaints[k]);
  if (complaints.size() > most) text += "\nand " + std::to_string(complaints.size() - most) + " more";
  return text;
}

/// Insertions, deletions, changes and swaps of neighbours that rotate a into b.
std::size_t edit_distance(const std::string& a, const std::string& b) {
  std::vector<std::size_t> before, last, row(b.size() + 1);
  std::iota(row.begin(), row.end(), std::size_t{0});
  for (std::size_t i = 1; i <= a.size(); ++i) {
    before = std::move(last);
    last = row;
    row[0] = i;
    for (std::size_t j = 1; j <= b.size(); ++j) {
      row[j] = std::min({last[j] + 1, row[j - 1] + 1, last[j - 1] + (a[i - 1] == b[j - 1] ? 0 : 1)});
      if (i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1]) row[j] = std::min(row[j], before[j - 2] + 1);
    }
  }
  return row.back();
}
}  // namespace

InputError::InputError(std::vector<Complaint> complaints)
    : std::runtime_error(joined(complaints)), complaints_(std::move(complaints)) {}

InputError::InputError(std::string place, std::string problem, std::string remedy)
    : InputError(std::vector<Complaint>{{std::move(place), std::move(problem), std::move(remedy), ""}}) {}

std::string closest_word(const std::string& word, const std::vector<std::string>& known) {
  std::string best;
  std::size_t best_distance = std::max<std::size_t>(1, word.size() / 3) + 1;
  for (const auto& candidate : known) {
    const std::size_t distance = edit_distance(word, candidate);
    const bool same_length =
        distance == best_distance && candidate.size() == word.size() && best.size() != word.size() && !best.empty();
    if (distance < best_distance || same_length) {
      best_distance = distance;
      best = candidate;
    }
  }
  return best;
}

std::string suggestion(const std::string& word, const std::vector<std::string>& known, const std::string& lead,
                       const std::string& none) {
  if (const std::string guess = closest_word(word, known); !guess.empty()) return "did you mean '" + guess + "'?";
  if (known.empty()) return none;
  std::string list = lead + ": ";
  for (std::size_t i = 0; i < known.size(); ++i) list += (i > 0 ? ", " : "") + known[i];
  return list;
}

}  // namespace archway::base
