#include <algorithm>

#include <fmt/format.h>

#include "study_file/study_reader_detail.hpp"

namespace archway::io::detail {

double read_friction(TableReader& t) {
  const double friction = t.number("friction", 0.0);
  if (friction < 0) t.complain(t.place("friction"), fmt::format("the friction is {:g}", friction), "give zero or more");
  return friction;
}

/// [[contacts]]: parts that may touch each other.
void read_contacts(TableReader& root, study::StudySpec& spec) {
  root.each("contacts", "this contact", [&](TableReader& t) {
    study::ContactSpec c;
    c.place = t.place();
    c.name = t.text("name", fmt::format("contact-{}", spec.contacts.size() + 1));
    c.between = t.texts("between");
    c.within = t.texts("self_contact");
    if (c.between.empty() == c.within.empty())
      t.complain(
          t.place(), fmt::format("contact '{}' does not say what may touch what", c.name),
          "give between = [\"one part\", \"other part\"], or self_contact = \"part\" for one that may touch itself");
    if (!c.between.empty() && c.between.size() != 2)
      t.complain(t.place("between"), fmt::format("contact '{}' is between {} parts", c.name, c.between.size()),
                 "name two; for more, give one contact a pair, or self_contact = [..]");
    if (t.has("independent")) {
      c.leads = t.text("independent");
      if (std::find(c.between.begin(), c.between.end(), c.leads) == c.between.end())
        t.complain(t.place("independent"), fmt::format("'{}' is none of the two", c.leads), "name one of 'between'");
    }
    c.friction = read_friction(t);
    c.edges = t.flag("edge_contact", false);
    c.close_gaps = t.choice("initial_gaps", {"kept", "closed"}, "kept") == 1;
    c.overlap_is_free = t.choice("initial_penetration", {"refused", "stress-free"}, "refused") == 1;
    spec.contacts.push_back(c);
  });
}

}  // namespace archway::io::detail
