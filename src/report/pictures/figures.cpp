#include "archway/report/figures.hpp"

#include <cmath>
#include <functional>
#include <map>

#include <fmt/format.h>

#include "archway/analysis/geometry.hpp"
#include "archway/analysis/small_movements.hpp"
#include "archway/base/executor.hpp"
#include "archway/elements/line_geometry.hpp"
#include "archway/elements/outline.hpp"
#include "archway/study/comparison.hpp"
#include "charts/chart_detail.hpp"
#include "charts/path_series_detail.hpp"
#include "pictures/camera_detail.hpp"
#include "pictures/imperfection_figures_detail.hpp"
#include "pictures/mesh_picture_detail.hpp"

namespace archway::report {

namespace {
std::string scale_text(double scale) {
  return scale == 1.0 ? "true scale" : fmt::format("magnified {:g} times", scale);
}
using base::Vec3;
using detail::Chart;
using detail::MeshPicture;
constexpr int kWidth = 1280, kHeight = 800;

std::vector<double> sizes(const Eigen::VectorXd& full) {
  std::vector<double> list;
  for (Eigen::Index n = 0; n < full.size(); n += model::kNodeDofs) list.push_back(full.segment<3>(n).norm());
  return list;
}
double largest(const std::vector<double>& values) {
  return values.empty() ? 0 : *std::max_element(values.begin(), values.end());
}

/// Little enlarged is not worth it, and what touches would be drawn as if it went through.
bool at_true_size(double scale, const model::Model& model) {
  return scale < 2 || !model.obstacles.empty() || !model.contacts.empty();
}

/// A scale of 1, 2 or 5 times a power of ten that makes the largest displacement about `share` of the structure.
double shown_scale(double displacement, double size, double share) {
  if (displacement <= 0) return 1;
  const double raw = share * size / displacement, power = std::pow(10, std::floor(std::log10(raw)));
  for (const double nice : {5.0, 2.0, 1.0})
    if (nice * power <= raw) return nice * power;
  return power;
}

const std::map<study::StressSurface, const char*> kSurfaceWords = {
    {study::StressSurface::larger, "larger of the two faces"},
    {study::StressSurface::top, "top face"},
    {study::StressSurface::middle, "middle surface"},
    {study::StressSurface::bottom, "bottom face"}};

double stress_shown(const analysis::LayerStress& s, study::StressSurface surface) {
  switch (surface) {
    case study::StressSurface::top:
      return elements::equivalent_stress(s.top);
    case study::StressSurface::middle:
      return elements::equivalent_stress(s.middle);
    case study::StressSurface::bottom:
      return elements::equivalent_stress(s.bottom);
    default:
      return std::max(elements::equivalent_stress(s.top), elements::equivalent_stress(s.bottom));
  }
}

/// What is to be drawn, collected first so that it can be drawn on all threads.
struct Plan {
  std::vector<std::pair<std::string, MeshPicture>> pictures;
  std::vector<std::pair<std::string, detail::Sheet>> sheets;
  std::vector<std::pair<std::string, Chart>> charts;
};

class Planner {
 public:
  Planner(const study::StudyResult& result, int most_modes) : result_(result), most_modes_(most_modes) {}

  Plan plan() {
    for (const auto& o : result_.outcomes) {
      if (o.linear && o.linear->usable()) {
        linear(o);
        if (o.stresses && !o.stresses->nodes.empty()) stresses(o);
        if (!o.linear->member_forces.empty()) member_diagrams(o);
      }
      if (o.imperfection) imperfection(o);
      if (o.slopes && !o.slopes->nodes.empty()) slopes(o);
      if (o.buckling) modes(o);
      if (o.path && !o.path->increments.empty()) states(o);
    }
    if (most_modes_ > 0)
      for (const auto& comparison : result_.shapes) side_by_side(comparison);
    plan_.charts = detail::path_charts(result_);
    for (auto& [name, p] : plan_.pictures) place_camera(p);
    for (auto& [name, sheet] : plan_.sheets) place_camera(sheet);
    return std::move(plan_);
  }

 private:
  const study::Units& units() const { return result_.spec.units; }

