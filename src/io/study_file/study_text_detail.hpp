#pragma once
#include "study_file/toml_reader_detail.hpp"

/// The text of a study before it is read, and written back.
namespace archway::io::detail {

/// \throws base::InputError: a key of very many parts takes the parser of the format down
void refuse_deep_keys(Reading& reading, const std::string& text);
/// Complains of control characters in keys and texts.
void refuse_control_characters(Reading& reading, const toml::node& node);

/// What reading a study took without it being written, by table.
using Defaults = std::map<const toml::table*, toml::table>;
/// A study as TOML with its defaults, and with parameters as the numbers they have come to.
std::string spelled_out(const toml::table& root, const Defaults& defaults,
                        const std::map<std::string, double>& parameters, const std::string& path);
/// Takes defaults out that reading refuses when they are written: some values can only be omitted, 0 for "never" for
/// instance. \return whether there was any
bool leave_out_refused(const std::vector<base::Complaint>& wrong, Defaults& defaults);

}  // namespace archway::io::detail
