#pragma once
#include "archway/analysis/mode_reading.hpp"
#include "archway/analysis/path_records.hpp"
#include "archway/base/fields.hpp"

/// Fields of the records of results; whoever writes or lists results goes through these.
namespace archway::analysis {

const base::Fields<Increment>& increment_fields();
const base::Fields<Mode>& mode_fields();
/// Numbers of a reading; what it has by part or action is written apart.
const base::Fields<ModeReading>& reading_fields();
const base::Fields<EffectiveLength>& effective_length_fields();

}  // namespace archway::analysis