  MeshPicture picture(const study::AnalysisOutcome& o, const Eigen::VectorXd& displacement, double share) const {
    MeshPicture p;
    p.title = result_.spec.title;
    p.legend = fmt::format("displacement [{}]", units().length);
    p.kept = shown_of(o.geometry);
    p.model = p.kept.get();
    p.displacement = displacement;
    p.tell_extremes = true;
    p.value = sizes(displacement);
    p.scale = shown_scale(largest(p.value), o.geometry->size(), share);
    return p;
  }

  /// Without what the study's pictures omit.
  std::shared_ptr<const model::Model> shown_of(const std::shared_ptr<const model::Model>& model) const {
    auto& own = shown_[model.get()];
    if (!own) own = detail::shown(model, result_.spec.pictures);
    return own;
  }

  /// What the camera judges a picture by.
  static detail::Subject subject_of(const MeshPicture& p) {
    detail::Subject s{p.model, p.model->nodes, std::vector<double>(p.model->nodes.size(), 1)};
    for (std::size_t n = 0; n < s.drawn.size(); ++n) s.drawn[n] += p.scale * p.displacement.segment<3>(model::row(n));
    if (p.value.size() == s.amount.size())
      for (std::size_t n = 0; n < s.amount.size(); ++n)
        s.amount[n] = std::isfinite(p.value[n]) ? std::abs(p.value[n]) : 0;
    return s;
  }
  void place_camera(MeshPicture& p) const {
    if (p.view) return;
    const auto& from = result_.spec.pictures.from;
    p.view = from ? detail::axes_towards(*from) : detail::best_view({subject_of(p)});
  }
  /// Pictures side by side are seen from one place.
  void place_camera(detail::Sheet& sheet) const {
    if (sheet.cells.empty()) return;
    std::vector<detail::Subject> subjects;
    for (const auto& cell : sheet.cells) subjects.push_back(subject_of(cell));
    const auto& from = result_.spec.pictures.from;
    const auto view = from ? detail::axes_towards(*from) : detail::best_view(subjects);
    for (auto& cell : sheet.cells)
      if (!cell.view) cell.view = view;
  }

  void linear(const study::AnalysisOutcome& o) {
    MeshPicture p = picture(o, o.linear->displacement, 0.08);
    p.subtitle = fmt::format("LA '{}': displacements, {}; largest {:.4g} {}", o.spec.name, scale_text(p.scale),
                             largest(p.value), units().length);
    plan_.pictures.emplace_back(o.spec.name + "-displacement", std::move(p));
  }

  /// Equivalent stress of the chosen surface, averaged at nodes; the part closest to its yield stress is named.
  void stresses(const study::AnalysisOutcome& o) {
    const auto& m = *o.geometry;
    MeshPicture p = picture(o, Eigen::VectorXd::Zero(o.linear->displacement.size()), 0);
    p.scale = 0;
    p.legend = fmt::format("equivalent stress [{}/{}^2]", units().force, units().length);
    std::fill(p.value.begin(), p.value.end(), 0.0);
    double most = 0, used = 0;
    std::string part;
    for (const auto& n : o.stresses->nodes) {
      const double stress = stress_shown(n.stress, o.spec.surface);
      double& value = p.value[static_cast<std::size_t>(n.node)];
      value = std::max(value, stress);
      const auto& own = m.parts[static_cast<std::size_t>(n.part)];
      const double yield = m.materials[static_cast<std::size_t>(own.material)].yield_stress;
      most = std::max(most, stress);
      if (yield > 0 && stress / yield > used) used = stress / yield, part = own.name;
    }
    p.subtitle = fmt::format("LA '{}': {}, averaged at nodes; most {:.4g} {}/{}^2{}", o.spec.name,
                             kSurfaceWords.at(o.spec.surface), most, units().force, units().length,
                             used > 0 ? fmt::format(", {:.2g} % of yield in '{}'", 100 * used, part) : "");
    plan_.pictures.emplace_back(o.spec.name + "-stress", std::move(p));
  }

  /// Diagrams along members. Moments stand off on the side that is in tension, shear along its direction, axial force
  /// along the local z.
  void member_diagrams(const study::AnalysisOutcome& o) {
    using Forces = elements::SectionForces;
    diagram(
        o, "moment", "bending moment", units().moment(),
        [](const Forces& s) { return Vec3(0, -s.moment_z, s.moment_y); }, false);
    diagram(
        o, "shear", "shear force", units().force, [](const Forces& s) { return Vec3(0, s.shear_y, s.shear_z); }, false);
    diagram(
        o, "axial", "axial force", units().force, [](const Forces& s) { return Vec3(0, 0, s.axial); }, true);
  }

