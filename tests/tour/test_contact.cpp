// Parts that touch, from the study file to the tables and fields that are written.
#include <catch2/catch.hpp>

#include "desk.hpp"

using Catch::Matchers::Contains;
using tour::Desk;

TEST_CASE("contact: the shelves of a bench touch, and what passes between them is reported", "[tour]") {
  const Desk desk;
  const auto o = desk.run("archway run " ARCHWAY_SOURCE_DIR "/examples/studies/bench-two-shelves.toml --out out");
  INFO(o.err);
  REQUIRE(o.code == 0);
  CHECK_THAT(o.out, Contains("contact 'rest': touched by load factor 0.21"));
  CHECK_THAT(o.out, Contains("5 nodes press with 141.6 N"));
  const auto table = desk.read("out/tables/sag-contacts.csv");
  CHECK_THAT(table, Contains("gap,area,pressure\n"));
  CHECK_THAT(table, Contains(",rest,5,141.6"));
  CHECK_THAT(desk.read("out/vtu/sag-0008.vtu"), Contains("contact_pressure"));
  // what touches is drawn as it is, not enlarged until it goes through
  CHECK_THAT(desk.read("out/figures/sag-end.svg"), Contains("true scale"));
}
