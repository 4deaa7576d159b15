#include "archway/study/outcome_fields.hpp"

#include <fmt/format.h>

#include "archway/analysis/record_fields.hpp"

namespace archway::study {

using base::Dimension;

const base::Fields<ComparisonRow>& comparison_fields() {
  using R = const ComparisonRow&;
  static const base::Fields<ComparisonRow> fields = {
      {"analysis", Dimension::none, "by its name", [](R r) { return r.analysis; }},
      {"kind", Dimension::none, "LA, LBA, MNA, GNA, GMNA, GNIA, GMNIA; theory: a hand check",
       [](R r) { return r.kind; }},
      {"meaning", Dimension::none, "what the row is about", [](R r) { return r.meaning; }},
      {"load_factor", Dimension::load_factor, "of the variable loads", [](R r) { return r.load_factor; }},
      {"total_force", Dimension::force, "resultant of held + factor x growing; null: it is nothing at any factor",
       [](R r) { return r.force; }},
      {"ratio_to_linear", Dimension::share, "load factor over that of the linear buckling analysis it belongs to",
       [](R r) { return r.ratio; }},
      {"largest_displacement", Dimension::length, "at that state, of paths", [](R r) { return r.displacement; }},
      {"note", Dimension::none, "in words", [](R r) { return r.note; }}};
  return fields;
}

const base::Fields<RequirementVerdict>& verdict_fields() {
  using V = const RequirementVerdict&;
  static const base::Fields<RequirementVerdict> fields = {
      {"group", Dimension::none, "parts that the requirement is on", [](V v) { return v.group; }},
      {"required", Dimension::load_factor, "least critical load factor", [](V v) { return v.required; }},
      {"load_factor", Dimension::load_factor, "of the mode that governs", [](V v) { return v.load_factor; }},
      {"mode", Dimension::none, "that governs, from 1; 0: none of those computed", [](V v) { return v.mode + 1; }},
      {"part", Dimension::none, "with most of that mode's energy", [](V v) { return v.part; }},
      {"met", Dimension::none, "the requirement", [](V v) { return v.met; }}};
  return fields;
}

const base::Fields<ModeMatch>& match_fields() {
  using M = const ModeMatch&;
  static const base::Fields<ModeMatch> fields = {
      {"mode", Dimension::none, "from 1", [](M m) { return m.mode + 1; }},
      {"load_factor", Dimension::load_factor, "of this mode", [](M m) { return m.load_factor; }},
      {"other_mode", Dimension::none, "the one most like it, from 1; null: none is",
       [](M m) { return m.other < 0 ? base::FieldValue() : base::FieldValue(m.other + 1); }},
      {"other_load_factor", Dimension::load_factor, "of that mode", [](M m) { return m.other_load_factor; }},
      {"mac", Dimension::share, "modal assurance criterion: square of the cosine between the shapes",
       [](M m) { return m.likeness; }}};
  return fields;
}

const base::Fields<SecondOrder>& second_order_fields() {
  using S = const SecondOrder&;
  static const base::Fields<SecondOrder> fields = {
      {"load_factor", Dimension::load_factor,
       "of all moments here: the increment nearest to 1 before stability is lost", [](S s) { return s.load_factor; }},
      {"axial", Dimension::force, "by linear theory, at the most compressed place, tension positive",
       [](S s) { return s.axial; }},
      {"amplification", Dimension::none, "1 / (1 - f / fcr) with the first mode that takes the member along",
       [](S s) { return s.amplification; }},
      {"linear_y", Dimension::work, "largest moment about y, by linear theory", [](S s) { return s.linear_y; }},
      {"amplified_y", Dimension::work, "that, amplified", [](S s) { return s.linear_y * s.amplification; }},
      {"nonlinear_y", Dimension::work, "largest moment about y, by the path", [](S s) { return s.nonlinear_y; }},
      {"linear_z", Dimension::work, "largest moment about z, by linear theory", [](S s) { return s.linear_z; }},
      {"amplified_z", Dimension::work, "that, amplified", [](S s) { return s.linear_z * s.amplification; }},
      {"nonlinear_z", Dimension::work, "largest moment about z, by the path", [](S s) { return s.nonlinear_z; }}};
  return fields;
}

namespace {
template <class Record>
std::string table(const char* title, const base::Fields<Record>& fields) {
  std::string text = fmt::format("**{}**\n\n| field | in | meaning |\n|---|---|---|\n", title);
  for (const auto& f : fields) text += fmt::format("| `{}` | {} | {} |\n", f.name, to_text(f.dimension), f.meaning);
  return text + "\n";
}
}  // namespace

std::string fields_in_words() {
  return table("An increment of a path", analysis::increment_fields()) + table("A mode", analysis::mode_fields()) +
         table("What a mode is read as", analysis::reading_fields()) +
         table("Effective length of a member", analysis::effective_length_fields()) +
         table("Moments of a member in compression by second order", second_order_fields()) +
         table("A requirement", verdict_fields()) + table("Two modes side by side", match_fields()) +
         table("A row of the closing table", comparison_fields());
}

}  // namespace archway::study