  static bool is_shown(const MeshPicture& p, const model::LineElement& e) {
    return std::any_of(p.model->line_elements.begin(), p.model->line_elements.end(),
                       [&](const auto& own) { return own.nodes == e.nodes; });
  }

  template <class Ordinate>
  void diagram(const study::AnalysisOutcome& o, const char* name, const char* what, const std::string& unit,
               const Ordinate& ordinate, bool has_sign) {
    const auto& m = *o.geometry;
    MeshPicture p = picture(o, Eigen::VectorXd::Zero(o.linear->displacement.size()), 0);
    p.scale = 0;
    p.value.clear();
    p.legend.clear();
    p.grey_faces = true;
    double most = 0, low = 0, high = 0;
    for (const auto& f : o.linear->member_forces) {
      const auto& e = m.line_elements[static_cast<std::size_t>(f.element)];
      if (!is_shown(p, e)) continue;
      const auto axes = elements::nodal_axes(m, e);
      detail::Ordinates piece;
      for (std::size_t k = 0; k < 4; ++k) {
        const Vec3 stand = ordinate(elements::along_element(f.points, static_cast<double>(k) / 3));
        piece.place.push_back(m.nodes[static_cast<std::size_t>(e.nodes[k])]);
        piece.tip.push_back(axes[k] * stand);
        most = std::max(most, stand.norm());
        low = std::min(low, stand.z()), high = std::max(high, stand.z());
      }
      piece.pressed = has_sign && ordinate(elements::along_element(f.points, 0.5)).z() < 0;
      p.diagram.push_back(std::move(piece));
    }
    if (most == 0) return;
    for (auto& piece : p.diagram)
      for (std::size_t k = 0; k < 4; ++k) piece.tip[k] = piece.place[k] + 0.1 * m.size() / most * piece.tip[k];
    p.subtitle =
        fmt::format("LA '{}': {} in members; {} {}", o.spec.name, what,
                    has_sign ? fmt::format("{:.4g} to {:.4g}", low, high) : fmt::format("most {:.4g}", most), unit);
    if (has_sign) p.subtitle += ", compression red";
    plan_.pictures.emplace_back(fmt::format("{}-{}", o.spec.name, name), std::move(p));
  }

  MeshPicture mode(const study::AnalysisOutcome& o, std::size_t m) const {
    MeshPicture p = picture(o, o.buckling->modes[m].shape, 0.1);
    p.legend = "shape, largest = 1";
    p.tell_extremes = false;
    // a member that twists shows it by its section: sizes are those of its corners, and no rotation beyond 40 degrees
    const elements::Outline outline(*o.geometry);
    double rotated = 0;
    for (int n = 0; n < o.geometry->node_count(); ++n) {
      p.value[static_cast<std::size_t>(n)] = outline.displacement(p.displacement, n);
      if (!outline.corners(n).empty()) rotated = std::max(rotated, p.displacement.segment<3>(model::row(n) + 3).norm());
    }
    p.scale = shown_scale(largest(p.value), o.geometry->size(), 0.1);
    if (p.scale * rotated > 0.7 && largest(sizes(p.displacement)) < 0.5) p.scale = 0.7 / rotated;
    return p;
  }
  /// "<before>1234 N", or nothing for loads that balance each other.
  std::string critical_load(const char* before, const study::AnalysisOutcome& o, std::size_t m, int digits) const {
    const double total = study::total_load(o, o.buckling->modes[m].load_factor);
    return std::isfinite(total) ? fmt::format("{}{:.{}g} {}", before, total, digits, units().force) : "";
  }

  /// What part of a mode's strain energy lies in parts that pictures omit.
  std::string hidden_share(const study::AnalysisOutcome& o, std::size_t m) const {
    constexpr double kMatters = 0.1;
    const auto& hide = result_.spec.pictures.hide;
    double hidden = 0;
    for (std::size_t p = 0; m < o.readings.size() && p < o.model->parts.size(); ++p)
      if (std::find(hide.begin(), hide.end(), o.model->parts[p].name) != hide.end()) hidden += o.readings[m].energy[p];
    return hidden > kMatters ? fmt::format("; hidden parts hold {:.0f} % of its energy", 100 * hidden) : "";
  }

