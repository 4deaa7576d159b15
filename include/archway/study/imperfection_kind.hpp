#pragma once
#include "archway/study/spec.hpp"

namespace archway::study {

/// Reads one imperfection: modes of a buckling analysis with an amplitude.
ImperfectionSpec read_imperfection(Keys& keys);

}  // namespace archway::study
