#include "archway/study/residual_stress.hpp"

namespace archway::study {

ResidualStressSpec read_residual_stress(Keys& keys) {
  using Pattern = ResidualStressSpec::Pattern;
  static const std::vector<std::string> words = {"rolled-i", "welded-i", "welded-box"};
  ResidualStressSpec r;
  r.place = keys.place();
  r.parts = keys.texts("on");
  if (!keys.has("on")) keys.complain(keys.place(), "these residual stresses are nowhere", "add on = \"...\"");
  if (keys.has("pattern")) {
    r.pattern =
        std::array{Pattern::rolled_i, Pattern::welded_i, Pattern::welded_box}[keys.choice("pattern", words, "")];
    r.share = keys.number("yield_ratio", 0.0);
    if (r.share < 0 || r.share > 1)
      keys.complain(keys.place("yield_ratio"), "'yield_ratio' is one of the yield stress",
                    "give a number between 0 and 1");
    return r;
  }
  r.stress_at = keys.field("stress");
  if (!r.stress_at) r.stress = keys.number("stress");
  r.along = keys.vector("along", base::Vec3(base::Vec3::Zero()));
  if (!keys.has("weld_line")) return r;
  r.beside = keys.spot("weld_line");
  r.width = keys.number("width");
  if (!(r.width > 0)) keys.complain(keys.place("width"), "the band has no width", "give one above zero");
  if (r.stress_at) keys.complain(keys.place("stress"), "the stress of a band is the same all over it", "give a number");
  return r;
}

}  // namespace archway::study