  void modes(const study::AnalysisOutcome& o) {
    const auto& list = o.buckling->modes;
    const std::size_t drawn = std::min(list.size(), static_cast<std::size_t>(std::max(most_modes_, 0)));
    for (std::size_t m = 0; m < drawn; ++m) {
      MeshPicture p = mode(o, m);
      p.subtitle = fmt::format("LBA '{}': mode {}, load factor {:.6g}{}; mode amplitudes are arbitrary", o.spec.name,
                               m + 1, list[m].load_factor, critical_load(", critical load ", o, m, 6));
      p.subtitle += hidden_share(o, m);
      if (m < o.readings.size()) p.bars = bars(o, o.readings[m]);
      plan_.pictures.emplace_back(fmt::format("{}-mode-{}", o.spec.name, m + 1), std::move(p));
    }
    if (drawn < 2) return;
    detail::Sheet sheet;
    sheet.title = result_.spec.title;
    sheet.subtitle = fmt::format("LBA '{}': modes side by side; arbitrary amplitude", o.spec.name);
    for (std::size_t m = 0; m < std::min<std::size_t>(drawn, 12); ++m) {
      MeshPicture p = mode(o, m);
      p.subtitle = fmt::format("{}: {:.5g}{}", m + 1, list[m].load_factor, critical_load(", ", o, m, 5));
      if (list[m].repeated) p.subtitle += ", pair";
      sheet.cells.push_back(std::move(p));
    }
    plan_.sheets.emplace_back(o.spec.name + "-modes", std::move(sheet));
  }

  /// The first modes of one analysis over those of another that look most like them.
  void side_by_side(const study::ShapeComparison& comparison) {
    const auto &own = *result_.find(comparison.analysis), &with = *result_.find(comparison.with);
    detail::Sheet sheet;
    sheet.title = result_.spec.title;
    sheet.subtitle = fmt::format("top: '{}'; below: what looks most like it in '{}', with MAC", comparison.analysis,
                                 comparison.with);
    const std::size_t shown =
        std::min({comparison.modes.size(), static_cast<std::size_t>(most_modes_), std::size_t{4}});
    sheet.columns = static_cast<int>(shown);
    for (std::size_t m = 0; m < shown; ++m) {
      MeshPicture p = mode(own, m);
      p.subtitle = fmt::format("mode {}: {:.5g}", m + 1, own.buckling->modes[m].load_factor);
      sheet.cells.push_back(std::move(p));
    }
    for (std::size_t m = 0; m < shown; ++m) {
      const auto& match = comparison.modes[m];
      MeshPicture p = mode(with, static_cast<std::size_t>(std::max(match.other, 0)));
      if (match.other < 0) {
        p.displacement.setZero();
        p.subtitle = "none is like it";
      } else {
        p.subtitle =
            fmt::format("mode {}: {:.5g}, MAC {:.2f}", match.other + 1, match.other_load_factor, match.likeness);
      }
      sheet.cells.push_back(std::move(p));
    }
    plan_.sheets.emplace_back(fmt::format("{}-beside-{}", comparison.analysis, comparison.with), std::move(sheet));
  }

  /// Shares by part; those of members that are cut into pieces are one.
  static std::vector<std::pair<std::string, double>> energy_by_member(const model::Model& m,
                                                                      const std::vector<double>& energy) {
    std::vector<std::string> name(energy.size(), "joints");
    for (std::size_t p = 0; p < m.parts.size(); ++p) name[p] = m.parts[p].name;
    for (const auto& member : model::joined_members(m))
      for (const int part : member.parts) name[static_cast<std::size_t>(part)] = member.name;
    std::vector<std::pair<std::string, double>> list;
    for (std::size_t p = 0; p < energy.size(); ++p) {
      const auto known = std::find_if(list.begin(), list.end(), [&](const auto& one) { return one.first == name[p]; });
      if (known == list.end())
        list.emplace_back(name[p], energy[p]);
      else
        known->second += energy[p];
    }
    return list;
  }

