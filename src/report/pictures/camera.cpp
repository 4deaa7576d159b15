#include <algorithm>
#include <cmath>
#include <set>

#include "archway/model/surface.hpp"
#include "pictures/camera_detail.hpp"

namespace archway::report::detail {

using base::Vec3;

std::vector<Face> faces_of(const model::Model& model) {
  std::vector<Face> faces;
  for (const auto& facet : model::outer_facets(model)) {
    Face face;
    const auto corners = static_cast<std::size_t>(facet.corners());
    for (std::size_t k = 0; k < corners; ++k) {
      face.nodes.push_back(facet.nodes[k]);
      if (facet.nodes.size() > 4) face.nodes.push_back(facet.nodes[k + 4]);
    }
    faces.push_back(std::move(face));
  }
  return faces;
}

base::Mat3 axes_towards(const Vec3& eye) {
  const Vec3 back = eye.normalized();
  const Vec3 across = Vec3::UnitZ().cross(back);
  const Vec3 right = across.norm() > 1e-6 ? across.normalized() : Vec3(Vec3::UnitX());
  base::Mat3 axes;
  axes << right, back.cross(right), back;
  return axes;
}

std::vector<char> used_nodes(const model::Model& model) {
  std::vector<char> used(model.nodes.size(), 0);
  const auto mark = [&](int n) { used[static_cast<std::size_t>(n)] = 1; };
  for (const auto& e : model.line_elements) std::for_each(e.nodes.begin(), e.nodes.end(), mark);
  for (const auto& e : model.bar_elements) std::for_each(e.nodes.begin(), e.nodes.end(), mark);
  for (const auto& e : model.shell_elements) std::for_each(e.begin(), e.end(), mark);
  for (const auto& e : model.solid_elements) std::for_each(e.begin(), e.end(), mark);
  return used;
}

namespace {
/// A piece of the structure as the camera sees it: a triangle, or a line (third corner < 0).
struct Piece {
  std::array<int, 3> nodes;
  double size = 0, amount = 0;  // area (of a line: as if it were a strip), how much it moves, 0 to 1
};

std::vector<Piece> pieces_of(const Subject& s) {
  const double most = *std::max_element(s.amount.begin(), s.amount.end());
  const auto amount = [&](int n) { return most > 0 ? s.amount[static_cast<std::size_t>(n)] / most : 1.0; };
  const auto x = [&](int n) { return s.drawn[static_cast<std::size_t>(n)]; };
  const double strip = s.model->size() / 40;
  std::vector<Piece> pieces;
  const auto line = [&](int a, int b) {
    pieces.push_back({{a, b, -1}, strip * (x(b) - x(a)).norm(), 0.5 * (amount(a) + amount(b))});
  };
  for (const auto& face : faces_of(*s.model))
    for (std::size_t k = 1; k + 1 < face.nodes.size(); ++k) {
      const int a = face.nodes[0], b = face.nodes[k], c = face.nodes[k + 1];
      pieces.push_back(
          {{a, b, c}, 0.5 * (x(b) - x(a)).cross(x(c) - x(a)).norm(), (amount(a) + amount(b) + amount(c)) / 3});
    }
  for (const auto& e : s.model->line_elements)
    for (std::size_t k = 0; k < 3; ++k) line(e.nodes[k], e.nodes[k + 1]);
  for (const auto& e : s.model->bar_elements) line(e.nodes[0], e.nodes[1]);
  return pieces;
}

/// A sheet of few pixels that knows which piece is in front.
class Sketch {
 public:
  static constexpr int kWide = 160, kHigh = 100;
  Sketch() : depth_(kWide * kHigh, -HUGE_VAL), piece_(kWide * kHigh, -1) {}

