#include "results/path_json_detail.hpp"
#include "results/records_detail.hpp"

namespace archway::io::detail {

using nlohmann::ordered_json;

namespace {
ordered_json vector_json(const base::Vec3& v) {
  return ordered_json::array({number(v.x()), number(v.y()), number(v.z())});
}
std::string part_name(const model::Model& model, int part) {
  return part < 0 ? "" : model.parts[static_cast<std::size_t>(part)].name;
}
}  // namespace

ordered_json contacts_json(const std::vector<analysis::ContactForce>& contacts, const model::Model& model) {
  ordered_json list = ordered_json::object();
  for (const auto& c : contacts)
    list[analysis::name_of(model, c)] = {{"nodes", c.touching},           {"normal_force", number(c.pressed)},
                                         {"force", vector_json(c.force)}, {"moment", vector_json(c.moment)},
                                         {"largest", number(c.largest)},  {"gap", number(c.gap)},
                                         {"area", number(c.area)},        {"pressure", number(c.pressure)},
                                         {"overlap", number(c.overlap)}};
  return list;
}

ordered_json crossings_json(const analysis::PathResult& path, const model::Model& model) {
  ordered_json list = ordered_json::array();
  for (const auto& c : path.crossings)
    list.push_back({{"increment", c.increment},
                    {"part", part_name(model, c.part)},
                    {"other", part_name(model, c.other)},
                    {"place", vector_json(c.place)}});
  return list;
}

ordered_json other_states_json(const analysis::OtherStates& found, const study::StudySpec& spec) {
  ordered_json list = ordered_json::array();
  for (const auto& other : found.states) {
    ordered_json watch = ordered_json::object();
    const auto& s = other.state;
    for (std::size_t w = 0; w < s.watched.size(); ++w) watch[spec.watches[w].name] = number(s.watched[w]);
    list.push_back({{"load_factor", number(s.load_factor)},
                    {"beside_increment", other.beside},
                    {"distance", number(other.distance)},
                    {"stable", other.stable()},
                    {"negative_pivots", s.negative_pivots},
                    {"potential_energy", number(other.potential)},
                    {"potential_energy_of_path", number(found.potentials[static_cast<std::size_t>(other.beside)])},
                    {"stored_energy", number(s.stored_energy)},
                    {"largest_displacement", number(s.largest_displacement)},
                    {"residual", number(s.residual)},
                    {"watch", std::move(watch)}});
  }
  return {{"message", found.message},
          {"starts", found.starts},
          {"factorisations", found.factorisations},
          {"states", std::move(list)}};
}

ordered_json branches_json(const analysis::PathResult& path, const study::StudySpec& spec, const model::Model& model) {
  ordered_json list = ordered_json::array();
  for (const auto& branch : path.branches) {
    const auto& own = *branch.path;
    ordered_json increments = ordered_json::array();
    for (const auto& i : own.increments) {
      ordered_json watch = ordered_json::object();
      for (std::size_t w = 0; w < i.watched.size(); ++w) watch[spec.watches[w].name] = number(i.watched[w]);
      increments.push_back({{"load_factor", number(i.load_factor)},
                            {"event", analysis::to_text(i.event)},
                            {"negative_pivots", i.negative_pivots},
                            {"watch", std::move(watch)}});
    }
    list.push_back({{"leaves_at_increment", branch.increment},
                    {"mode", branch.mode + 1},
                    {"sense", branch.sense},
                    {"mix", std::vector<double>(branch.mix.data(), branch.mix.data() + branch.mix.size())},
                    {"ended", own.stop_reason.empty() ? own.message : own.stop_reason},
                    {"factorisations", own.factorisations},
                    {"passes_through", crossings_json(own, model)},
                    {"increments", std::move(increments)},
                    {"branches", branches_json(own, spec, model)}});
  }
  return list;
}

}  // namespace archway::io::detail