  /// Where the mode lives and which loads drive it, when there is more than one of them.
  static std::vector<detail::StackedBar> bars(const study::AnalysisOutcome& o, const analysis::ModeReading& r) {
    const auto& m = *o.geometry;
    std::vector<detail::StackedBar> list;
    if (m.parts.size() > 1) {
      detail::StackedBar energy{"strain energy in", {}};
      double rest = 0;
      for (const auto& [name, share] : energy_by_member(m, r.energy))
        if (share >= 0.02)
          energy.shares.emplace_back(name, share);
        else
          rest += share;
      if (rest > 0.005) energy.shares.emplace_back("others", rest);
      list.push_back(std::move(energy));
    }
    if (r.load_shares.size() > 1) {
      detail::StackedBar loads{"driven by", {}};
      for (std::size_t t = 0; t < r.load_shares.size(); ++t)
        loads.shares.emplace_back(m.actions[static_cast<std::size_t>(o.variable.terms[t].first)].name,
                                  r.load_shares[t]);
      list.push_back(std::move(loads));
    }
    return list;
  }

  void imperfection(const study::AnalysisOutcome& o) {
    plan_.sheets.emplace_back(
        o.spec.name + "-imperfection",
        detail::imperfection_sheet(*o.model, result_.spec.title,
                                   fmt::format("{} for '{}'", study::imperfections_text(o.spec), o.spec.name),
                                   *o.imperfection, units()));
  }

  /// What one unit of displacement of each node along its normal does to the peak.
  void slopes(const study::AnalysisOutcome& o) {
    MeshPicture p = picture(o, Eigen::VectorXd::Zero(model::row(o.model->node_count())), 0);
    p.scale = 0;
    p.value = o.slopes->nodes;
    for (const double v : p.value) p.signed_up_to = std::max(p.signed_up_to, std::abs(v));
    p.legend = fmt::format("per {0} over 1 {0}^2", units().length);
    p.subtitle = fmt::format(
        "where an imperfection matters: change of the peak {:.6g} of '{}' with the wall moved outwards there",
        o.slopes->load_factor, o.spec.name);
    plan_.pictures.emplace_back(o.spec.name + "-peak-slope", std::move(p));
  }

  void states(const study::AnalysisOutcome& o) {
    const auto& r = *o.path;
    const auto state = [&](const analysis::Increment& i, const std::string& what, const std::string& name) {
      if (!i.kept) return;
      MeshPicture p = picture(o, i.displacement(*o.geometry), 0.12);
      p.scale = at_true_size(p.scale, *o.geometry) ? 1 : p.scale;
      p.subtitle = fmt::format("{} '{}': {} at load factor {:.5g}; {}, largest {:.4g} {}", o.spec.kind->word(),
                               o.spec.name, what, i.load_factor, scale_text(p.scale), largest(p.value), units().length);
      plan_.pictures.emplace_back(o.spec.name + name, std::move(p));
    };
    if (r.peak >= 0) {
      const auto& peak = r.increments[static_cast<std::size_t>(r.peak)];
      const std::string what = r.peak_is_limit_point ? "peak" : "largest load";
      state(peak, what, "-peak");
      plastic_strain(o, peak, what, "-peak-plastic");
    }
    state(r.increments.back(), "end of the path", "-end");
    residual(o);
    plastic_strain(o, r.increments.back(), "end of the path", "-end-plastic");
    yield_front(o);
  }

  /// Increment at which every node first has some plastic strain; where nothing flows, one after the end of the path.
  void yield_front(const study::AnalysisOutcome& o) {
    const auto& increments = o.path->increments;
    if (!(increments.back().plastic_strain > 0) || o.path->stages.size() > 1) return;
    const analysis::Geometry geometry(*o.geometry);
    std::vector<double> reached(o.geometry->nodes.size(), -1);
    const double after = increments.back().number + 1;
    for (const auto& i : increments) {
      const auto strains = analysis::plastic_strain_at_nodes(geometry, *o.geometry, i);
      for (std::size_t n = 0; n < strains.size(); ++n)
        if (strains[n] > 0 && reached[n] < 0) reached[n] = i.number;
    }
    for (double& r : reached)
      if (r < 0) r = after;
    MeshPicture p = picture(o, Eigen::VectorXd::Zero(model::row(o.geometry->nodes.size())), 0.12);
    p.scale = 1;
    p.value = std::move(reached);
    p.legend = "increment of first yield";
    p.subtitle = fmt::format("{} '{}': where yield spreads, increment by increment; {:g}: not until the end",
                             o.spec.kind->word(), o.spec.name, after);
    plan_.pictures.emplace_back(o.spec.name + "-yield-front", std::move(p));
  }

