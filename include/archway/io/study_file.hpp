#pragma once
#include <map>
#include <string>

#include "archway/study/spec.hpp"

namespace archway::io {

/// Reads a study file (TOML, schema in docs/study-file.md).
/// \param overrides  parameters given from outside, by name; they win over the file
/// \throws base::InputError with all complaints, each with file:line:column, the source line and a remedy
study::StudySpec read_study(const std::string& path, const std::map<std::string, double>& overrides = {});

/// The same from text; `file` is only used in messages.
study::StudySpec parse_study(const std::string& text, const std::string& file,
                             const std::map<std::string, double>& overrides = {});

/// A selection as `at` takes it in a study file: a name, or { rules }. \throws base::InputError
model::Selection parse_selection(const study::StudySpec& spec, const std::string& text);

/// A commented study file to start from, runnable as it is.
std::string starter_study();

}  // namespace archway::io
