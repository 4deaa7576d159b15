// The trade's words: what docs/glossary.md lists as not used is used nowhere that a user or a caller reads.
#include <fstream>
#include <regex>
#include <set>
#include <sstream>

#include <catch2/catch.hpp>

#include "desk.hpp"

namespace {
namespace fs = std::filesystem;
const fs::path kSource = ARCHWAY_SOURCE_DIR;

std::string text_of(const fs::path& path) {
  std::ostringstream out;
  out << std::ifstream(path, std::ios::binary).rdbuf();
  return out.str();
}

std::vector<fs::path> files_in(const char* folder, const std::set<std::string>& endings) {
  std::vector<fs::path> list;
  for (const auto& entry : fs::recursive_directory_iterator(kSource / folder))
    if (endings.count(entry.path().extension().string()) > 0) list.push_back(entry.path());
  return list;
}

/// Words in the first column of the last table of the glossary.
std::set<std::string> private_words(const std::string& glossary) {
  const auto begin = glossary.find("## Words that are not used");
  std::set<std::string> words;
  const std::string list = glossary.substr(begin);
  static const std::regex kRow("\n\\| (`[^|]*)\\|"), kWord("`([a-z]+)`");
  for (std::sregex_iterator row(list.begin(), list.end(), kRow), none; row != none; ++row) {
    const std::string cell = (*row)[1];
    for (std::sregex_iterator word(cell.begin(), cell.end(), kWord); word != none; ++word) words.insert((*word)[1]);
  }
  return words;
}

/// Checks the pieces of a text that a pattern finds.
void check_pieces(const fs::path& file, const std::string& text, const std::regex& piece,
                  const std::set<std::string>& words) {
  static const std::regex kWord("[A-Za-z_-]+");
  for (std::sregex_iterator p(text.begin(), text.end(), piece), none; p != none; ++p) {
    const std::string own = p->str();
    if (own[0] == '"' && own.find(' ') == std::string::npos) continue;  // a key, not a sentence
    for (std::sregex_iterator w(own.begin(), own.end(), kWord); w != none; ++w) {
      std::string word = w->str();
      for (char& c : word) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
      if (words.count(word) == 0) continue;
      CAPTURE(file.string(), own);
      CHECK(word == "not to be used");
    }
  }
}
}  // namespace

TEST_CASE("words: private ones stand in no document, header or message", "[tour]") {
  const auto glossary = text_of(kSource / "docs" / "glossary.md");
  const auto words = private_words(glossary);
  REQUIRE(words.size() > 10);
  auto documents = files_in("docs", {".md"});
  documents.push_back(kSource / "README.md");
  documents.push_back(kSource / "CONTRIBUTING.md");
  for (const auto& file : documents) {
    if (file.filename() == "bibliography.md") continue;  // titles of papers
    const std::regex code("`[^`\n]*`");
    check_pieces(file, std::regex_replace(text_of(file), code, ""), std::regex("[^\n]+"), words);
  }
  for (const auto& file : files_in("include", {".hpp"}))
    check_pieces(file, text_of(file), std::regex("//[^\n]*"), words);
  for (const char* folder : {"src", "apps"})
    for (const auto& file : files_in(folder, {".cpp", ".hpp"}))
      if (file.filename().string().find("migration") != 0)
        check_pieces(file, text_of(file), std::regex("\"(?:[^\"\\\\\n]|\\\\.)*\""), words);
}