  /// What is out of balance where a path could not go on, on the structure as it is there.
  void residual(const study::AnalysisOutcome& o) {
    const auto& stuck = o.path->stuck;
    if (stuck.node < 0 || stuck.residual.size() == 0 || !o.path->increments.back().kept) return;
    MeshPicture p = picture(o, o.path->increments.back().displacement(*o.geometry), 0.12);
    for (std::size_t n = 0; n < p.value.size(); ++n) p.value[n] = stuck.residual.segment<3>(model::row(n)).norm();
    p.legend = fmt::format("force out of balance [{}]", units().force);
    p.subtitle = fmt::format("'{}' could not be continued: the largest residual is {:.3g} {}", o.spec.name, stuck.force,
                             units().force);
    plan_.pictures.emplace_back(o.spec.name + "-stuck", std::move(p));
  }

  /// Plastic strain on the moved structure, the largest of any layer or fibre.
  void plastic_strain(const study::AnalysisOutcome& o, const analysis::Increment& i, const std::string& what,
                      const std::string& name) {
    static const char* const places[] = {"", " at the top face", " in the middle", " at the bottom face"};
    const auto place = static_cast<int>(o.spec.surface);
    auto strains = analysis::plastic_strain_at_nodes(analysis::Geometry(*o.geometry), *o.geometry, i,
                                                     static_cast<analysis::WallPlace>(place));
    if (strains.empty()) return;
    MeshPicture p = picture(o, i.displacement(*o.geometry), 0.12);
    p.scale = at_true_size(p.scale, *o.geometry) ? 1 : p.scale;
    p.value = std::move(strains);
    for (double& v : p.value) v *= 100;
    p.legend = fmt::format("equivalent plastic strain{} [%]", places[place]);
    p.subtitle =
        fmt::format("{} '{}': {} at load factor {:.5g}; {}, largest plastic strain {:.3g} %", o.spec.kind->word(),
                    o.spec.name, what, i.load_factor, scale_text(p.scale), 100 * i.plastic_strain);
    plan_.pictures.emplace_back(o.spec.name + name, std::move(p));
  }

  const study::StudyResult& result_;
  mutable std::map<const model::Model*, std::shared_ptr<const model::Model>> shown_;
  int most_modes_;
  Plan plan_;
};

template <class Drawing>
void add(std::vector<Figure>& figures, const std::string& name, const Drawing& drawing) {
  for (const bool svg : {false, true}) {
    const auto canvas = svg ? detail::svg_canvas(kWidth, kHeight) : detail::png_canvas(kWidth, kHeight);
    detail::draw(*canvas, drawing, kWidth, kHeight);
    figures.push_back({name + (svg ? ".svg" : ".png"), canvas->finish()});
  }
}
}  // namespace

std::vector<Figure> figures(const study::StudyResult& result, int most_modes) {
  const Plan plan = Planner(result, most_modes).plan();
  std::vector<std::function<void(std::vector<Figure>&)>> tasks;
  const auto queue = [&](const auto& list) {
    for (const auto& [name, drawing] : list)
      tasks.emplace_back(
          [&, name = &name, drawing = &drawing](std::vector<Figure>& into) { add(into, *name, *drawing); });
  };
  queue(plan.pictures);
  queue(plan.sheets);
  queue(plan.charts);
  std::vector<std::vector<Figure>> drawn(tasks.size());
  base::make_executor()->for_range(static_cast<int>(tasks.size()), [&](int begin, int end) {
    for (int i = begin; i < end; ++i) tasks[static_cast<std::size_t>(i)](drawn[static_cast<std::size_t>(i)]);
  });
  std::vector<Figure> all;
  for (auto& list : drawn)
    for (auto& figure : list) all.push_back(std::move(figure));
  return all;
}

}  // namespace archway::report
