#pragma once
#include <string>

#include <CLI/CLI.hpp>

#include "cli.hpp"

namespace archway::app {

/// Completion script of a shell, made from the declarations of the command line. \param shell  "bash", "zsh" or "fish"
std::string completion_script(const CLI::App& app, const std::string& shell);

/// The manual page archway(1), made from the same declarations.
std::string manual_page(const CLI::App& app);

}  // namespace archway::app
