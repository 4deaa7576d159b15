// Sound studies and meshes with pieces changed at random, carried as far as they go: read, checked, built, solved. What
// is allowed to happen is a result or a message; never a crash, a hang or much memory. Built with sanitizers (preset
// `asan`) it is run over thousands: mutations FIRST LAST FOLDER...; a few hundred run in every build.
#include <algorithm>
#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <iterator>
#include <random>
#include <string>
#include <sys/resource.h>
#include <vector>

#include "archway/io/mesh_file.hpp"
#include "archway/io/results_folder.hpp"
#include "archway/io/study_file.hpp"
#include "archway/study/build_model.hpp"
#include "archway/study/chain.hpp"

using namespace archway;
namespace fs = std::filesystem;
using Clock = std::chrono::steady_clock;

namespace {
constexpr double kLongest = 20;  // seconds for one
constexpr double kSolve = 3;     // seconds after which a chain is asked to stop
// larger ones are checked, not solved: time is for many, not for long ones
#ifdef __SANITIZE_ADDRESS__
constexpr int kMostDofs = 1500;
#else
constexpr int kMostDofs = 6000;
#endif
constexpr double kMostMemory = 4e9;

struct Seed {
  std::string name, text;
  bool study = false;
};

std::vector<Seed> seeds_of(const std::vector<std::string>& folders) {
  std::vector<Seed> seeds;
  for (const auto& folder : folders)
    for (const auto& entry : fs::directory_iterator(folder)) {
      const std::string name = entry.path().filename().string(), kind = entry.path().extension().string();
      std::ifstream file(entry.path(), std::ios::binary);
      std::string text{std::istreambuf_iterator<char>(file), {}};
      if (kind == ".toml") seeds.push_back({entry.path().string(), text, true});
      // the corpus of the readers: its first byte says which
      if (kind.empty() && !text.empty() && std::string("vopsc").find(text[0]) != std::string::npos)
        seeds.push_back({name, text, false});
    }
  std::sort(seeds.begin(), seeds.end(), [](const auto& a, const auto& b) { return a.name < b.name; });
  return seeds;
}

class Mutator {
 public:
  explicit Mutator(unsigned seed) : random_(seed) {}
  std::size_t below(std::size_t n) { return n == 0 ? 0 : random_() % n; }

  std::string study(std::string text, const std::string& other) {
    for (std::size_t k = 1 + below(3); k > 0; --k) text = one(std::move(text), other);
    return text;
  }
  std::string mesh(std::string text) {
    for (std::size_t k = 1 + below(4); k > 0 && text.size() > 2; --k) {
      const std::size_t at = 1 + below(text.size() - 1);
      switch (below(6)) {
        case 0:
          text[at] = static_cast<char>(below(256));
          break;
        case 1:
          text.erase(at, 1 + below(40));
          break;
        case 2:
          text.insert(at, text.substr(1 + below(text.size() - 1), 1 + below(60)));
          break;
        case 3:
          text.insert(at, odd_number());
          break;
        case 4:
          text.resize(at);
          break;
        default:
          text[at] = static_cast<char>(text[at] ^ (1 << below(8)));
      }
    }
    return text;
  }