  void put(int x, int y, double depth, int piece) {
    if (x < 0 || y < 0 || x >= kWide || y >= kHigh) return;
    const auto at = static_cast<std::size_t>(y * kWide + x);
    if (depth > depth_[at]) depth_[at] = depth, piece_[at] = piece;
  }
  void triangle(const std::array<Vec3, 3>& q, int piece) {
    const double area = (q[1].x() - q[0].x()) * (q[2].y() - q[0].y()) - (q[2].x() - q[0].x()) * (q[1].y() - q[0].y());
    if (std::abs(area) < 1e-9) return;
    const auto range = [&](int k, int size) {
      return std::pair(std::max(0, static_cast<int>(std::floor(std::min({q[0][k], q[1][k], q[2][k]})))),
                       std::min(size - 1, static_cast<int>(std::ceil(std::max({q[0][k], q[1][k], q[2][k]})))));
    };
    const auto [left, right] = range(0, kWide);
    const auto [top, bottom] = range(1, kHigh);
    for (int j = top; j <= bottom; ++j)
      for (int i = left; i <= right; ++i) {
        const double px = i + 0.5, py = j + 0.5;
        const double a = ((q[1].x() - px) * (q[2].y() - py) - (q[2].x() - px) * (q[1].y() - py)) / area,
                     b = ((q[2].x() - px) * (q[0].y() - py) - (q[0].x() - px) * (q[2].y() - py)) / area, c = 1 - a - b;
        if (a >= 0 && b >= 0 && c >= 0) put(i, j, a * q[0].z() + b * q[1].z() + c * q[2].z(), piece);
      }
  }
  void line(const Vec3& a, const Vec3& b, double lift, int piece) {
    const int steps = 1 + static_cast<int>((b - a).head<2>().norm());
    for (int s = 0; s <= steps; ++s) {
      const Vec3 q = a + (b - a) * s / steps;
      put(static_cast<int>(q.x()), static_cast<int>(q.y()), q.z() + lift, piece);
    }
  }
  const std::vector<int>& front() const { return piece_; }

