#pragma once
#include <map>
#include <string>
#include <vector>

namespace archway::app {

/// NAME=VALUE as typed behind a command.
struct Assignments {
  std::map<std::string, double> numbers;
  std::map<std::string, std::string> words;  ///< values that are no number
};
/// \param example  for the message. \throws base::InputError for what has no name or no value
Assignments assignments(const std::vector<std::string>& texts, const char* example);
/// The same where only numbers make sense.
std::map<std::string, double> number_assignments(const std::vector<std::string>& texts, const char* example);

}  // namespace archway::app
