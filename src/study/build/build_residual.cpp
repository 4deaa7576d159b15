#include <cmath>

#include "archway/model/surface.hpp"
#include "build/build_model_detail.hpp"

namespace archway::study::detail {

namespace {
using Pattern = ResidualStressSpec::Pattern;
using StressAt = std::function<double(double y, double z)>;
using Dimensions = std::map<std::string, double>;

constexpr double kPulled = 0.2, kPressed = 0.25;  ///< of a welded wall: share in tension; compression in the rest

/// A wall of a welded section at a place: which one, the distance from its weld, its length.
struct WeldedPlace {
  int wall = 0;
  double from_weld = 0, length = 0;
};
WeldedPlace welded_place(Pattern pattern, const Dimensions& d, double y, double z) {
  const double width = d.at("width"), height = d.at("height");
  if (pattern == Pattern::welded_box) {
    const bool side = std::abs(y) > 0.5 * width - d.at("thickness");
    const double length = side ? height : width, place = side ? z : y;
    return {(side ? 2 : 0) + ((side ? y : z) > 0 ? 1 : 0), 0.5 * length - std::abs(place), length};
  }
  const double web = height - 2 * d.at("flange");
  if (std::abs(z) > 0.5 * web) return {z > 0 ? 1 : 0, std::abs(y), width};
  return {2, 0.5 * web - std::abs(z), web};
}

/// Blocks of welded sections, in yield stresses: tension of the yield stress in a fifth of each wall, compression of a
/// quarter of it in the rest. Fibres do not end where a block does: the one on its edge takes a share of both, so that
/// every wall is in balance. Source: [ECCS33].
std::vector<double> welded_stresses(Pattern pattern, const Dimensions& d, const std::vector<model::Fibre>& fibres) {
  constexpr double kEqual = 1e-9;  // of the length: fibres on both sides of a weld share alike
  std::map<int, std::vector<std::pair<double, std::size_t>>> walls;  // fibres by their distance
  for (std::size_t f = 0; f < fibres.size(); ++f) {
    const auto place = welded_place(pattern, d, fibres[f].y, fibres[f].z);
    walls[place.wall].emplace_back(place.from_weld / place.length, f);
  }
  std::vector<double> stress(fibres.size());
  for (auto& [wall, row] : walls) {
    std::sort(row.begin(), row.end());
    double left = 0;
    for (const auto& [distance, f] : row) left += kPulled * fibres[f].area;
    for (auto first = row.begin(); first != row.end();) {
      const auto last = std::find_if(first, row.end(), [&](const auto& r) { return r.first > first->first + kEqual; });
      double area = 0;
      for (auto k = first; k != last; ++k) area += fibres[k->second].area;
      const double share = std::clamp(left / area, 0.0, 1.0);
      for (; first != last; ++first) stress[first->second] = share - (1 - share) * kPressed;
      left -= share * area;
    }
  }
  return stress;
}

/// Stress of a pattern at one place, in yield stresses; y and z from the middle of the section. Rolled sections:
/// straight lines, flange tips and the middle of the web in compression, the corner between in tension, by 0.3 of the
/// yield stress where the section is higher than 1.2 times its width and by 0.5 elsewhere. Source: [ECCS33].
StressAt pattern_of(Pattern pattern, const Dimensions& d, double share) {
  const double width = d.at("width"), height = d.at("height");
  if (pattern != Pattern::rolled_i) {
    const double scale = share > 0 ? share : 1;
    return [=](double y, double z) {
      const auto place = welded_place(pattern, d, y, z);
      return scale * (place.from_weld < 0.5 * kPulled * place.length ? 1 : -kPressed);
    };
  }
  const double web = height - 2 * d.at("flange"), scale = share > 0 ? share : height > 1.2 * width ? 0.3 : 0.5;
  return [=](double y, double z) {
    return std::abs(z) > 0.5 * web ? scale * (1 - 4 * std::abs(y) / width) : scale * (4 * std::abs(z) / web - 1);
  };
}

std::string percent(double share) {
  return fmt::format("{:.2g} %", 100 * (std::abs(share) < 1e-6 ? 0 : share));
}
}  // namespace

void LoadBuilder::residual_stresses() {
  for (const auto& r : spec_.residual_stresses) {
    std::vector<int> panels;
    for (const auto& name : r.parts) {
      const auto parts = name.empty() ? std::set<int>() : parts_named(name);
      if (parts.empty()) complain(r.place, fmt::format("no part is called '{}'", name), "name members or panels");
      for (const int p : parts) {
        const auto kind = model_.parts[static_cast<std::size_t>(p)].kind;
        if (kind == model::PartKind::member)
          member_stress(r, p);
        else if (kind == model::PartKind::panel)
          panels.push_back(p);
        else
          complain(r.place, fmt::format("'{}' is neither a member nor a panel", name),
                   "residual stresses are those of members and panels");
      }
    }
    if (!panels.empty()) panel_stresses(r, panels);
  }
}

void LoadBuilder::member_stress(const ResidualStressSpec& r, int index) {
  const auto& part = model_.parts[static_cast<std::size_t>(index)];
  const double yield = model_.materials[static_cast<std::size_t>(part.material)].yield_stress;
  std::set<int> profiles;
  for (const auto& e : model_.line_elements)
    for (const int p : e.profiles)
      if (e.part == index) profiles.insert(p >= 0 ? p : part.profile);
  std::vector<double> of_fibres;  // welded: with its edges
  StressAt stress = [&](double y, double z) { return r.stress_at ? r.stress_at({0, y, z}) : r.stress; };
  if (r.pattern != Pattern::given) {
    const auto& name = model_.profiles[static_cast<std::size_t>(part.profile)].name;
    const auto own =
        std::find_if(spec_.profiles.begin(), spec_.profiles.end(), [&](const auto& p) { return p.name == name; });
    const char* shape = r.pattern == Pattern::welded_box ? "rectangular-hollow" : "i";
    if (own == spec_.profiles.end() || own->shape != shape || own->dimensions.count("bottom_width") > 0 ||
        profiles.size() > 1)
      return complain(r.place, fmt::format("the section of '{}' has no such pattern", part.name),
                      fmt::format("it is that of shape \"{}\" with equal flanges; give others by an expression in y "
                                  "and z: stress = \"...\"",
                                  shape));
    if (!(yield > 0))
      return complain(r.place, fmt::format("the material of '{}' has no yield stress to take a share of", part.name),
                      "give it one");
    stress = [pattern = pattern_of(r.pattern, own->dimensions, r.share), yield](double y, double z) {
      return yield * pattern(y, z);
    };
    if (r.pattern != Pattern::rolled_i)
      of_fibres =
          welded_stresses(r.pattern, own->dimensions, model_.profiles[static_cast<std::size_t>(part.profile)].fibres);
    for (double& value : of_fibres) value *= yield * (r.share > 0 ? r.share : 1);
  }
  model::MemberStress member;
  member.part = index;
  double largest = 0;
  for (const int p : profiles) {
    const auto& profile = model_.profiles[static_cast<std::size_t>(p)];
    auto& list = member.by_profile[p];
    double force = 0, about_y = 0, about_z = 0;
    for (const auto& point : profile.stress_points) member.at_points[p].push_back(stress(point.y, point.z));
    for (const double value : member.at_points[p]) largest = std::max(largest, std::abs(value));
    for (std::size_t k = 0; k < profile.fibres.size(); ++k) {
      const auto& fibre = profile.fibres[k];
      list.push_back(of_fibres.empty() ? stress(fibre.y, fibre.z) : of_fibres[k]);
      largest = std::max(largest, std::abs(list.back()));
      force += fibre.area * list.back();
      about_y += fibre.area * list.back() * fibre.z;
      about_z += fibre.area * list.back() * fibre.y;
    }
    const double scale = std::max(largest, 1e-300);
    model_.remarks.push_back(fmt::format(
        "residual stresses of '{}' ({}): up to {:.4g} {}; out of balance before the member deforms: normal force {} of "
        "area x largest stress, moments {} and {} of those that the outermost fibres would carry",
        part.name, profile.name, largest, spec_.units.stress(), percent(force / (scale * profile.area)),
        percent(about_y * profile.fibre_z / (scale * profile.second_moment_y)),
        percent(about_z * profile.fibre_y / (scale * profile.second_moment_z))));
  }
  for (const auto& e : model_.line_elements)
    for (const int p : e.end_profiles)
      if (e.part == index && p >= 0 && member.at_points.count(p) == 0)
        for (const auto& point : model_.profiles[static_cast<std::size_t>(p)].stress_points)
          member.at_points[p].push_back(stress(point.y, point.z));
  if (yield > 0 && largest > yield * (1 + 1e-9))
    complain(r.place, fmt::format("a residual stress of {:.4g} is above the yield stress {:.4g}", largest, yield),
             "it cannot be: make it smaller");
  model_.member_stresses.push_back(std::move(member));
}

void LoadBuilder::panel_stresses(const ResidualStressSpec& r, const std::vector<int>& parts) {
  if (r.pattern != Pattern::given)
    return complain(r.place, "patterns of sections are those of members",
                    "for panels give stress and along, or bands: beside, width and stress");
  if (r.along.isZero(0.0))
    return complain(r.place, "residual stresses of panels need their direction", "add along = [1, 0, 0], for instance");
  std::vector<Vec3> weld;
  if (r.beside)
    for (const int n : nodes_at(*r.beside, "this band")) weld.push_back(model_.nodes[static_cast<std::size_t>(n)]);
  if (r.beside && weld.empty()) return;
  const auto first = model_.panel_stresses.size();
  std::vector<double> weights, inside;
  for (std::size_t e = 0; e < model_.shell_elements.size(); ++e) {
    const auto& element = model_.shell_elements[e];
    if (std::find(parts.begin(), parts.end(), element.part) == parts.end()) continue;
    const auto nodes = corners(static_cast<int>(e), -1);
    const Vec3 middle = mean(nodes.data(), nodes.data() + nodes.size());
    Vec3 area = Vec3::Zero();
    double size = 0;
    for (std::size_t k = 0; k < nodes.size(); ++k) {
      const Vec3 a = model_.nodes[static_cast<std::size_t>(nodes[k])] - middle,
                 b = model_.nodes[static_cast<std::size_t>(nodes[(k + 1) % nodes.size()])] - middle;
      area += 0.5 * a.cross(b);
      // across the direction of the stress
      size = std::max(size, 2 * (a - a.dot(r.along.normalized()) * r.along.normalized()).norm());
    }
    weights.push_back(area.norm() * model_.parts[static_cast<std::size_t>(element.part)].thickness);
    double stress = r.stress_at ? r.stress_at(middle) : r.stress;
    if (r.beside) {
      double near = HUGE_VAL;
      for (const Vec3& x : weld) {
        const Vec3 way = x - middle;
        near = std::min(near, (way - way.dot(r.along.normalized()) * r.along.normalized()).norm());
      }
      inside.push_back(std::clamp((r.width - near + 0.5 * size) / size, 0.0, 1.0));
    }
    model_.panel_stresses.push_back({static_cast<int>(e), r.along.normalized(), stress});
  }
  double pulled = 0, all = 0, sum = 0, sizes = 0, largest = 0;
  for (std::size_t k = 0; k < weights.size(); ++k) all += weights[k];
  for (std::size_t k = 0; k < inside.size(); ++k) pulled += inside[k] * weights[k];
  if (r.beside && !(pulled > 0 && pulled < all))
    return complain(r.place, "the band catches no element, or all of them",
                    "check 'beside' and 'width'; the parts named with 'on' hold the balance");
  for (std::size_t k = 0; k < weights.size(); ++k) {
    double& stress = model_.panel_stresses[first + k].stress;
    if (r.beside) stress = r.stress * (inside[k] - (1 - inside[k]) * pulled / (all - pulled));
    sum += stress * weights[k];
    sizes += std::abs(stress) * weights[k];
    largest = std::max(largest, std::abs(stress));
  }
  model_.remarks.push_back(fmt::format(
      "residual stresses of '{}': up to {:.4g} {} along ({:.3g}, {:.3g}, {:.3g}); together {} of the tension and "
      "in compression is out of balance before the panels deform",
      fmt::join(r.parts, "', '"), largest, spec_.units.stress(), r.along.x(), r.along.y(), r.along.z(),
      percent(sum / std::max(sizes, 1e-300))));
}

}  // namespace archway::study::detail
