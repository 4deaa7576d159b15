#pragma once
#include <filesystem>
#include <fstream>
#include <unistd.h>

#include <fmt/format.h>

#include "archway/io/study_file.hpp"
#include "archway/study/build_model.hpp"
#include "archway/study/chain.hpp"
#include "archway/study/imperfection_kind.hpp"

/// Pieces of study files, and what comes of running them. Lengths in mm, forces in N.
namespace archway::test {

inline std::string head(const std::string& more = "") {
  return "[study]\ntitle = \"trial\"\nformat = 1\nunits = { force = \"N\", length = \"mm\" }\n" + more +
         "\n[materials.m]\nyoungs_modulus = 200000\npoisson_ratio = 0.3\ndensity = 8e-9\nthermal_expansion = 1.2e-5\n";
}
inline std::string profile(const std::string& name, const std::string& shape) {
  return fmt::format("\n[profiles.{}]\n{}\n", name, shape);
}
inline std::string member(const std::string& name, const std::string& from, const std::string& to,
                          const std::string& more = "", const std::string& profile = "r") {
  return fmt::format("\n[[members]]\nname = \"{}\"\nmaterial = \"m\"\nprofile = \"{}\"\nfrom = {}\nto = {}\n{}\n", name,
                     profile, from, to, more);
}
inline std::string panel(const std::string& name, const std::string& corner, const std::string& along,
                         const std::string& across, const std::string& divisions, const std::string& more = "",
                         double thickness = 4) {
  return fmt::format(
      "\n[[panels]]\nname = \"{}\"\nmaterial = \"m\"\nthickness = {}\ncorner = {}\nalong = {}\nacross = {}\ndivisions "
      "= "
      "{}\n{}\n",
      name, thickness, corner, along, across, divisions, more);
}
/// Nodes of an element of walls by the word that tests call it.
inline std::string nodes_of(const std::string& faces) {
  return faces == "three" ? "3" : faces == "nine" ? "9" : "4";
}
inline std::string support(const std::string& at, const std::string& hold, const std::string& more = "") {
  return fmt::format("\n[[supports]]\nat = {}\nrestrain = {}\n{}\n", at, hold, more);
}
inline std::string action(const std::string& name, const std::string& loads) {
  return fmt::format("\n[[actions]]\nname = \"{}\"\nloads = [{}]\n", name, loads);
}
inline std::string force(const std::string& at, const std::string& force) {
  return fmt::format("{{ kind = \"force\", at = {}, force = {} }}", at, force);
}
inline std::string step(const std::string& name, const std::string& kind, const std::string& more) {
  return fmt::format("\n[[analyses]]\nname = \"{}\"\nkind = \"{}\"\n{}\n", name, kind, more);
}

inline std::string shape(const std::string& name, const std::string& more) {
  return fmt::format("\n[[imperfections]]\nname = \"{}\"\n{}\n", name, more);
}

inline study::StudyResult run(const std::string& text) {
  return study::run_study(io::parse_study(text, "trial.toml", {}));
}
/// Load factor of a mode, from 1.
inline double factor(const study::StudyResult& result, std::size_t mode = 1, const std::string& name = "b") {
  return result.find(name)->buckling->modes.at(mode - 1).load_factor;
}
inline double largest_displacement(const study::StudyResult& result, const std::string& name = "la") {
  const auto& u = result.find(name)->linear->displacement;
  double most = 0;
  for (Eigen::Index n = 0; n < u.size(); n += model::kNodeDofs) most = std::max(most, u.segment<3>(n).norm());
  return most;
}
inline bool told(const std::vector<std::string>& list, const std::string& piece) {
  return std::any_of(list.begin(), list.end(),
                     [&](const std::string& text) { return text.find(piece) != std::string::npos; });
}

/// An imperfection that needs no analysis, on its structure.
inline study::SeededShape made(const std::string& text, const std::string& name) {
  const auto spec = io::parse_study(text, "trial.toml", {});
  const auto model = study::build_model(spec);
  return study::make_shape(spec, *spec.find_imperfection(name), model, [](const std::string&) { return nullptr; });
}
/// What a shape is refused with; empty: it is made.
inline std::string refusal_of_shape(const std::string& text, const std::string& name) {
  try {
    (void)made(text, name);
  } catch (const base::InputError& error) {
    return error.what();
  }
  return "";
}
/// A file that a study may name.
inline std::string in_file(const std::string& name, const std::string& content) {
  const auto path = std::filesystem::temp_directory_path() / fmt::format("archway-{}-{}", ::getpid(), name);
  std::ofstream(path) << content;
  return path.string();
}

/// The path of an analysis that was run.
inline const analysis::PathResult& path_of(const study::StudyResult& r, const char* name = "g") {
  return *r.find(name)->path;
}
/// What a study is refused with; empty: it runs.
inline std::string complaint_of(const std::string& text) {
  try {
    (void)run(text);
  } catch (const base::InputError& error) {
    return error.what();
  }
  return "";
}

}  // namespace archway::test
