#include <algorithm>
#include <cmath>
#include <map>
#include <optional>

#include "archway/analysis/mode_reading.hpp"
#include "archway/base/dense.hpp"
#include "archway/elements/outline.hpp"

namespace archway::analysis {

namespace {
using Eigen::VectorXd;
constexpr double kMoves = 0.2;    ///< of the largest displacement: a part that counts
constexpr double kWave = 0.1;     ///< of the largest on the line: a half wave that counts
constexpr double kTilt = 0.15;    ///< of the largest on the line: what is no further off a straight line only tilts
constexpr double kCounts = 0.05;  ///< of the largest on the line: smaller values have no sign

Vec3 move_of(const VectorXd& shape, int node) {
  return shape.segment<3>(model::row(node));
}

/// Values along a line of a mesh.
struct Line {
  std::vector<double> values, places;  ///< place: distance along it
  bool closed = false;
  double elements = 0;
  double length() const { return places.empty() ? 0 : places.back(); }
};

/// A stretch of a line between changes of sign.
struct Stretch {
  double from = 0, to = 0, peak = 0;  ///< peak with its sign
};

std::vector<Stretch> stretches(const Line& line, double most) {
  std::vector<Stretch> list = {{0, line.length(), 0}};
  double place = 0, before = 0;
  for (std::size_t i = 0; i < line.values.size(); ++i) {
    const double v = line.values[i];
    if (std::abs(v) <= kCounts * most) continue;
    if (before * v < 0) {
      list.back().to = place + (line.places[i] - place) * before / (before - v);
      list.push_back({list.back().to, line.length(), 0});
    }
    if (std::abs(v) > std::abs(list.back().peak)) list.back().peak = v;
    place = line.places[i];
    before = v;
  }
  return list;
}

/// No value lies further off the best straight line than `least`.
bool is_straight(const Line& line, double least) {
  double n = 0, x = 0, v = 0, xx = 0, xv = 0;
  for (std::size_t i = 0; i < line.values.size(); ++i) {
    n += 1, x += line.places[i], v += line.values[i];
    xx += line.places[i] * line.places[i], xv += line.places[i] * line.values[i];
  }
  const double slope = n * xx - x * x > 0 ? (n * xv - x * v) / (n * xx - x * x) : 0;
  for (std::size_t i = 0; i < line.values.size(); ++i)
    if (std::abs(line.values[i] - (v - slope * x) / n - slope * line.places[i]) > least) return false;
  // one end stays constant: what moves as a whole is half a wave
  const double first = std::abs(line.values.front()), last = std::abs(line.values.back());
  return std::min(first, last) < 0.35 * std::max(first, last);
}

bool is_crest(double at_end, const Stretch& stretch) {
  constexpr double kCrest = 0.8;
  return at_end * stretch.peak > 0 && std::abs(at_end) > kCrest * std::abs(stretch.peak);
}

WaveCount count(const Line& line) {
  WaveCount w;
  w.closed = line.closed;
  w.length = line.length();
  double most = 0;
  for (const double v : line.values) most = std::max(most, std::abs(v));
  if (!line.closed && is_straight(line, kTilt * most)) {
    w.tilts = true;
    w.elements_per_half_wave = HUGE_VAL;
    return w;
  }
  auto list = stretches(line, most);
  if (line.closed && list.size() > 1 && list.front().peak * list.back().peak > 0) {  // one across the seam
    list.front().from -= list.back().to - list.back().from;
    if (std::abs(list.back().peak) > std::abs(list.front().peak)) list.front().peak = list.back().peak;
    list.pop_back();
  }
  double shortest = w.length, waves = 0;
  for (std::size_t k = 0; k < list.size(); ++k) {
    const auto& stretch = list[k];
    if (std::abs(stretch.peak) < kWave * most) continue;
    // what is largest at the end of the line is half of a half wave, as at a plane of symmetry or a free end
    double share = 1;
    if (!line.closed && k == 0 && is_crest(line.values.front(), stretch)) share -= 0.5;
    if (!line.closed && k + 1 == list.size() && is_crest(line.values.back(), stretch)) share -= 0.5;
    waves += share;
    if (share > 0) shortest = std::min(shortest, (stretch.to - stretch.from) / share);
  }
  w.half_waves = std::max(list.empty() ? 0 : 1, static_cast<int>(std::ceil(waves - 1e-9)));
  if (line.closed && w.half_waves % 2 == 1) w.half_waves = w.half_waves == 1 ? 0 : w.half_waves + 1;
  w.elements_per_half_wave = w.length > 0 ? line.elements * shortest / w.length : 0;
  return w;
}

/// Quadrilaterals of one part and how they meet.
class Sheet {
 public:
  Sheet(const model::Model& model, const VectorXd& shape, int part) : model_(model), shape_(shape) {
    for (std::size_t e = 0; e < model.shell_elements.size(); ++e) {
      const auto& element = model.shell_elements[e];
      if (element.part != part || element.corners() != 4) continue;
      elements_.push_back(static_cast<int>(e));
      for (int k = 0; k < 4; ++k) edges_[edge(element, k)].push_back(static_cast<int>(e));
    }
  }
  bool empty() const { return elements_.empty(); }

