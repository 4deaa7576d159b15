#pragma once
#include "archway/study/spec.hpp"

namespace archway::study {

/// One table of [[residual_stresses]]: on, and pattern and share, or stress (and along), or beside, width and stress.
ResidualStressSpec read_residual_stress(Keys& keys);

}  // namespace archway::study
