#pragma once

namespace archway::base {

/// Memory that a computation may take, in megabytes: ARCHWAY_MEMORY_MB when set to a positive number, else nine tenths
/// of what the machine has.
double memory_limit_megabytes();

/// For programs that solve and do little else: memory that is given back stays with the process instead of being taken
/// away and cleared each time, since factorisations ask for the same large pieces again and again.
void keep_memory();

}  // namespace archway::base