  /// The two lines through the corner that moves most along the normal.
  std::vector<Line> lines() const {
    int start = elements_.front(), corner = 0;
    double most = -1;
    for (const int e : elements_)
      for (int k = 0; k < 4; ++k) {
        const double size = std::abs(value(e, node(e, k)));
        if (size > most * (1 + 1e-6)) most = size, start = e, corner = k;
      }
    return {line(start, corner, (corner + 1) % 4), line(start, corner, (corner + 3) % 4)};
  }

 private:
  static std::pair<int, int> ordered(int a, int b) { return {std::min(a, b), std::max(a, b)}; }
  static std::pair<int, int> edge(const model::ShellElement& e, int k) {
    return ordered(e.nodes[static_cast<std::size_t>(k)], e.nodes[static_cast<std::size_t>((k + 1) % 4)]);
  }
  const model::ShellElement& element(int e) const { return model_.shell_elements[static_cast<std::size_t>(e)]; }
  int node(int e, int k) const { return element(e).nodes[static_cast<std::size_t>(k)]; }
  Vec3 place(int n) const { return model_.nodes[static_cast<std::size_t>(n)]; }
  Vec3 normal(int e) const {
    return (place(node(e, 2)) - place(node(e, 0))).cross(place(node(e, 3)) - place(node(e, 1))).normalized();
  }
  double value(int e, int n) const { return normal(e).dot(move_of(shape_, n)); }

  struct Step {
    int element, from, to;  // corners of the element
  };
  /// The next element beyond the edge at `to` that does not lead back, and its corners.
  std::optional<Step> next(const Step& at) const {
    const int side = (at.to - at.from + 4) % 4 == 1 ? (at.to + 1) % 4 : (at.to + 3) % 4;
    const int end = node(at.element, at.to), other = node(at.element, side);
    for (const int e : edges_.at(ordered(end, other))) {
      if (e == at.element) continue;
      for (int k = 0; k < 4; ++k) {
        if (node(e, k) != end) continue;
        const int ahead = node(e, (k + 1) % 4) == other ? (k + 3) % 4 : (k + 1) % 4;
        return Step{e, k, ahead};
      }
    }
    return {};
  }
  /// Places and values of the far corner, and of the middle node before it where there is one.
  void take(const Step& s, Line& line) const {
    const int a = node(s.element, s.from), b = node(s.element, s.to);
    const double before = line.length(), length = (place(b) - place(a)).norm();
    if (element(s.element).count == 9) {
      const int k = (s.to - s.from + 4) % 4 == 1 ? s.from : s.to;
      line.places.push_back(before + 0.5 * length);
      line.values.push_back(value(s.element, element(s.element).nodes[static_cast<std::size_t>(4 + k)]));
    }
    line.places.push_back(before + length);
    line.values.push_back(value(s.element, b));
    line.elements += 1;
  }
  /// From a corner in both directions, until an edge or the start again.
  Line line(int start, int from, int to) const {
    const auto walk = [&](Step first) {
      Line out;
      out.places.push_back(0);
      out.values.push_back(value(first.element, node(first.element, first.from)));
      const int home = node(first.element, first.from);
      std::optional<Step> at = first;
      for (std::size_t guard = 0; at && guard <= elements_.size(); ++guard) {
        take(*at, out);
        if (node(at->element, at->to) == home) {
          out.closed = true;
          break;
        }
        at = next(*at);
      }
      return out;
    };
    const Line forward = walk({start, from, to});
    if (forward.closed) return forward;
    // the other way: through the element that shares the edge at the start corner
    const auto back = next({start, to, from});
    if (!back) return forward;
    const Line behind = walk(*back);
    Line whole;
    whole.elements = forward.elements + behind.elements;
    for (std::size_t i = behind.values.size(); i-- > 1;) {
      whole.places.push_back(behind.length() - behind.places[i]);
      whole.values.push_back(behind.values[i]);
    }
    for (std::size_t i = 0; i < forward.values.size(); ++i) {
      whole.places.push_back(behind.length() + forward.places[i]);
      whole.values.push_back(forward.values[i]);
    }
    return whole;
  }