 private:
  std::string odd_number() {
    static const std::vector<std::string> odd = {"0",       "-1",        "1e308",   "-1e308",    "nan",
                                                 "inf",     "1e-320",    "0.5",     "2.5",       "999999999",
                                                 "-0.0",    "1e20",      "1e-20",   "3",         "1000",
                                                 "17.25",   "\"x\"",     "\"1,5\"", "\"1/0\"",   "\"sqrt(-1)\"",
                                                 "true",    "[]",        "{}",      "[0, 0, 0]", "[1e30, 0, -1e-30]",
                                                 "\"all\"", "2147483648"};
    return odd[below(odd.size())];
  }
  static std::vector<std::pair<std::size_t, std::size_t>> numbers_in(const std::string& text) {
    std::vector<std::pair<std::size_t, std::size_t>> list;
    for (std::size_t k = 0; k < text.size(); ++k) {
      if (std::isdigit(static_cast<unsigned char>(text[k])) == 0) continue;
      std::size_t end = k;
      while (end < text.size() && (std::isalnum(static_cast<unsigned char>(text[end])) != 0 || text[end] == '.')) ++end;
      list.emplace_back(k, end - k);
      k = end;
    }
    return list;
  }
  static std::vector<std::string> lines_of(const std::string& text) {
    std::vector<std::string> lines;
    for (std::size_t from = 0; from < text.size();) {
      const std::size_t to = std::min(text.find('\n', from), text.size());
      lines.push_back(text.substr(from, to - from));
      from = to + 1;
    }
    return lines;
  }
  static std::string joined(const std::vector<std::string>& lines) {
    std::string text;
    for (const auto& line : lines) text += line + "\n";
    return text;
  }
  std::string one(std::string text, const std::string& other) {
    auto lines = lines_of(text);
    if (lines.empty()) return text;
    const std::size_t a = below(lines.size()), b = below(lines.size());
    switch (below(9)) {
      case 0:
      case 1:
      case 2: {
        const auto numbers = numbers_in(text);
        if (numbers.empty()) return text;
        const auto [at, length] = numbers[below(numbers.size())];
        return text.replace(at, length, odd_number());
      }
      case 3:
        lines.erase(lines.begin() + static_cast<std::ptrdiff_t>(a));
        return joined(lines);
      case 4:
        lines.insert(lines.begin() + static_cast<std::ptrdiff_t>(a), lines[b]);
        return joined(lines);
      case 5:
        std::swap(lines[a], lines[b]);
        return joined(lines);
      case 6: {
        const auto theirs = lines_of(other);
        if (!theirs.empty()) lines.insert(lines.begin() + static_cast<std::ptrdiff_t>(a), theirs[below(theirs.size())]);
        return joined(lines);
      }
      case 7: {  // the value of one key for another
        const auto p = lines[a].find('='), q = lines[b].find('=');
        if (p != std::string::npos && q != std::string::npos) lines[a] = lines[a].substr(0, p) + lines[b].substr(q);
        return joined(lines);
      }
      default: {
        const std::size_t at = below(text.size());
        text[at] = static_cast<char>(32 + below(95));
        return text;
      }
    }
  }
  std::mt19937 random_;
};

/// \return 'm': reported as wrong, 'c': built and checked, 's': solved
char carry_study(const std::string& text, const std::string& name) {
  try {
    auto spec = io::parse_study(text, name, {});
    if (!study::complaints(spec).empty()) return 'm';
    const auto model = study::build_model(spec);
    const auto report = study::check_model(spec, model, model.node_count() < kMostDofs);
    (void)io::check_json(spec, report);
    if (report.dofs > kMostDofs || report.has_mechanism) return 'c';
    const auto end = Clock::now() + std::chrono::duration<double>(kSolve);
    const auto next = [&] { return Clock::now() < end ? analysis::Next::go_on : analysis::Next::stop_keep_result; };
    for (auto& a : spec.analyses) a.modes = std::min(a.modes, 12), a.second_mesh = 0, a.sensitivities = false;
    study::ChainWatcher watcher;
    watcher.wants_stop = [&] { return Clock::now() > end; };
    watcher.buckling = [&](const analysis::BucklingProgress&) { return next(); };
    watcher.path = [&](const study::AnalysisOutcome&, const analysis::PathOptions&, const analysis::PathProgress&) {
      return next();
    };
    const auto result = study::run_study(spec, watcher);
    const bool named = text.find("nan") != std::string::npos;  // by the study itself
    if (!named && io::results_json(result).find("nan") != std::string::npos) std::abort();
    return 's';
  } catch (const base::InputError& error) {
    if (error.complaints().empty()) std::abort();
    return 'm';
  }
}

char carry_mesh(const std::string& text) {
  try {
    const char kind = text[0];
    const std::string body = text.substr(1);
    auto mesh = kind == 'c' ? io::parse_mesh_csv(
                                  body.substr(0, body.find('\f')),
                                  body.find('\f') == std::string::npos ? "" : body.substr(body.find('\f') + 1), "x")
                            : io::parse_mesh(body,
                                             kind == 'v'   ? io::MeshFormat::vtu
                                             : kind == 'o' ? io::MeshFormat::obj
                                             : kind == 'p' ? io::MeshFormat::ply
                                                           : io::MeshFormat::stl,
                                             "x");
    (void)io::inspect_mesh(mesh, 1e-6);
    return 'c';
  } catch (const base::InputError&) {
    return 'm';
  }
}
}  // namespace

int main(int argc, char** argv) {
  if (argc < 4) return std::fprintf(stderr, "mutations FIRST LAST FOLDER...\n"), 2;
  const unsigned first = static_cast<unsigned>(std::strtoul(argv[1], nullptr, 10)),
                 last = static_cast<unsigned>(std::strtoul(argv[2], nullptr, 10));
  const auto seeds = seeds_of({argv + 3, argv + argc});
  int told = 0, checked = 0, solved = 0;
  double slowest = 0;
  for (unsigned n = first; n < last; ++n) {
    Mutator mutator(n);
    const Seed& seed = seeds[mutator.below(seeds.size())];
    const std::string text =
        seed.study ? mutator.study(seed.text, seeds[mutator.below(seeds.size())].text) : mutator.mesh(seed.text);
    std::ofstream("last-mutation.txt", std::ios::binary) << n << " " << seed.name << "\n"
                                                         << text;  // the one that failed
    const auto start = Clock::now();
    const char what = seed.study ? carry_study(text, seed.name) : carry_mesh(text);
    const double taken = std::chrono::duration<double>(Clock::now() - start).count();
    slowest = std::max(slowest, taken);
    if (taken > kLongest) {
      std::printf("%u of %s took %.1f s\n", n, seed.name.c_str(), taken);
      fs::copy_file("last-mutation.txt", "slow-" + std::to_string(n) + ".txt", fs::copy_options::overwrite_existing);
    }
    (what == 'm' ? told : what == 'c' ? checked : solved) += 1;
  }
  rusage use{};
  getrusage(RUSAGE_SELF, &use);
  std::printf(
      "%u mutations of %zu seeds: %d reported as wrong, %d checked, %d solved; slowest %.1f s, most memory %.2f GB\n",
      last - first, seeds.size(), told, checked, solved, slowest, static_cast<double>(use.ru_maxrss) / 1e6);
  fs::remove("last-mutation.txt");
  return slowest > kLongest || 1e3 * static_cast<double>(use.ru_maxrss) > kMostMemory ? 1 : 0;
}
