#include "manual_command.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include "archway/io/results_folder.hpp"

namespace archway::app {

namespace {
std::vector<const CLI::App*> commands_of(const CLI::App& app) {
  std::vector<const CLI::App*> list;
  for (const auto* command : app.get_subcommands([](const CLI::App*) { return true; })) list.push_back(command);
  return list;
}

/// "-o", "--out": every spelling of every option of a command.
std::vector<std::string> spellings(const CLI::App& command) {
  std::vector<std::string> list;
  for (const auto* option : command.get_options()) {
    for (const auto& name : option->get_snames()) list.push_back("-" + name);
    for (const auto& name : option->get_lnames()) list.push_back("--" + name);
  }
  return list;
}

std::string bash(const CLI::App& app) {
  std::vector<std::string> names;
  std::string cases;
  for (const auto* command : commands_of(app)) {
    names.push_back(command->get_name());
    cases += fmt::format("    {}) options=\"{}\" ;;\n", command->get_name(), fmt::join(spellings(*command), " "));
  }
  return fmt::format(
      "# bash completion of archway: source this file, or put it into /etc/bash_completion.d\n"
      "_archway() {{\n"
      "  local word=\"${{COMP_WORDS[COMP_CWORD]}}\" options=\"\"\n"
      "  if [ \"$COMP_CWORD\" -eq 1 ]; then\n"
      "    COMPREPLY=($(compgen -W \"{} --help --version\" -- \"$word\"))\n"
      "    return\n"
      "  fi\n"
      "  case \"${{COMP_WORDS[1]}}\" in\n{}  esac\n"
      "  local before=\"${{COMP_WORDS[COMP_CWORD - 1]}}\" study=\"${{COMP_WORDS[2]}}\"\n"
      "  case \"$before\" in\n"
      "    --only | --from) COMPREPLY=($(compgen -W \"$(archway show \"$study\" --names analyses 2>/dev/null)\" -- "
      "\"$word\")); return ;;\n"
      "    --profile) COMPREPLY=($(compgen -W \"$(archway show \"$study\" --names profiles 2>/dev/null)\" -- "
      "\"$word\")); return ;;\n"
      "    --material) COMPREPLY=($(compgen -W \"$(archway show \"$study\" --names materials 2>/dev/null)\" -- "
      "\"$word\")); return ;;\n"
      "  esac\n"
      "  if [ \"$COMP_CWORD\" -eq 3 ] && [ \"${{word:0:1}}\" != - ]; then\n"
      "    case \"${{COMP_WORDS[1]}}\" in\n"
      "      shape) COMPREPLY=($(compgen -W \"$(archway show \"$study\" --names imperfections 2>/dev/null)\" -- "
      "\"$word\")); return ;;\n"
      "      sweep) COMPREPLY=($(compgen -W \"$(archway show \"$study\" --names sweeps 2>/dev/null)\" -- \"$word\")); "
      "return ;;\n"
      "    esac\n"
      "  fi\n"
      "  if [ \"${{word:0:1}}\" = - ]; then COMPREPLY=($(compgen -W \"$options\" -- \"$word\"))\n"
      "  else COMPREPLY=($(compgen -f -- \"$word\")); fi\n"
      "}}\n"
      "complete -o filenames -F _archway archway\n",
      fmt::join(names, " "), cases);
}

/// A text inside single quotes of a shell.
std::string quoted(std::string text) {
  for (std::size_t at = 0; (at = text.find('\'', at)) != std::string::npos; at += 4) text.replace(at, 1, "'\\''");
  return "'" + text + "'";
}

std::string zsh(const CLI::App& app) {
  // zsh reads completions of bash
  return "#compdef archway\n# zsh completion of archway: source this file\nautoload -U +X bashcompinit && bashcompinit\n" +
         bash(app);
}

std::string fish(const CLI::App& app) {
  std::string out = "# fish completion of archway: put it into ~/.config/fish/completions/archway.fish\n";
  for (const auto* command : commands_of(app)) {
    out += fmt::format("complete -c archway -n __fish_use_subcommand -f -a {} -d {}\n", command->get_name(),
                       quoted(command->get_description()));
    for (const auto* option : command->get_options()) {
      std::string names;
      for (const auto& name : option->get_snames()) names += " -s " + name;
      for (const auto& name : option->get_lnames()) names += " -l " + name;
      if (!names.empty())
        out += fmt::format("complete -c archway -n '__fish_seen_subcommand_from {}'{}{} -d {}\n", command->get_name(),
                           names, option->get_expected_min() > 0 ? " -r" : "", quoted(option->get_description()));
    }
  }
  return out;
}

/// Text of a manual page: a point or quote at the beginning of a line and backslashes mean something there.
std::string roff(std::string text) {
  for (std::size_t at = 0; (at = text.find('\\', at)) != std::string::npos; at += 2) text.insert(at, "\\");
  for (std::size_t at = 0; (at = text.find('-', at)) != std::string::npos; at += 2) text.insert(at, "\\");
  std::string out;
  for (std::size_t k = 0; k < text.size(); ++k) {
    if ((k == 0 || text[k - 1] == '\n') && (text[k] == '.' || text[k] == '\'')) out += "\\&";
    out += text[k];
  }
  return out;
}

std::string options_text(const CLI::App& command) {
  std::string out;
  for (const auto* option : command.get_options()) {
    if (option->get_lnames().empty() && option->get_snames().empty())
      out += fmt::format(".TP\n.I {}\n{}\n", roff(option->get_name()), roff(option->get_description()));
    else
      out += fmt::format(".TP\n.B {}\n{}\n", roff(option->get_name(false, true)), roff(option->get_description()));
  }
  return out;
}
}  // namespace

std::string completion_script(const CLI::App& app, const std::string& shell) {
  return shell == "fish" ? fish(app) : shell == "zsh" ? zsh(app) : bash(app);
}

std::string manual_page(const CLI::App& app) {
  std::string page = fmt::format(
      ".TH ARCHWAY 1 \"\" \"Archway {}\" \"User Commands\"\n.SH NAME\narchway \\- buckling and collapse analysis of "
      "slender structures and thin shells\n.SH SYNOPSIS\n.B archway\n.I command\n[options]\n.SH DESCRIPTION\n{}\n.SH "
      "COMMANDS\n",
      io::program_version(), roff(app.get_description()));
  for (const auto* command : commands_of(app))
    page += fmt::format(".SS archway {}\n{}\n{}", command->get_name(), roff(command->get_description()),
                        options_text(*command));
  return page + fmt::format(".SH NOTES\n.nf\n{}\n.fi\n", roff(app.get_footer()));
}

}  // namespace archway::app
