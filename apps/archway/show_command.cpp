#include "show_command.hpp"

#include <algorithm>
#include <set>

#include <fmt/format.h>

#include "archway/io/study_file.hpp"
#include "archway/model/selection.hpp"
#include "archway/report/figures.hpp"
#include "archway/study/build_model.hpp"
#include "write_file.hpp"

namespace archway::app {

WhatStands what_stands(const std::string& file, const std::map<std::string, double>& overrides) {
  std::vector<base::Complaint> wrong;
  WhatStands found{io::read_what_stands(file, overrides, wrong), {}, 0};
  if (wrong.empty()) {
    try {
      found.model = study::build_model(found.spec);
      return found;
    } catch (const base::InputError&) {
      wrong.clear();
    }
  }
  found.model = study::build_what_stands(found.spec, wrong);
  found.wrong = std::max<std::size_t>(wrong.size(), 1);
  if (found.model.nodes.empty()) throw base::InputError(std::move(wrong));
  return found;
}

std::vector<int> caught(const WhatStands& study, const std::string& what, std::string& in_words) {
  const auto selection = io::parse_selection(study.spec, what);
  if (!selection.group.empty() && study.model.groups.count(selection.group) == 0) {
    std::vector<std::string> names;
    for (const auto& [name, nodes] : study.model.groups) names.push_back(name);
    throw base::InputError(study.spec.file, fmt::format("nothing is called '{}'", selection.group),
                           base::suggestion(selection.group, names));
  }
  auto nodes = model::select(study.model, selection);
  if (nodes.empty())
    throw base::InputError(study.spec.file, fmt::format("the selection {} catches no node", selection.text()),
                           "check the name and the coordinates; planes and boxes must pass through mesh nodes");
  in_words = selection.text();
  return nodes;
}

namespace {
using base::Vec3;

std::string extent(const model::Model& model, const std::vector<int>& nodes) {
  Vec3 low = model.nodes[static_cast<std::size_t>(nodes[0])], high = low;
  for (const int n : nodes) {
    low = low.cwiseMin(model.nodes[static_cast<std::size_t>(n)]);
    high = high.cwiseMax(model.nodes[static_cast<std::size_t>(n)]);
  }
  // a coordinate that is zero but for rounding
  for (Vec3* v : {&low, &high})
    for (int k = 0; k < 3; ++k)
      if (std::abs((*v)[k]) < 1e-9 * model.size()) (*v)[k] = 0;
  return low == high ? fmt::format("at ({:.6g}, {:.6g}, {:.6g})", low.x(), low.y(), low.z())
                     : fmt::format("from ({:.6g}, {:.6g}, {:.6g}) to ({:.6g}, {:.6g}, {:.6g})", low.x(), low.y(),
                                   low.z(), high.x(), high.y(), high.z());
}

template <class List>
void print_names(const List& list, Console& console) {
  for (const auto& one : list) console.out << one.name << "\n";
}

/// Names that the study gives, one a line, for completion in a shell.
void names_of_kind(const study::StudySpec& spec, const std::string& kind, Console& console) {
  if (kind == "analyses") print_names(spec.analyses, console);
  if (kind == "profiles") print_names(spec.profiles, console);
  if (kind == "materials")
    for (const auto& one : spec.materials) console.out << one.material.name << "\n";
  if (kind == "imperfections") print_names(spec.imperfections, console);
  if (kind == "sweeps") print_names(spec.sweeps, console);
  if (kind == "watches") print_names(spec.watches, console);
}

void list_names(const model::Model& model, Console& console) {
  std::size_t width = 0;
  for (const auto& [name, nodes] : model.groups) width = std::max(width, name.size());
  console.out << fmt::format("  {:<{}}  nodes  where\n", "name", width);
  for (const auto& [name, nodes] : model.groups)
    if (!nodes.empty())
      console.out << fmt::format("  {:<{}}  {:>5}  {}\n", name, width, nodes.size(), extent(model, nodes));
}

void tell(const study::StudySpec& spec, const model::Model& model, const std::string& what,
          const std::vector<int>& nodes, Console& console) {
  console.out << fmt::format("  {}: {} node{}, {} {}\n", what, nodes.size(), nodes.size() == 1 ? "" : "s",
                             extent(model, nodes), spec.units.length);
  const std::set<int> caught(nodes.begin(), nodes.end());
  std::map<int, std::set<int>> of_part;
  model.each_element([&](const int* first, const int* last, int part) {
    for (const int* n = first; n != last && part >= 0; ++n)
      if (caught.count(*n) > 0) of_part[part].insert(*n);
  });
  for (const auto& [part, own] : of_part)
    console.out << fmt::format("  {} on '{}'\n", own.size(), model.parts[static_cast<std::size_t>(part)].name);
  double length = 0;
  const auto edges = model::edges_among(model, nodes);
  for (const auto& [a, b] : edges)
    length += (model.nodes[static_cast<std::size_t>(a)] - model.nodes[static_cast<std::size_t>(b)]).norm();
  if (!edges.empty())
    console.out << fmt::format("  {} panel edges between them, {:.6g} {} long\n", edges.size(), length,
                               spec.units.length);
}
}  // namespace

int command_show(const ShowOptions& options, const std::map<std::string, double>& overrides, bool force,
                 Console& console) {
  if (!options.names.empty()) {
    std::vector<base::Complaint> wrong;
    names_of_kind(io::read_what_stands(options.study, overrides, wrong), options.names, console);
    return done;
  }
  const auto stands = what_stands(options.study, overrides);
  const auto& [spec, model, wrong] = stands;
  if (wrong > 0)
    console.err << fmt::format("{} error{} in this study (archway check lists {}): only the valid parts are shown\n",
                               wrong, wrong == 1 ? "" : "s", wrong == 1 ? "it" : "them");
  if (options.what.empty()) {
    list_names(model, console);
    return done;
  }
  std::string in_words;
  const auto nodes = caught(stands, options.what, in_words);
  tell(spec, model, in_words, nodes, console);
  if (options.picture.empty()) return done;
  write_file(options.picture, report::selection_figure(options.picture, spec, model, in_words, nodes).content,
             "picture", force);
  console.out << fmt::format("  picture in {}\n", options.picture);
  return done;
}

}  // namespace archway::app
