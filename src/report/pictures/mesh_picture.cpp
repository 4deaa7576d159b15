#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include <fmt/format.h>

#include "archway/base/rotation.hpp"
#include "archway/elements/line_geometry.hpp"
#include "archway/model/selection.hpp"
#include "archway/model/surface.hpp"
#include "archway/study/build_model.hpp"
#include "canvas/raster_detail.hpp"
#include "charts/chart_detail.hpp"
#include "pictures/camera_detail.hpp"
#include "pictures/mesh_picture_detail.hpp"

namespace archway::report::detail {

namespace {
using base::Vec3;

/// Parallel projection: columns right, up, towards the viewer.
struct View {
  base::Mat3 axes;
  double zoom = 1, x0 = 0, y0 = 0;
  Pixel operator()(const Vec3& p) const {
    const Vec3 q = axes.transpose() * p;
    return {x0 + zoom * q.x(), y0 - zoom * q.y(), zoom * q.z()};
  }
};

}  // namespace

base::Mat3 view_axes(const model::Model& model) {
  const auto used = used_nodes(model);
  Vec3 low = Vec3::Constant(HUGE_VAL), high = -low;
  for (std::size_t n = 0; n < model.nodes.size(); ++n)
    if (used[n]) low = low.cwiseMin(model.nodes[n]), high = high.cwiseMax(model.nodes[n]);
  if (!(low.x() <= high.x())) low = high = Vec3::Zero();
  const Vec3 extent = high - low;
  Vec3 towards = Vec3(-0.42, -0.82, 0.42);
  const bool thin_x = extent.x() < 0.02 * extent.maxCoeff(), thin_y = extent.y() < 0.02 * extent.maxCoeff();
  if (thin_y && !thin_x) towards = Vec3(0, -1, 0);
  if (thin_x && !thin_y)
    towards = Vec3(1, 0, 0);  // a single line is seen from the side: it shows how its section rotates
  return axes_towards(towards);
}

namespace {
/// \param moved  where the nodes are drawn, and then everything else that is
View fit(const MeshPicture& p, const std::vector<Vec3>& moved, double left, double top, double right, double bottom) {
  View view;
  view.axes = p.view ? *p.view : view_axes(*p.model);
  double x[2] = {HUGE_VAL, -HUGE_VAL}, y[2] = {HUGE_VAL, -HUGE_VAL};
  const auto used = used_nodes(*p.model);
  for (const auto* list : {&p.model->nodes, &moved})
    for (std::size_t n = 0; n < list->size(); ++n) {
      if (n < used.size() && !used[n]) continue;
      const Vec3 q = view.axes.transpose() * (*list)[n];
      x[0] = std::min(x[0], q.x()), x[1] = std::max(x[1], q.x());
      y[0] = std::min(y[0], q.y()), y[1] = std::max(y[1], q.y());
    }
  if (!(x[0] <= x[1])) x[0] = x[1] = y[0] = y[1] = 0;
  const double tiny = 1e-12 + 1e-6 * std::max(x[1] - x[0], y[1] - y[0]);
  view.zoom = std::min((right - left) / std::max(x[1] - x[0], tiny), (bottom - top) / std::max(y[1] - y[0], tiny));
  view.x0 = 0.5 * (left + right) - view.zoom * 0.5 * (x[0] + x[1]);
  view.y0 = 0.5 * (top + bottom) + view.zoom * 0.5 * (y[0] + y[1]);
  return view;
}

Vec3 normal_of(const Face& face, const std::vector<Vec3>& nodes) {
  const auto x = [&](std::size_t k) { return nodes[static_cast<std::size_t>(face.nodes[k % face.nodes.size()])]; };
  const std::size_t n = face.nodes.size();
  return (n == 3 ? (x(1) - x(0)).cross(x(2) - x(0)) : (x(n / 2) - x(0)).cross(x(3 * n / 4) - x(n / 4))).normalized();
}

}  // namespace

std::vector<std::pair<int, int>> outline(const model::Model& model) {
  std::map<std::pair<int, int>, std::pair<int, Vec3>> seen;
  std::vector<std::pair<int, int>> folds;
  for (const auto& face : faces_of(model)) {
    const Vec3 normal = normal_of(face, model.nodes);
    for (std::size_t k = 0; k < face.nodes.size(); ++k) {
      const auto edge = std::minmax(face.nodes[k], face.nodes[(k + 1) % face.nodes.size()]);
      auto [entry, fresh] = seen.try_emplace(edge, 1, normal);
      if (fresh) continue;
      ++entry->second.first;
      if (std::abs(entry->second.second.dot(normal)) < 0.9) folds.push_back(edge);
    }
  }
  for (const auto& [edge, use] : seen)
    if (use.first == 1) folds.push_back(edge);
  return folds;
}

namespace {
void draw_faces(Raster& raster, const MeshPicture& p, const std::vector<Vec3>& moved, const View& view,
                const std::vector<double>& share, const std::vector<double>& face_share) {
  std::size_t at = 0;  // shell elements come first
  const Vec3 lamp = view.axes * Vec3(-0.35, 0.5, 0.79);
  const auto faces = faces_of(*p.model);
  const bool show_mesh = faces.size() <= 3000;  // finer meshes rotation into noise
  for (const auto& face : faces) {
    const std::size_t n = face.nodes.size();
    std::vector<Pixel> pixel;
    std::vector<double> v;
    for (const int node : face.nodes) {
      pixel.push_back(view(moved[static_cast<std::size_t>(node)]));
      v.push_back(at < face_share.size() ? face_share[at] : share[static_cast<std::size_t>(node)]);
    }
    ++at;
    const double light = 0.68 + 0.32 * std::abs(normal_of(face, moved).dot(lamp));
    for (std::size_t k = 1; k + 1 < n; ++k)
      raster.triangle({pixel[0], pixel[k], pixel[k + 1]}, {v[0], v[k], v[k + 1]}, light);
    if (show_mesh)
      for (std::size_t k = 0; k < n; ++k)
        raster.line(pixel[k], pixel[(k + 1) % n], 0.5, {0, 0, 0, 0.12}, {0, 0, 0, 0.12}, 0.3);
  }
}

/// Section axes along a moved line element: carried along with its line, then twisted as its nodes are.
std::array<base::Mat3, 4> moved_axes(const MeshPicture& p, const model::LineElement& e,
                                     const std::vector<Vec3>& moved) {
  const auto axes = elements::nodal_axes(*p.model, e);
  const auto x = [&](std::size_t k) { return moved[static_cast<std::size_t>(e.nodes[k])]; };
  std::array<base::Mat3, 4> out;
  for (std::size_t k = 0; k < 4; ++k) {
    const Vec3 before = axes[k] * Vec3::UnitX(), after = x(std::min<std::size_t>(k + 1, 3)) - x(k == 0 ? 0 : k - 1);
    const double twist = p.scale * p.displacement.segment<3>(model::row(e.nodes[k]) + 3).dot(before);
    out[k] = (base::exponential(twist * after.normalized()) * base::rotation_between(before, after) * axes[k])
                 .toRotationMatrix();
  }
  return out;
}

/// Walls of the section of a line element, drawn out; only where they can be seen. \return whether they were drawn
bool draw_section(Raster& raster, const MeshPicture& p, const model::LineElement& e, const std::vector<Vec3>& moved,
                  const View& view, const std::vector<double>& share) {
  constexpr double seen = 7;  // pixels: less is a line
  const auto& part = p.model->parts[static_cast<std::size_t>(e.part)];
  const auto& profile = p.model->profiles[static_cast<std::size_t>(part.profile)];
  if (profile.outline.empty() || view.zoom * std::max(profile.fibre_y, profile.fibre_z) < seen) return false;
  const auto axes = moved_axes(p, e, moved);
  const Vec3 lamp = view.axes * Vec3(-0.35, 0.5, 0.79);
  for (std::size_t k = 0; k < 3; ++k)
    for (const auto& polygon : profile.outline)
      for (std::size_t c = 0; c < polygon.size(); ++c) {
        const auto corner = [&](std::size_t node, const std::pair<double, double>& at) {
          return Vec3(moved[static_cast<std::size_t>(e.nodes[node])] +
                      axes[node] * Vec3(0, part.offset_y + at.first, part.offset_z + at.second));
        };
        const auto &a = polygon[c], &b = polygon[(c + 1) % polygon.size()];
        const std::array<Vec3, 4> q = {corner(k, a), corner(k, b), corner(k + 1, b), corner(k + 1, a)};
        const double light = 0.68 + 0.32 * std::abs((q[1] - q[0]).cross(q[3] - q[0]).normalized().dot(lamp));
        const double v = share[static_cast<std::size_t>(e.nodes[k])],
                     w = share[static_cast<std::size_t>(e.nodes[k + 1])];
        raster.triangle({view(q[0]), view(q[1]), view(q[2])}, {v, v, w}, light);
        raster.triangle({view(q[0]), view(q[2]), view(q[3])}, {v, w, w}, light);
        if (k == 0) raster.line(view(q[0]), view(q[1]), 0.5, {0, 0, 0, 0.25}, {0, 0, 0, 0.25}, 0.3);
      }
  return true;
}

void draw_members(Raster& raster, const MeshPicture& p, const std::vector<Vec3>& moved, const View& view,
                  const std::vector<double>& share) {
  for (const auto& e : p.model->line_elements) {
    if (draw_section(raster, p, e, moved, view, share)) continue;
    for (std::size_t k = 0; k < 3; ++k) {
      const auto a = static_cast<std::size_t>(e.nodes[k]), b = static_cast<std::size_t>(e.nodes[k + 1]);
      raster.line(view(moved[a]), view(moved[b]), 6, scale_colour(share[a]), scale_colour(share[b]), 2);
    }
  }
  for (const auto& e : p.model->bar_elements) {
    const auto a = static_cast<std::size_t>(e.nodes[0]), b = static_cast<std::size_t>(e.nodes[1]);
    const auto colour = [&](std::size_t n) { return scale_colour(p.grey_faces ? -1.0 : share[n]); };
    raster.line(view(moved[a]), view(moved[b]), 3, colour(a), colour(b), 2);
  }
}

void draw_undeformed(Canvas& canvas, const model::Model& model, const View& view) {
  const Colour grey{0.42, 0.42, 0.46, 0.75};
  const auto piece = [&](int a, int b) {
    const Pixel p = view(model.nodes[static_cast<std::size_t>(a)]), q = view(model.nodes[static_cast<std::size_t>(b)]);
    canvas.line({{p.x, p.y}, {q.x, q.y}}, grey, 1.2);
  };
  for (const auto& [a, b] : outline(model)) piece(a, b);
  for (const auto& e : model.line_elements)
    for (std::size_t k = 0; k < 3; ++k) piece(e.nodes[k], e.nodes[k + 1]);
  for (const auto& e : model.bar_elements) piece(e.nodes[0], e.nodes[1]);
  std::map<int, std::set<int>> held;  // directions of displacement
  for (const auto& support : model.supports)
    if (support.name != study::kPlaneSupport)  // it is at every node
      if (support.dof < 3) held[support.node].insert(support.dof);
  if (held.size() >= 200) return;
  const Colour dark{0.35, 0.35, 0.38, 1};
  for (const auto& [node, directions] : held) {
    const Pixel p = view(model.nodes[static_cast<std::size_t>(node)]);
    if (directions.size() == 1)  // a guide
      canvas.circle(p.x, p.y, 2.6, dark);
    else
      canvas.area({{p.x, p.y}, {p.x - 7, p.y + 12}, {p.x + 7, p.y + 12}}, dark);
  }
}

void draw_legend(Canvas& canvas, const std::string& legend, double low, double high, int width, int height,
                 double shift, bool cut_off) {
  const double x = width - 150.0, top = 150, bottom = height - 120.0;
  const int steps = 120;
  for (int i = 0; i < steps; ++i) {
    const double y = bottom - (bottom - top) * i / steps;
    canvas.area({{x, y + 0.5},
                 {x + 24, y + 0.5},
                 {x + 24, y - (bottom - top) / steps - 0.5},
                 {x, y - (bottom - top) / steps - 0.5}},
                scale_colour(shift + (i + 0.5) / steps));
  }
  for (int i = 0; i <= 4; ++i)
    canvas.text(
        x + 34, bottom - (bottom - top) * i / 4 + 5,
        fmt::format("{:.3g}{}", i == 0 && std::abs(low) < 1e-6 * std::abs(high) ? 0.0 : low + (high - low) * i / 4,
                    i == 4 && cut_off ? " or more" : ""),
        15, Anchor::start);
  canvas.text(x + 24, top - 18, legend, 15, Anchor::middle);
}

void draw_arrows(Canvas& canvas, const MeshPicture& p, const View& view) {
  double largest = 0;
  for (const auto& [node, force] : p.arrows) largest = std::max(largest, force.norm());
  const Colour red{0.72, 0.12, 0.16, 1};
  const std::size_t step = (p.arrows.size() + kMostArrows - 1) / kMostArrows;  // more would cover the structure
  for (std::size_t k = 0; k < p.arrows.size(); k += std::max<std::size_t>(step, 1)) {
    const auto& [node, force] = p.arrows[k];
    if (force.norm() < 0.02 * largest) continue;
    const Pixel tip = view(p.model->nodes[static_cast<std::size_t>(node)]);
    const Vec3 seen = view.axes.transpose() * force;
    const double length = 14 + 46 * force.norm() / largest, flat = std::hypot(seen.x(), seen.y());
    if (flat < 0.05 * force.norm()) {  // seen end on
      canvas.circle(tip.x, tip.y, 4, red);
      continue;
    }
    const double dx = seen.x() / force.norm(), dy = -seen.y() / force.norm(), ux = seen.x() / flat,
                 uy = -seen.y() / flat;
    canvas.line({{tip.x - length * dx, tip.y - length * dy}, {tip.x - 5 * ux, tip.y - 5 * uy}}, red, 1.6);
    canvas.area({{tip.x, tip.y},
                 {tip.x - 9 * ux - 3.5 * uy, tip.y - 9 * uy + 3.5 * ux},
                 {tip.x - 9 * ux + 3.5 * uy, tip.y - 9 * uy - 3.5 * ux}},
                red);
  }
}

void draw_diagram(Canvas& canvas, const MeshPicture& p, const View& view) {
  for (const auto& piece : p.diagram) {
    const Colour line = piece.pressed ? Colour{0.72, 0.12, 0.16, 1} : Colour{0.10, 0.32, 0.62, 1};
    const Colour fill{line.r, line.g, line.b, 0.28};
    for (std::size_t k = 0; k + 1 < piece.place.size(); ++k) {
      const Pixel a = view(piece.place[k]), b = view(piece.place[k + 1]), c = view(piece.tip[k + 1]),
                  d = view(piece.tip[k]);
      canvas.area({{a.x, a.y}, {b.x, b.y}, {c.x, c.y}, {d.x, d.y}}, fill);
      canvas.line({{d.x, d.y}, {c.x, c.y}}, line, 1.4);
    }
  }
}

void draw_marks_of_axes(Canvas& canvas, const MeshPicture& p, const View& view) {
  constexpr double length = 34;
  for (const auto& mark : p.axes) {
    const Pixel at = view(mark.place);
    const Vec3 q = view.axes.transpose() * mark.direction;
    canvas.line({{at.x, at.y}, {at.x + length * q.x(), at.y - length * q.y()}}, mark.colour, 2.2);
    if (std::hypot(q.x(), q.y()) > 0.25)
      canvas.text(at.x + 1.3 * length * q.x(), at.y - 1.3 * length * q.y() + 5, mark.letter, 13, Anchor::middle,
                  mark.colour);
  }
}

void draw_free_edges(Canvas& canvas, const model::Model& model, const View& view) {
  for (const auto& edge : model::free_edges(model)) {
    const Pixel a = view(model.nodes[static_cast<std::size_t>(edge.first)]),
                b = view(model.nodes[static_cast<std::size_t>(edge.second)]);
    canvas.line({{a.x, a.y}, {b.x, b.y}}, {0.85, 0.42, 0.05, 1}, 2.4);
  }
}

void draw_axes_cross(Canvas& canvas, const View& view, int height) {
  const double x = 70, y = height - 70.0;
  const char* const names[] = {"x", "y", "z"};
  for (int k = 0; k < 3; ++k) {
    const Vec3 q = view.axes.transpose() * Vec3::Unit(k);
    if (std::hypot(q.x(), q.y()) < 0.15) continue;
    canvas.line({{x, y}, {x + 38 * q.x(), y - 38 * q.y()}}, {0.35, 0.35, 0.38, 1}, 2);
    canvas.text(x + 50 * q.x(), y - 50 * q.y() + 5, names[k], 15, Anchor::middle);
  }
}
}  // namespace

namespace {
/// Where on the canvas a structure goes, and how much of it is margin.
struct Box {
  double x = 0, y = 0;
  int width = 0, height = 0;
  double left = 0, top = 0, right = 0, bottom = 0;
};
struct ColourRange {
  double low = 0, high = 0;
  bool cut_off = false;  // values beyond have the colour of the end
};

/// Of the colours: where one peak in a hundred values is far above all others, these have the colours to
/// themselves.
ColourRange range_of(const MeshPicture& p) {
  constexpr double far = 2.5;
  if (p.signed_up_to > 0) return {-p.signed_up_to, p.signed_up_to};
  std::vector<double> values;
  const auto used = used_nodes(*p.model);
  const auto& all = p.face_value.empty() ? p.value : p.face_value;
  for (std::size_t k = 0; k < all.size(); ++k)
    if (std::isfinite(all[k]) && (!p.face_value.empty() || used[k])) values.push_back(all[k]);
  if (values.empty()) return {};
  std::sort(values.begin(), values.end());
  ColourRange range{values.front(), values.back()};
  const double most = values[values.size() - 1 - values.size() / 100];
  if (values.size() >= 400 && range.low >= 0 && most > 0 && range.high > far * most) range = {range.low, most, true};
  return range;
}

/// A label beside a ring, where no other label is.
void draw_label(Canvas& canvas, const Pixel& at, const std::string& words, const Box& box,
                std::vector<std::array<double, 4>>& taken) {
  const double room = 7.4 * static_cast<double>(words.size());
  canvas.circle(at.x, at.y, 6, {0.1, 0.1, 0.12, 1});
  canvas.circle(at.x, at.y, 3.6, {1, 1, 1, 1});
  std::array<double, 4> best{};
  int least = -1;
  for (const double up : {-14.0, 26.0, -38.0, 50.0, -62.0, 74.0})
    for (const bool left : {false, true}) {
      const double x = left ? at.x - 12 - room : at.x + 12, y = at.y + up;
      const std::array<double, 4> own = {x - 4, y - 15, x + room + 4, y + 5};
      int covered = own[0] < box.x + 4 || own[2] > box.x + box.width - box.right + 40 || own[1] < box.y ||
                            own[3] > box.y + box.height
                        ? 1
                        : 0;
      for (const auto& other : taken)
        covered += own[0] < other[2] && other[0] < own[2] && own[1] < other[3] && other[1] < own[3] ? 1 : 0;
      if (least < 0 || covered < least) least = covered, best = own;
    }
  taken.push_back(best);
  canvas.area({{best[0], best[1]}, {best[2], best[1]}, {best[2], best[3]}, {best[0], best[3]}}, {1, 1, 1, 0.82});
  canvas.text(best[0] + 4, best[3] - 5, words, 14, Anchor::start);
}

/// The largest value with its number and place; of signed values the least as well.
void draw_extremes(Canvas& canvas, const MeshPicture& p, const std::vector<Vec3>& moved, const View& view,
                   const Box& box) {
  constexpr double as_large = 1e-6;  // of equals the one in front, then the first: rounding is not to choose
  const auto used = used_nodes(*p.model);
  double size = 0, highest = -HUGE_VAL, lowest = HUGE_VAL;
  const auto counts = [&](std::size_t n) { return used[n] && std::isfinite(p.value[n]); };
  for (std::size_t n = 0; n < p.value.size(); ++n)
    if (counts(n))
      size = std::max(size, std::abs(p.value[n])), highest = std::max(highest, p.value[n]),
      lowest = std::min(lowest, p.value[n]);
  const auto in_front = [&](double value) {
    int found = -1;
    double depth = -HUGE_VAL;
    for (std::size_t n = 0; n < p.value.size(); ++n) {
      if (!counts(n) || std::abs(p.value[n] - value) > as_large * size) continue;
      const double own = view(moved[n]).depth;
      if (found < 0 || own > depth + 0.5) found = static_cast<int>(n), depth = own;  // half a pixel
    }
    return found;
  };
  const int most = in_front(highest), least = in_front(lowest);
  if (most < 0 || !(size > 0)) return;
  std::vector<std::array<double, 4>> taken;
  const double model_size = p.model->size();
  const auto tell = [&](const char* what, int node) {
    const auto n = static_cast<std::size_t>(node);
    const auto coordinate = [&](int k) {
      const double x = p.model->nodes[n][k];
      return std::abs(x) < 1e-9 * model_size ? 0.0 : x;
    };
    draw_label(canvas, view(moved[n]),
               fmt::format("{} {:.4g} at ({:.5g}, {:.5g}, {:.5g})", what, p.value[n], coordinate(0), coordinate(1),
                           coordinate(2)),
               box, taken);
  };
  tell("most", most);
  if (p.signed_up_to > 0 && p.value[static_cast<std::size_t>(least)] < 0) tell("least", least);
}

/// Faces, members, outline and all marks, without words. \return the view and the range of the colours
std::pair<View, ColourRange> draw_body(Canvas& canvas, const MeshPicture& p, const Box& box) {
  std::vector<Vec3> moved = p.model->nodes;
  for (std::size_t n = 0; n < moved.size(); ++n) moved[n] += p.scale * p.displacement.segment<3>(model::row(n));
  std::vector<Vec3> seen = moved;
  for (const auto& piece : p.diagram) seen.insert(seen.end(), piece.tip.begin(), piece.tip.end());
  const LineNet obstacles = obstacle_lines(*p.model);
  for (const auto& [a, b] : obstacles) seen.insert(seen.end(), {a, b});
  View view = fit(p, seen, box.left, box.top, box.width - box.right, box.height - box.bottom);
  const ColourRange range = range_of(p);
  const double most = p.signed_up_to;
  const auto shares = [&](const std::vector<double>& values) {
    std::vector<double> list;
    for (const double v : values) {
      const double place =
          range.high > range.low ? std::clamp((v - range.low) / (range.high - range.low), 0.0, 1.0) : 0.0;
      list.push_back(!std::isfinite(v) ? -1.0 : most > 0 ? kTwoSided + place : place);
    }
    return list;
  };
  const std::vector<double> face_share = p.grey_faces ? std::vector<double>(p.model->shell_elements.size(), -1.0)
                                                      : shares(p.face_value),
                            share = p.value.empty() ? std::vector<double>(moved.size(), -1.0) : shares(p.value);
  Raster raster(box.width, box.height);
  draw_faces(raster, p, moved, view, share, face_share);
  draw_members(raster, p, moved, view, share);
  const Colour slate{0.36, 0.40, 0.46, 0.8};
  for (const auto& [a, b] : obstacles) raster.line(view(a), view(b), 1.2, slate, slate, 0);
  canvas.image(raster.image(), box.x, box.y);
  view.x0 += box.x;
  view.y0 += box.y;
  draw_undeformed(canvas, *p.model, view);
  if (p.free_edges) draw_free_edges(canvas, *p.model, view);
  draw_diagram(canvas, p, view);
  draw_arrows(canvas, p, view);
  draw_marks_of_axes(canvas, p, view);
  for (const int node : p.marks) {
    const Pixel at = view(p.model->nodes[static_cast<std::size_t>(node)]);
    canvas.circle(at.x, at.y, p.marks.size() > 300 ? 3 : 5, {0.85, 0.1, 0.35, 1});
  }
  if (p.tell_extremes && p.face_value.empty() && !p.value.empty()) draw_extremes(canvas, p, moved, view, box);
  return {view, range};
}

}  // namespace

void draw(Canvas& canvas, const MeshPicture& p, int width, int height) {
  const double below = p.bars.empty() ? 90 : 90 + 46.0 * static_cast<double>(p.bars.size());
  const auto [view, range] = draw_body(canvas, p, {0, 0, width, height, 90, 110, 220, below});
  canvas.text(40, 42, p.title, 23, Anchor::start);
  canvas.text(40, 70, p.subtitle, 15, Anchor::start, {0.4, 0.4, 0.44, 1});
  if (!p.legend.empty())
    draw_legend(canvas, p.legend, range.low, range.high, width, height, p.signed_up_to > 0 ? kTwoSided : 0,
                range.cut_off);
  draw_axes_cross(canvas, view, height);
  if (!p.bars.empty()) draw_bars(canvas, p.bars, height);
}

void draw(Canvas& canvas, const Sheet& sheet, int width, int height) {
  canvas.text(40, 42, sheet.title, 23, Anchor::start);
  canvas.text(40, 70, sheet.subtitle, 15, Anchor::start, {0.4, 0.4, 0.44, 1});
  const int count = static_cast<int>(sheet.cells.size()),
            columns = sheet.columns > 0 ? sheet.columns
                      : count <= 4      ? 2
                      : count <= 9      ? 3
                                        : 4,
            rows = (count + columns - 1) / columns, wide = (width - (sheet.legend.empty() ? 40 : 220)) / columns,
            high = (height - 90) / std::max(rows, 1);
  ColourRange range;
  bool two_sided = false;
  for (int k = 0; k < count; ++k) {
    const double x = 20 + k % columns * wide, y = 84 + k / columns * high;
    const auto& cell = sheet.cells[static_cast<std::size_t>(k)];
    range = draw_body(canvas, cell, {x, y, wide, high, 24, 12, 24, 40}).second;
    two_sided = cell.signed_up_to > 0;
    canvas.text(x + 0.5 * wide, y + high - 14, cell.subtitle, 14, Anchor::middle);
  }
  if (!sheet.legend.empty())
    draw_legend(canvas, sheet.legend, range.low, range.high, width, height, two_sided ? kTwoSided : 0, false);
}

}  // namespace archway::report::detail
