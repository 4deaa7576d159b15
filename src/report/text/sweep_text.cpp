#include <cmath>

#include <fmt/format.h>

#include "text/text_detail.hpp"

namespace archway::report {

std::string sweep_text(const std::vector<study::CaseResult>& results, const study::Units& units) {
  using detail::number;
  detail::Table table({"case", "imperfection", fmt::format("largest [{}]", units.length), "of t", "load factor",
                       "ratio to LBA", "decided by"},
                      "rlrrrrl");
  const study::CaseResult* worst = nullptr;
  for (const auto& r : results) {
    const bool lost = r.first_loss < r.peak;
    table.row({fmt::format("{}", r.of.number), study::to_text(r.of), number(r.largest, 5),
               r.thickness > 0 ? number(r.largest / r.thickness, 4) : "-", number(r.load_factor()),
               std::isfinite(r.critical) ? number(r.load_factor() / r.critical, 4) : "-",
               !r.usable          ? r.ending
               : lost             ? "loss of stability"
               : r.is_limit_point ? "limit point"
                                  : "largest reached: " + r.ending});
    if (r.usable && std::isfinite(r.load_factor()) &&
        (worst == nullptr || r.load_factor() < worst->load_factor() * (1 - 1e-9)))
      worst = &r;
  }
  std::string text = table.text({});
  if (worst != nullptr)
    text += fmt::format("  the worst is case {} ({}): load factor {}{}\n", worst->of.number, study::to_text(worst->of),
                        number(worst->load_factor()),
                        std::isfinite(worst->critical)
                            ? fmt::format(", {:.3g} of the linear critical one", worst->load_factor() / worst->critical)
                            : "");
  return text;
}

}  // namespace archway::report
