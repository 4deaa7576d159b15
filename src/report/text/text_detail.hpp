#pragma once
#include "archway/report/text.hpp"

/// Pieces that the texts for the terminal are made of.
namespace archway::report::detail {

/// Short; "-" for what is not a finite number.
std::string number(double value, int digits = 6);
/// The same; a value that is noise beside `scale` is shown as 0.
std::string number_beside(double value, double scale, int digits = 6);
/// "0.3 %": one digit, for what is an estimate.
std::string percent(double share);
/// Three numbers; those that are noise beside the whole are shown as 0.
std::string vector(const base::Vec3& v);

/// Columns that a text takes in a terminal.
std::size_t columns_of(const std::string& text);
/// Broken at spaces; words longer than the width stay whole.
std::vector<std::string> broken(const std::string& text, std::size_t width);
/// Lines that are too long are broken, what follows hangs.
std::string wrapped(const std::string& text, const TextStyle& style);

/// Columns as wide as their widest cell; numbers to the right.
class Table {
 public:
  Table(std::vector<std::string> head, std::string alignment) : alignment_(std::move(alignment)) {
    rows_.push_back(std::move(head));
  }
  void row(std::vector<std::string> cells) { rows_.push_back(std::move(cells)); }
  /// Never wider than the style's width: heads are broken first, then texts; else one row after the other.
  std::string text(const TextStyle& style, const std::string& indent = "  ") const;

 private:
  /// Empty: it does not fit.
  std::vector<std::size_t> widths(const TextStyle& style, const std::string& indent) const;
  std::string as_records(const TextStyle& style, const std::string& indent) const;
  std::vector<std::vector<std::string>> rows_;
  std::string alignment_;
};

std::string heading(const std::string& text, const TextStyle& style);
/// Breaks a sentence at the width, with a sign in front.
std::string paragraph(const std::string& sign, const std::string& text, const TextStyle& style);
std::string warnings_text(const std::vector<std::string>& warnings, const TextStyle& style);

/// Two or more linear analyses side by side: largest displacement, and stress (share of yield) of every part.
std::string preloads_text(const study::StudyResult& result, const TextStyle& style);
/// How large an imperfection is, and where.
std::string size_text(const imperfection::Measured& measured, const study::Units& units, int digits = 6);
/// Load factors of a buckling analysis, and what is read from its modes.
std::string modes_text(const study::StudySpec& spec, const study::AnalysisOutcome& o, const analysis::BucklingResult& r,
                       const TextStyle& style);

}  // namespace archway::report::detail
