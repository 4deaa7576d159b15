#include "results/imperfection_json_detail.hpp"
#include "results/records_detail.hpp"

namespace archway::io::detail {

using nlohmann::ordered_json;

ordered_json imperfection_json(const study::AnalysisOutcome& o) {
  const auto place = [](const base::Vec3& x) { return ordered_json::array({x.x(), x.y(), x.z()}); };
  ordered_json all = {{"name", study::imperfections_text(o.spec)},
                      {"largest", o.imperfection->largest},
                      {"root_mean_square", o.imperfection->root_mean_square}};
  for (const auto& s : o.seeded) {
    all["shapes"].push_back({{"name", s.name},
                             {"factor", s.factor},
                             {"largest", s.measured.largest},
                             {"largest_at", place(s.measured.largest_at)},
                             {"root_mean_square", s.measured.root_mean_square},
                             {"outward", s.measured.outward},
                             {"inward", s.measured.inward},
                             {"thickness", s.measured.thickness},
                             {"notes", s.notes}});
    if (s.measured.walls)
      all["shapes"].back().update({{"thinnest", s.measured.thinnest},
                                   {"thinnest_at", place(s.measured.thinnest_at)},
                                   {"thickest", s.measured.thickest},
                                   {"thickest_at", place(s.measured.thickest_at)}});
  }
  return all;
}

namespace {
ordered_json rows_of(const Eigen::MatrixXd& m) {
  ordered_json rows = ordered_json::array();
  for (Eigen::Index r = 0; r < m.rows(); ++r) {
    const Eigen::VectorXd row = m.row(r);
    rows.push_back(std::vector<double>(row.data(), row.data() + row.size()));
  }
  return rows;
}

/// Energy of the amplitudes, ready for somebody else's arithmetic: modes are counted from 1.
ordered_json reduced_json(const analysis::ReducedModel& r) {
  ordered_json all = {{"critical", r.critical}, {"state_load_factor", r.state_factor}, {"misfit", r.misfit}};
  for (int k = 0; k < r.modes(); ++k) {
    const auto [one, two] = r.coefficients(k);
    all["modes"].push_back({{"load_factor", r.mode_factors[static_cast<std::size_t>(k)]}, {"a", one}, {"b", two}});
  }
  for (std::size_t k = 0; k < r.at.size(); ++k)
    all["states"].push_back(
        {{"load_factor", r.at[k]}, {"stiffness", rows_of(r.stiffness[k])}, {"imperfection", rows_of(r.forcing[k])}});
  for (const auto& term : r.terms) {
    ordered_json modes = ordered_json::array();
    for (const int m : term.modes) modes.push_back(m + 1);
    all["terms"].push_back({{"modes", modes}, {"coefficient", term.coefficient}});
  }
  return all;
}
}  // namespace

void add_sensitivity(ordered_json& a, const study::AnalysisOutcome& o) {
  if (o.post_buckling && o.post_buckling->found)
    a["post_buckling"] = {{"load_factor", number(o.post_buckling->load_factor)},
                          {"a", number(o.post_buckling->a)},
                          {"b", number(o.post_buckling->b)},
                          {"points", o.post_buckling->points}};
  if (o.reduced && o.reduced->found) a["reduced_model"] = reduced_json(*o.reduced);
  if (!o.slopes || !o.slopes->missing.empty()) return;
  const auto named = [](const std::vector<std::pair<std::string, double>>& list) {
    ordered_json all = ordered_json::object();
    for (const auto& [name, slope] : list) all[name] = number(slope);
    return all;
  };
  a["peak_slopes"] = {{"imperfections", named(o.slopes->shapes)},
                      {"modes", named(o.slopes->modes)},
                      {"walls", named(o.slopes->walls)},
                      {"sections", named(o.slopes->sections)}};
}

}  // namespace archway::io::detail
