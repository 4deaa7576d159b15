#include "migrate_command.hpp"

#include <filesystem>
#include <utility>

#include <fmt/format.h>

#include "archway/io/migration.hpp"
#include "archway/io/study_file.hpp"
#include "write_file.hpp"

namespace archway::app {

namespace {
namespace fs = std::filesystem;

struct Converted {
  std::string file, before, after;
};

/// The old text goes to NAME.old, then the new one takes its place in one step.
void replace(const Converted& one) {
  const std::string old = one.file + ".old", fresh = one.file + ".new";
  write_file(old, one.before, "old study", true);
  write_file(fresh, one.after, "study", true);
  std::error_code trouble;
  fs::permissions(fresh, fs::status(one.file, trouble).permissions(), trouble);
  fs::rename(fresh, one.file, trouble);
  if (!trouble) return;
  fs::remove(fresh, trouble);
  throw WriteFailure{{one.file, "this file cannot be replaced", "check that its folder may be written"}};
}
}  // namespace

int command_migrate(const MigrateOptions& options, Console& console) {
  std::vector<Converted> list;
  std::vector<base::Complaint> wrong;
  for (const auto& file : options.files) try {
      const std::string text = io::study_text(file);
      list.push_back({file, text, io::migrate_study(text, file)});
      if (!options.print && fs::exists(file + ".old"))
        throw WriteFailure{{file + ".old", "this file exists already", "move it away, or use --print"}};
    } catch (const base::InputError& error) {
      wrong.insert(wrong.end(), error.complaints().begin(), error.complaints().end());
    }
  if (!wrong.empty()) throw base::InputError(std::move(wrong));
  for (const auto& one : list) {
    if (options.print) {
      console.out << one.after;
      continue;
    }
    replace(one);
    console.out << fmt::format("{} is of format {} now; the old text is in {}.old\n", one.file, io::kStudyFormat,
                               one.file);
  }
  return done;
}

}  // namespace archway::app