  const model::Model& model_;
  const VectorXd& shape_;
  std::vector<int> elements_;
  std::map<std::pair<int, int>, std::vector<int>> edges_;
};

/// Nodes of a member in order; a copy or a branch starts anew, and the piece that moves most is taken.
std::vector<int> chain_of(const model::Model& model, const VectorXd& shape, int part, double& elements) {
  std::vector<std::vector<int>> pieces;
  for (const auto& e : model.line_elements) {
    if (e.part != part) continue;
    if (pieces.empty() || pieces.back().back() != e.nodes[0]) pieces.push_back({e.nodes[0]});
    pieces.back().insert(pieces.back().end(), e.nodes.begin() + 1, e.nodes.end());
  }
  std::vector<int> best;
  double most = -1;
  for (const auto& piece : pieces)
    for (const int n : piece)
      if (const double size = move_of(shape, n).norm(); size > most * (1 + 1e-6)) most = size, best = piece;
  elements = static_cast<double>(best.size() / 3);
  return best;
}

PartWaves of_member(const model::Model& model, const VectorXd& shape, int part) {
  Line line;
  const auto nodes = chain_of(model, shape, part, line.elements);
  PartWaves out;
  out.part = part;
  if (nodes.size() < 2) return out;
  const Vec3 first = model.nodes[static_cast<std::size_t>(nodes.front())],
             last = model.nodes[static_cast<std::size_t>(nodes.back())];
  const Vec3 axis = (last - first).normalized(), a = move_of(shape, nodes.front()), b = move_of(shape, nodes.back());
  Eigen::Matrix3d spread = Eigen::Matrix3d::Zero();
  std::vector<Vec3> bent;
  double twist = 0;
  const auto& profile = model.profiles[static_cast<std::size_t>(model.parts[static_cast<std::size_t>(part)].profile)];
  const double radius = std::sqrt((profile.second_moment_y + profile.second_moment_z) / profile.area);
  for (const int n : nodes) {
    const double s = (model.nodes[static_cast<std::size_t>(n)] - first).norm();
    line.places.push_back(s);
    const Vec3 off = move_of(shape, n) - (a + (b - a) * s / (last - first).norm());
    bent.push_back(off - axis * axis.dot(off));
    spread += bent.back() * bent.back().transpose();
    const double rotation = radius * axis.dot(shape.segment<3>(model::row(n) + 3));
    twist += rotation * rotation;
    line.values.push_back(rotation);
  }
  out.twists = twist > spread.trace();
  if (!out.twists) {
    const Vec3 direction = base::PrincipalAxes(spread).eigenvectors().col(2);
    for (std::size_t i = 0; i < bent.size(); ++i) line.values[i] = direction.dot(bent[i]);
  }
  out.lines.push_back(count(line));
  return out;
}
}  // namespace

std::vector<PartWaves> wave_counts(const model::Model& model, const VectorXd& shape) {
  std::vector<double> most(model.parts.size(), 0.0);
  double whole = 0;
  const elements::Outline outline(model);
  model.each_element([&](const int* first, const int* last, int part) {
    for (; part >= 0 && first != last; ++first) {
      auto& own = most[static_cast<std::size_t>(part)];
      own = std::max(own, outline.displacement(shape, *first));
      whole = std::max(whole, own);
    }
  });
  std::vector<PartWaves> list;
  for (std::size_t p = 0; p < most.size(); ++p) {
    if (most[p] < kMoves * whole) continue;
    PartWaves waves;
    waves.part = static_cast<int>(p);
    if (model.parts[p].kind == model::PartKind::member) {
      waves = of_member(model, shape, waves.part);
    } else if (model.parts[p].kind == model::PartKind::panel) {
      const Sheet sheet(model, shape, waves.part);
      if (sheet.empty()) continue;
      for (const auto& line : sheet.lines()) waves.lines.push_back(count(line));
      // around comes first, else the longer
      if (waves.lines[1].closed ||
          (!waves.lines[0].closed && clearly_more(waves.lines[1].length, waves.lines[0].length)))
        std::swap(waves.lines[0], waves.lines[1]);
    }
    if (!waves.lines.empty()) list.push_back(std::move(waves));
  }
  return list;
}

}  // namespace archway::analysis
