#include <fmt/format.h>

#include "spec/references_detail.hpp"

namespace archway::study {

std::string imperfections_text(const AnalysisSpec& analysis) {
  std::string text;
  for (const auto& [name, factor] : analysis.imperfections) {
    if (factor < 0)
      text += text.empty() ? "-" : " - ";
    else
      text += text.empty() ? "" : " + ";
    text += std::abs(factor) == 1 ? name : fmt::format("{:g} {}", std::abs(factor), name);
  }
  return text;
}

namespace {
/// "wall=4,refine=2".
std::string mark_of(const Variant& variant) {
  std::string text;
  for (const auto& [name, value] : variant.parameters)
    text += fmt::format("{}{}={:g}", text.empty() ? "" : ",", name, value);
  if (variant.refine != 1) text += fmt::format("{}refine={:g}", text.empty() ? "" : ",", variant.refine);
  return text;
}

class BringAlong {
 public:
  explicit BringAlong(StudySpec& spec) : spec_(spec), own_(spec.analyses) {}

  void run() {
    std::vector<AnalysisSpec> list;
    for (auto a : own_) {
      if (!a.variant.is_base()) lean(a, "@" + mark_of(a.variant), list);
      list.push_back(a);
    }
    for (const auto& design : spec_.designs)
      for (const auto& a : own_)
        if (a.variant.is_base()) list.push_back(under(design, a));
    spec_.analyses = std::move(list);
  }

 private:
  const AnalysisSpec* original(const std::string& name) const {
    for (const auto& a : own_)
      if (a.name == name) return &a;
    return nullptr;
  }

  std::vector<std::string> sources_of(const AnalysisSpec& a) const {
    std::vector<std::string> names;
    if (!a.source.empty()) names.push_back(a.source);
    for (const auto& [name, factor] : a.imperfections)
      if (const auto* i = spec_.find_imperfection(name); i != nullptr && !i->made_from.empty())
        names.push_back(i->made_from);
    return names;
  }

  /// Puts copies of what an analysis is made from, on its own structure, into the list.
  void lean(AnalysisSpec& a, const std::string& suffix, std::vector<AnalysisSpec>& list) const {
    for (const auto& name : sources_of(a)) {
      const auto* source = original(name);
      if (source == nullptr || !differ(a, *source)) continue;
      a.suffix = suffix;
      if (a.source == name) a.source += suffix;
      if (std::any_of(list.begin(), list.end(), [&](const auto& one) { return one.name == name + suffix; })) continue;
      AnalysisSpec copy = *source;
      copy.variant = a.variant;
      lean(copy, suffix, list);
      copy.name = name + suffix;
      copy.suffix = suffix;
      copy.second_mesh = 0;
      list.push_back(std::move(copy));
    }
  }

  AnalysisSpec under(const DesignSpec& design, AnalysisSpec a) const {
    a.suffix = "@" + design.name;
    a.design = design.name;
    a.variant.parameters = design.parameters;
    if (const auto* source = original(a.source); source != nullptr && source->variant.is_base()) a.source += a.suffix;
    a.name += a.suffix;
    return a;
  }

  StudySpec& spec_;
  std::vector<AnalysisSpec> own_;
};
}  // namespace

void bring_along(StudySpec& spec) {
  BringAlong(spec).run();
}

}  // namespace archway::study
