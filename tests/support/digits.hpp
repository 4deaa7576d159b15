#pragma once
#include <algorithm>
#include <cmath>
#include <string>

#include <catch2/catch.hpp>

namespace archway::test {

/// Number of decimal digits two values share; 0 when either is not finite.
inline double matching_digits(double got, double want, double cap = 15) {
  const double scale = want == 0.0 ? 1.0 : std::abs(want);
  const double error = std::abs(got - want) / scale;
  if (!std::isfinite(error)) return 0.0;
  return error == 0.0 ? cap : std::clamp(-std::log10(error), 0.0, cap);
}

/// For values that two exact ways lead to: nine digits, and nothing is near to zero.
inline Catch::Detail::Approx but_for_rounding(double value) {
  return Catch::Detail::Approx(value).epsilon(1e-9).margin(0);
}

}  // namespace archway::test

/// Asks for a number of agreeing digits, and says how many there were and why so many are expected.
#define CHECK_DIGITS(got, want, digits, reason)                                                      \
  do {                                                                                               \
    const double got_ = (got), want_ = (want);                                                       \
    INFO("got " << got_ << ", want " << want_ << ": " << archway::test::matching_digits(got_, want_) \
                << " digits, because " << (reason));                                                 \
    CHECK(archway::test::matching_digits(got_, want_) >= (digits));                                  \
  } while (false)