 private:
  std::vector<double> depth_;
  std::vector<int> piece_;
};

/// How much of what moves is seen: share of the moving surface in front, share of the displacement across the line of
/// sight, share of the sheet that is filled.
double worth(const Subject& s, const std::vector<Piece>& pieces, const base::Mat3& axes) {
  std::vector<Vec3> q(s.drawn.size());
  const auto used = used_nodes(*s.model);
  Vec3 low = Vec3::Constant(HUGE_VAL), high = -low;
  for (std::size_t n = 0; n < q.size(); ++n) {
    q[n] = axes.transpose() * s.drawn[n];
    q[n].y() = -q[n].y();
    if (used[n]) low = low.cwiseMin(q[n]), high = high.cwiseMax(q[n]);
  }
  const Vec3 extent = (high - low).cwiseMax(1e-9 * s.model->size());
  const double zoom = std::min(Sketch::kWide / extent.x(), Sketch::kHigh / extent.y());
  for (auto& p : q) p = zoom * (p - low);
  Sketch sketch;
  const auto at = [&](int n) { return q[static_cast<std::size_t>(n)]; };
  for (std::size_t k = 0; k < pieces.size(); ++k) {
    const auto& n = pieces[k].nodes;
    if (n[2] < 0)
      sketch.line(at(n[0]), at(n[1]), 0.5, static_cast<int>(k));
    else
      sketch.triangle({at(n[0]), at(n[1]), at(n[2])}, static_cast<int>(k));
  }
  std::vector<int> pixels(pieces.size(), 0);
  for (const int piece : sketch.front())
    if (piece >= 0) ++pixels[static_cast<std::size_t>(piece)];
  double seen = 0, all = 0, across = 0, moves = 0;
  for (std::size_t k = 0; k < pieces.size(); ++k) {
    const auto& p = pieces[k];
    const double weight = p.amount * p.amount;
    all += p.size * weight;
    if (p.nodes[2] < 0)  // a line is seen as long as it shows
      seen += weight * p.size *
              std::min(1.0, pixels[k] / std::max(1.0, (at(p.nodes[1]) - at(p.nodes[0])).head<2>().norm())) *
              (at(p.nodes[1]) - at(p.nodes[0])).head<2>().norm() /
              std::max(1e-12, (at(p.nodes[1]) - at(p.nodes[0])).norm());
    else
      seen += weight * pixels[k] / (zoom * zoom);
  }
  for (std::size_t n = 0; n < s.drawn.size(); ++n) {
    if (!used[n]) continue;
    const Vec3 m = s.drawn[n] - s.model->nodes[n];
    moves += m.squaredNorm();
    across += (axes.transpose() * m).head<2>().squaredNorm();
  }
  const double fills = extent.x() * extent.y() * zoom * zoom / (Sketch::kWide * Sketch::kHigh);
  return (0.1 + (all > 0 ? seen / all : 1)) * (0.25 + (moves > 0 ? across / moves : 1)) * (0.6 + fills);
}
}  // namespace

base::Mat3 best_view(const std::vector<Subject>& subjects) {
  constexpr double clearly = 1.15;
  constexpr std::size_t many = 40000;  // pieces: fewer directions are tried
  const base::Mat3 usual = view_axes(*subjects.front().model);
  std::vector<std::vector<Piece>> pieces;
  std::size_t count = 0;
  for (const auto& s : subjects) pieces.push_back(pieces_of(s)), count += pieces.back().size();
  if (count == 0) return usual;
  const auto total = [&](const base::Mat3& axes) {
    double sum = 0;
    for (std::size_t k = 0; k < subjects.size(); ++k) sum += worth(subjects[k], pieces[k], axes);
    return sum;
  };
  base::Mat3 best = usual;
  double most = clearly * total(usual);
  const double first = std::atan2(-0.82, -0.42);
  for (const double elevation : {0.43, 0.17, 0.95, -0.35}) {
    if (count > many && elevation != 0.43) continue;
    for (int k = 0; k < 12; ++k) {
      const double azimuth = first + (k % 2 == 0 ? 1 : -1) * (k + 1) / 2 * M_PI / 6;
      const base::Mat3 axes = axes_towards(
          {std::cos(elevation) * std::cos(azimuth), std::cos(elevation) * std::sin(azimuth), std::sin(elevation)});
      // of directions that are as good, as in symmetric structures, the one tried first
      if (const double worth = total(axes); worth > most * (1 + 1e-6)) most = worth, best = axes;
    }
  }
  return best;
}

namespace {
bool is_shown(const study::PictureSpec& spec, const model::Model& model, int part, const Vec3& middle) {
  const auto& name = model.parts[static_cast<std::size_t>(part)].name;
  if (std::find(spec.hide.begin(), spec.hide.end(), name) != spec.hide.end()) return false;
  return !spec.open || (middle - spec.open->first).dot(spec.open->second) <= 0;
}

template <class Element>
Vec3 middle_of(const model::Model& model, const Element& e) {
  Vec3 sum = Vec3::Zero();
  for (const int n : e.nodes) sum += model.nodes[static_cast<std::size_t>(n)];
  return sum / static_cast<double>(e.nodes.size());
}
Vec3 middle_of(const model::Model& model, const model::ShellElement& e) {
  return model.middle(e);
}
Vec3 middle_of(const model::Model& model, const model::SolidElement& e) {
  Vec3 sum = Vec3::Zero();
  for (std::size_t k = 0; k < 8; ++k) sum += model.nodes[static_cast<std::size_t>(e.nodes[k])];
  return sum / 8;
}

template <class Element>
void filter(const study::PictureSpec& spec, const model::Model& model, std::vector<Element>& elements) {
  elements.erase(std::remove_if(elements.begin(), elements.end(),
                                [&](const Element& e) { return !is_shown(spec, model, e.part, middle_of(model, e)); }),
                 elements.end());
}
}  // namespace

std::shared_ptr<const model::Model> shown(std::shared_ptr<const model::Model> model, const study::PictureSpec& spec) {
  if (spec.hide.empty() && !spec.open) return model;
  auto own = std::make_shared<model::Model>(*model);
  filter(spec, *model, own->line_elements);
  filter(spec, *model, own->bar_elements);
  filter(spec, *model, own->shell_elements);
  filter(spec, *model, own->solid_elements);
  const auto used = used_nodes(*own);
  own->supports.erase(std::remove_if(own->supports.begin(), own->supports.end(),
                                     [&](const auto& s) { return !used[static_cast<std::size_t>(s.node)]; }),
                      own->supports.end());
  return own;
}

}  // namespace archway::report::detail
