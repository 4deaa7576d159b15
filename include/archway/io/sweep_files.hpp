#pragma once
#include <map>
#include <optional>
#include <string>

#include "archway/study/sweep.hpp"

namespace archway::io {

/// What the results of a case hang on, as a checksum: the program's version, the study without its sweeps and hand
/// checks, its parameters from outside, the files it names, and the case itself. Equal keys, equal results.
std::string case_key(const study::StudySpec& spec, const study::SweepSpec& sweep, const study::SweepCase& one);

/// One small file a case, whole or not there.
std::string case_file(const std::string& folder, int number);
std::string case_text(const study::CaseResult& result, const std::string& key);
/// \return none: no file, or of another key. \throws base::InputError when it cannot be understood
std::optional<study::CaseResult> read_case(const std::string& file, const std::string& key);
/// The key that a file has; empty: it is none of ours.
std::string key_in(const std::string& file);

/// All results as a table.
std::string sweep_csv(const std::vector<study::CaseResult>& results, const std::map<std::string, double>& critical);

}  // namespace archway::io
