#pragma once
#include <string>

namespace archway::io {

/// Rewrites a study of before format 1 in the words of format 1. Comments, order and layout are kept: only keys, words
/// and tables that have another name are replaced in the text.
/// \param text  the old study  \param file  its name, for messages
/// \returns the study in format 1
/// \throws base::InputError  when the text is not TOML, has no [study], or is of format 1 already
std::string migrate_study(const std::string& text, const std::string& file);

}  // namespace archway::io
