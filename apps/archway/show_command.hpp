#pragma once
#include <map>

#include "archway/model/model.hpp"
#include "archway/study/spec.hpp"
#include "cli.hpp"

namespace archway::app {

struct ShowOptions {
  std::string study, what;  ///< what: a name or { rules }; empty: list all names
  std::string picture;      ///< file to draw to; empty: none
  std::string names;        ///< list the names of this kind, one a line: "analyses", "profiles" ...
};

/// A study that may not be finished, and the structure as far as it can be made.
struct WhatStands {
  study::StudySpec spec;
  model::Model model;
  std::size_t wrong = 0;  ///< things that are wrong in it
};
/// \throws base::InputError when nothing of it can be made
WhatStands what_stands(const std::string& file, const std::map<std::string, double>& overrides);
/// Nodes that a name or rules catch. \throws base::InputError when there are none
std::vector<int> caught(const WhatStands& study, const std::string& what, std::string& in_words);

/// archway show: what a selection catches (count, extent, parts, picture), or all names of a study.
int command_show(const ShowOptions& options, const std::map<std::string, double>& overrides, bool force,
                 Console& console);

}  // namespace archway::app
