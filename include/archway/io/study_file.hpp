#pragma once
#include <map>
#include <set>
#include <string>

#include "archway/study/format.hpp"
#include "archway/study/spec.hpp"

namespace archway::io {

using study::kStudyFormat;

/// Reads a study file (TOML, schema in docs/study-file.md).
/// \param overrides  parameters given from outside, by name; they win over the file
/// \throws base::InputError with all complaints, each with file:line:column, the source line and a remedy
study::StudySpec read_study(const std::string& path, const std::map<std::string, double>& overrides = {});

/// Text of a study file. \throws base::InputError when it cannot be read, or is larger than 64 MB
std::string study_text(const std::string& path);

/// The same of a study that is not finished: what is wrong with single entries goes to `wrong`, and they are as far as
/// they were read. Copies are not made then. \throws base::InputError when the file cannot be read or is no TOML
study::StudySpec read_what_stands(const std::string& path, const std::map<std::string, double>& overrides,
                                  std::vector<base::Complaint>& wrong);

/// The same from text; `file` is only used in messages.
study::StudySpec parse_study(const std::string& text, const std::string& file,
                             const std::map<std::string, double>& overrides = {});

/// A study file with every default that reading it has taken spelled out, as a study file again: expressions stay,
/// overrides are written in, keys of a table are in the order of the alphabet. \throws base::InputError as read_study
std::string study_in_full(const std::string& path, const std::map<std::string, double>& overrides = {});

/// Keys that reading a study looks for, by the path of their table in study::study_format(). \param text  of a study
/// file
std::map<std::string, std::set<std::string>> keys_asked_for(const std::string& text);

/// A selection as `at` takes it in a study file: a name, or { rules }. \throws base::InputError
model::Selection parse_selection(const study::StudySpec& spec, const std::string& text);

/// A commented study file to start from, runnable as it is.
std::string starter_study();

}  // namespace archway::io
