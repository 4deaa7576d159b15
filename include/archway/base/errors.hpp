#pragma once
#include <stdexcept>
#include <string>
#include <vector>

namespace archway::base {

/// Outcome of a small evaluation; reports the caller what to do next.
enum class Verdict {
  good,         ///< the outputs are valid
  recoverable,  ///< this state cannot be evaluated (an element has folded over): take a smaller step
  fatal         ///< the input itself is impossible: give up
};

/// One thing that is wrong with what a person gave us.
struct Complaint {
  std::string place;    ///< "vault.toml:14:3" or "part 'skin', element 212"; empty when nothing better is known
  std::string problem;  ///< what is wrong
  std::string remedy;   ///< what to do about it
  std::string excerpt;  ///< the source line with a caret below it, for study files; may be empty
};

/// The text with control characters other than line ends and tabs replaced by '?', fit for a terminal, SVG or HTML.
std::string printable(std::string text);

/// Text of a complaint as the user sees it: "place: problem", the excerpt, then the remedy.
std::string to_text(const Complaint& complaint);

/// Bad input by a person or a file. All complaints that could be found are in one throw; nothing was computed.
class InputError : public std::runtime_error {
 public:
  explicit InputError(std::vector<Complaint> complaints);
  InputError(std::string place, std::string problem, std::string remedy);
  const std::vector<Complaint>& complaints() const noexcept { return complaints_; }

 private:
  std::vector<Complaint> complaints_;
};

/// The machine is not large enough for what is right in itself. The message says how much is wanted, where known.
class OutOfMemory : public std::runtime_error {
 public:
  explicit OutOfMemory(const std::string& message) : std::runtime_error(message) {}
};

/// The word of `known` that is closest to `word` (edit distance at most a third of its length), or "".
std::string closest_word(const std::string& word, const std::vector<std::string>& known);

/// Remedy for an unknown word: "did you mean '...'?" when one is close, else "<lead>: " and all known words, else
/// `none`.
std::string suggestion(const std::string& word, const std::vector<std::string>& known,
                       const std::string& lead = "known", const std::string& none = "define it first");

}  // namespace archway::base
