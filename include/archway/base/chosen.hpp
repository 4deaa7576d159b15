#pragma once

namespace archway::base {

/// A number that was chosen and decides a result or a message; it is declared once, in the header of thresholds of its
/// folder, with its unit, its meaning and the reason for its value. tools/scan_thresholds.sh runs the known answers
/// with each of them three times as large and a third as large and writes what changes to docs/thresholds.md; for that
/// the environment variable ARCHWAY_SCAN="NAME:FACTOR" multiplies the one of that name. \return value, or factor x
/// value
double chosen(const char* name, double value);
/// The same of a share or a cosine whose distance from 1 counts: 1 - factor x (1 - value).
double chosen_below_one(const char* name, double value);

}  // namespace archway::base
