#include <regex>

#include "archway/io/results_folder.hpp"
#include "results/check_json_detail.hpp"
#include "results/records_detail.hpp"

namespace archway::io {

namespace detail {
using base::Vec3;
using nlohmann::ordered_json;

ordered_json vector(const Vec3& v) {
  return {number(v.x()), number(v.y()), number(v.z())};
}
ordered_json resultant(const elements::Resultant& r) {
  return {{"force", vector(r.force)}, {"moment_about_origin", vector(r.moment)}};
}

namespace {
ordered_json units(const study::Units& u) {
  return {{"force", u.force},     {"length", u.length}, {"moment", u.moment()},
          {"stress", u.stress()}, {"mass", u.mass()},   {"time", "s"}};
}

}  // namespace

ordered_json provenance(const study::StudySpec& spec) {
  return {{"title", spec.title},           {"file", spec.file},
          {"sha256", sha256(spec.text)},   {"units", units(spec.units)},
          {"parameters", spec.parameters}, {"overrides", spec.overrides}};
}

ordered_json check_part(const study::CheckReport& r) {
  ordered_json parts = ordered_json::array(), actions = ordered_json::object();
  for (const auto& p : r.parts)
    parts.push_back({{"name", p.name},
                     {"kind", p.kind},
                     {"material", p.material},
                     {"size", p.size},
                     {"elements", p.elements},
                     {p.measure_name, p.measure},
                     {"mass", p.mass},
                     {"centre", vector(p.centre)}});
  for (const auto& p : r.actions) {
    actions[p.name] = resultant(p.about_origin);
    actions[p.name]["moment_about_centre_of_mass"] = vector(p.about_mass.moment);
    actions[p.name]["notes"] = p.notes;
  }
  ordered_json combinations = ordered_json::object();
  for (const auto& p : r.combinations) {
    combinations[p.name] = resultant(p.about_origin);
    combinations[p.name]["moment_about_centre_of_mass"] = vector(p.about_mass.moment);
  }
  return {{"nodes", r.nodes},
          {"beam_elements", r.beam_elements},
          {"shell_elements", r.shell_elements},
          {"bars", r.bar_elements},
          {"solid_elements", r.solid_elements},
          {"springs", r.springs},
          {"couplings", r.ties},
          {"dofs", r.dofs},
          {"supported_nodes", r.supported_nodes},
          {"lowest_corner", vector(r.low)},
          {"highest_corner", vector(r.high)},
          {"mass", r.mass},
          {"centre_of_mass", vector(r.centre_of_mass)},
          {"parts", parts},
          {"actions", actions},
          {"combinations", combinations},
          {"mechanism", r.has_mechanism ? ordered_json(r.mechanism) : ordered_json(nullptr)},
          {"remarks", r.remarks},
          {"warnings", r.warnings}};
}
}  // namespace detail

std::string check_json(const study::StudySpec& spec, const study::CheckReport& report) {
  nlohmann::ordered_json root;
  root["archway"] = {{"version", program_version()}, {"schema", 2}};
  root["study"] = detail::provenance(spec);
  root["model"] = detail::check_part(report);
  return root.dump(1, ' ', false, nlohmann::json::error_handler_t::replace) + "\n";
}

std::string errors_json(const base::InputError& error) {
  using nlohmann::ordered_json;
  ordered_json list = ordered_json::array();
  for (const auto& c : error.complaints()) {
    ordered_json one = {{"place", c.place}, {"problem", c.problem}, {"remedy", c.remedy}};
    static const std::regex kPlace("^(.*?):([0-9]+)(?::([0-9]+))?$");
    std::smatch found;
    if (std::regex_match(c.place, found, kPlace)) {
      one["file"] = found[1].str();
      one["line"] = std::stoi(found[2].str());
      if (found[3].matched) one["column"] = std::stoi(found[3].str());
    }
    list.push_back(std::move(one));
  }
  return ordered_json{{"errors", std::move(list)}}.dump(2) + "\n";
}

}  // namespace archway::io
