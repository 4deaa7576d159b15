#pragma once

namespace archway::base {

/// Memory that a computation may take, in megabytes: ARCHWAY_MEMORY_MB when set to a positive number, else nine tenths
/// of what the machine has.
double memory_limit_megabytes();

}  // namespace archway::base
