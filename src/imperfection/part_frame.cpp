#include "archway/imperfection/part_frame.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include <fmt/format.h>

#include "archway/base/dense.hpp"
#include "archway/base/errors.hpp"
#include "archway/base/index.hpp"
#include "archway/elements/line_geometry.hpp"
#include "archway/model/panel_area.hpp"

namespace archway::imperfection {

namespace {
using base::at;
constexpr double kRotation = 2 * M_PI;
constexpr double kSame = 1e-6;  ///< of the size: no distance

bool holds(const std::vector<int>& parts, int part) {
  return std::find(parts.begin(), parts.end(), part) != parts.end();
}

/// Calls use(first, last, element kind) with the nodes of every element of some parts.
template <class Use>
void each_of(const model::Model& model, const std::vector<int>& parts, const Use& use) {
  model.each_element([&](const int* first, const int* last, int part) {
    if (holds(parts, part)) use(first, last);
  });
}

std::string names(const model::Model& model, const std::vector<int>& parts) {
  std::string text;
  for (const int p : parts) text += fmt::format("{}'{}'", text.empty() ? "" : ", ", model.parts[at(p)].name);
  return text;
}

/// A direction whose sense no rounding decides: its first component that counts is positive.
Vec3 with_sense(Vec3 v) {
  for (int k = 0; k < 3; ++k)
    if (std::abs(v[k]) > 1e-6) return v[k] < 0 ? Vec3(-v) : v;
  return v;
}

struct Cloud {
  Vec3 mean = Vec3::Zero();
  base::PrincipalAxes axes;  // ascending
  explicit Cloud(const std::vector<Vec3>& points) {
    for (const auto& x : points) mean += x / static_cast<double>(points.size());
    base::Mat3 sum = base::Mat3::Zero();
    for (const auto& x : points) sum += (x - mean) * (x - mean).transpose() / static_cast<double>(points.size());
    axes = base::PrincipalAxes(sum);
  }
};

std::vector<Vec3> normals_of(const model::Model& model, const std::vector<int>& parts) {
  std::vector<Vec3> list;
  for (const auto& e : model.shell_elements) {
    if (!holds(parts, e.part)) continue;
    const auto x = [&](std::size_t k) { return model.nodes[at(e.nodes[k])]; };
    const Vec3 n = e.corners() == 4 ? (x(2) - x(0)).cross(x(3) - x(1)) : (x(1) - x(0)).cross(x(2) - x(0));
    if (n.norm() > 0) list.push_back(n.normalized());
  }
  return list;
}
}  // namespace

PartFrame::PartFrame(const model::Model& model, const std::vector<int>& parts, const FrameHint& hint) {
  std::set<int> own;
  each_of(model, parts, [&](const int* first, const int* last) { own.insert(first, last); });
  nodes_.assign(own.begin(), own.end());
  if (nodes_.size() < 2)
    throw base::InputError("", fmt::format("{} has no nodes to move", names(model, parts)), "name parts that have");
  Vec3 low = model.nodes[at(nodes_[0])], high = low;
  for (const int n : nodes_) low = low.cwiseMin(model.nodes[at(n)]), high = high.cwiseMax(model.nodes[at(n)]);
  size_ = (high - low).norm();
  std::size_t lines = 0;
  for (const int p : parts) {
    const auto& part = model.parts[at(p)];
    lines += part.kind == model::PartKind::member || part.kind == model::PartKind::bar;
    if (part.kind == model::PartKind::panel)
      thickness_ = thickness_ > 0 ? std::min(thickness_, part.thickness) : part.thickness;
  }
  if (lines > 0 && lines < parts.size())
    throw base::InputError("", fmt::format("{} are lines and surfaces", names(model, parts)),
                           "give an imperfection for each, and take them together in the analysis");
  if (lines > 0)
    find_line(model, parts);
  else if (hint.axis || !find_flat(model, hint))
    find_revolved(model, parts, hint);
}

void PartFrame::find_line(const model::Model& model, const std::vector<int>& parts) {
  kind_ = Kind::line;
  std::vector<int> order;
  bool chain = true;
  each_of(model, parts, [&](const int* first, const int* last) {
    if (!order.empty() && order.back() != *first) chain = false;
    order.insert(order.end(), order.empty() || !chain ? first : first + 1, last);
  });
  if (!chain) {  // pieces in any order: sorted along the line from end to end
    std::vector<Vec3> points;
    for (const int n : nodes_) points.push_back(model.nodes[at(n)]);
    const Vec3 way = with_sense(Cloud(points).axes.eigenvectors().col(2));
    order = nodes_;
    std::sort(order.begin(), order.end(),
              [&](int a, int b) { return way.dot(model.nodes[at(a)]) < way.dot(model.nodes[at(b)]); });
  }
  for (const int n : order) {
    const Vec3& x = model.nodes[at(n)];
    if (!line_.empty()) length_ += (x - line_.back()).norm();
    stations_.push_back(length_);
    line_.push_back(x);
  }
  for (const auto& e : model.line_elements)
    if (holds(parts, e.part)) {
      normal_ = elements::middle_axes(model, e).col(2);
      break;
    }
}

bool PartFrame::find_flat(const model::Model& model, const FrameHint& hint) {
  std::vector<Vec3> points;
  for (const int n : nodes_) points.push_back(model.nodes[at(n)]);
  const Cloud cloud(points);
  normal_ = cloud.axes.eigenvectors().col(0);
  for (const auto& x : points)
    if (std::abs(normal_.dot(x - cloud.mean)) > kSame * size_) return false;
  kind_ = Kind::flat;
  // the sense of the panel's own normal
  for (const auto& e : model.shell_elements) {
    const bool own = std::binary_search(nodes_.begin(), nodes_.end(), e.nodes[0]) &&
                     std::binary_search(nodes_.begin(), nodes_.end(), e.nodes[1]) &&
                     std::binary_search(nodes_.begin(), nodes_.end(), e.nodes[2]);
    if (!own) continue;
    const auto x = [&](std::size_t k) { return model.nodes[at(e.nodes[k])]; };
    if ((x(1) - x(0)).cross(x(2) - x(0)).dot(normal_) < 0) normal_ = -normal_;
    break;
  }
  Vec3 along = hint.along - normal_ * normal_.dot(hint.along);
  if (!(along.norm() > kSame)) {
    const auto& size = cloud.axes.eigenvalues();
    if (size[2] - size[1] < 1e-3 * size[2])
      throw base::InputError("", "the part is as wide as it is long: the direction of its shape cannot be found",
                             "add along = [1, 0, 0], for instance");
    along = with_sense(cloud.axes.eigenvectors().col(2));
  }
  first_ = along.normalized();
  second_ = normal_.cross(first_);
  double s = HUGE_VAL, t = HUGE_VAL, far = -HUGE_VAL, wide = -HUGE_VAL;
  for (const auto& x : points) {
    s = std::min(s, first_.dot(x - cloud.mean)), far = std::max(far, first_.dot(x - cloud.mean));
    t = std::min(t, second_.dot(x - cloud.mean)), wide = std::max(wide, second_.dot(x - cloud.mean));
  }
  origin_ = cloud.mean + s * first_ + t * second_;
  length_ = far - s;
  width_ = wide - t;
  return true;
}

void PartFrame::find_revolved(const model::Model& model, const std::vector<int>& parts, const FrameHint& hint) {
  kind_ = Kind::revolved;
  if (hint.axis) {
    axis_ = {hint.axis->first, (hint.axis->second - hint.axis->first).normalized()};
  } else {
    // normals of a cylinder or cone have one component along the axis in common
    const auto normals = normals_of(model, parts);
    if (normals.size() < 4)
      throw base::InputError("", fmt::format("the axis of {} cannot be found", names(model, parts)),
                             "add axis = [[0, 0, 0], [0, 0, 1]], for instance");
    const Cloud cloud(normals);
    axis_.second = with_sense(cloud.axes.eigenvectors().col(0));
    // the normals meet the axis: sum of (I - n n^T) c = sum of (I - n n^T) x, in the plane across
    base::Mat3 left = axis_.second * axis_.second.transpose();
    Vec3 right = Vec3::Zero();
    for (const auto& e : model.shell_elements) {
      if (!holds(parts, e.part)) continue;
      const auto x = [&](std::size_t k) { return model.nodes[at(e.nodes[k])]; };
      Vec3 n = (x(1) - x(0)).cross(x(2) - x(0));
      n -= axis_.second * axis_.second.dot(n);
      if (!(n.norm() > 0)) continue;
      n.normalize();
      base::Mat3 across = base::Mat3::Identity() - n * n.transpose() - axis_.second * axis_.second.transpose();
      Vec3 middle = Vec3::Zero();
      for (const int k : e) middle += model.nodes[at(k)] / e.count;
      left += across;
      right += across * middle;
    }
    axis_.first = left.ldlt().solve(right);
  }
  Vec3 zero = hint.zero.isZero(0.0) ? Vec3::UnitX() : Vec3(hint.zero - axis_.first);
  if (base::runs_along(axis_.second, zero) || !(zero.norm() > 0)) zero = Vec3::UnitY();
  first_ = (zero - axis_.second * axis_.second.dot(zero)).normalized();
  second_ = axis_.second.cross(first_);
  find_meridian(model);
  find_around(model, parts);
}

void PartFrame::find_meridian(const model::Model& model) {
  std::vector<Eigen::Vector2d> points;
  Eigen::Vector2d low(HUGE_VAL, HUGE_VAL), high = -low;
  for (const int n : nodes_) {
    const Vec3 x = model.nodes[at(n)] - axis_.first;
    const double h = axis_.second.dot(x);
    points.emplace_back((x - h * axis_.second).norm(), h);
    low = low.cwiseMin(points.back()), high = high.cwiseMax(points.back());
  }
  by_height_ = high[1] - low[1] >= 0.2 * (high[0] - low[0]);
  const int by = by_height_ ? 1 : 0, other = 1 - by;
  std::sort(points.begin(), points.end(), [&](const auto& a, const auto& b) { return a[by] < b[by]; });
  // of a thick wall the middle of what lies at one place of it
  const double same = 1e-4 * size_, apart = thickness_ > 0 ? 0.02 * size_ : HUGE_VAL;
  for (std::size_t k = 0; k < points.size();) {
    double sum = 0, low_here = HUGE_VAL, high_here = -HUGE_VAL;
    const double place = points[k][by];
    std::size_t end = k;
    for (; end < points.size() && points[end][by] <= place + same; ++end) {
      sum += points[end][other];
      low_here = std::min(low_here, points[end][other]), high_here = std::max(high_here, points[end][other]);
    }
    if (high_here - low_here > apart)
      throw base::InputError("", "the parts lie neither on a plane nor on one surface of revolution",
                             "give an imperfection for each of them, or its axis = [[...], [...]]");
    Eigen::Vector2d middle;
    middle[by] = place;
    middle[other] = sum / static_cast<double>(end - k);
    if (!meridian_.empty()) length_ += (middle - meridian_.back()).norm();
    meridian_.push_back(middle);
    stations_.push_back(length_);
    k = end;
  }
}

void PartFrame::find_around(const model::Model& model, const std::vector<int>& parts) {
  double sum = 0;
  for (const auto& p : meridian_) sum += p[0] / static_cast<double>(meridian_.size());
  radius_ = sum;
  // the circle is closed when elements cover it all
  std::vector<std::pair<double, double>> covered;
  each_of(model, parts, [&](const int* first, const int* last) {
    const double start = angle_of(model.nodes[at(*first)]);
    double from = 0, to = 0;
    for (const int* n = first; n != last; ++n) {
      const double way = std::remainder(angle_of(model.nodes[at(*n)]) - start, kRotation);
      from = std::min(from, way), to = std::max(to, way);
    }
    double begin = std::fmod(start + from + kRotation, kRotation);
    if (to - from > 0.5 * kRotation) begin = 0, from = 0, to = kRotation;  // about the apex
    covered.emplace_back(begin, begin + to - from);
    covered.emplace_back(begin - kRotation, begin + to - from - kRotation);
  });
  std::sort(covered.begin(), covered.end());
  double reach = 0, end = 0;
  closed_ = true;
  for (const auto& [from, to] : covered) {
    if (from > reach + 1e-6 && from < kRotation - 1e-6 && closed_) closed_ = false, end = reach;
    reach = std::max(reach, to);
  }
  if (closed_ && reach < kRotation - 1e-6) closed_ = false, end = reach;
  width_ = radius_ * (closed_ ? kRotation : end);
}

double PartFrame::angle_of(const Vec3& x) const {
  const Vec3 way = x - axis_.first;
  double angle = std::atan2(second_.dot(way), first_.dot(way));
  if (angle < -1e-9) angle += kRotation;
  return std::max(angle, 0.0);
}

std::pair<double, Eigen::Vector2d> PartFrame::along_meridian(double height, double radius) const {
  const int by = by_height_ ? 1 : 0;
  const double value = by_height_ ? height : radius;
  std::size_t k = 0;
  while (k + 2 < meridian_.size() && value > meridian_[k + 1][by]) ++k;
  if (meridian_.size() < 2) return {0, {0, 1}};
  const Eigen::Vector2d way = meridian_[k + 1] - meridian_[k];
  const double share = (value - meridian_[k][by]) / way[by];
  return {stations_[k] + share * (stations_[k + 1] - stations_[k]), way.normalized()};
}

SurfacePosition PartFrame::place_of(const Vec3& x) const {
  SurfacePosition p;
  p.x = x;
  p.normal = normal_;
  if (kind_ == Kind::line) {
    double least = HUGE_VAL;
    for (std::size_t k = 0; k + 1 < line_.size(); ++k) {
      const Vec3 way = line_[k + 1] - line_[k];
      if (!(way.norm() > 0)) continue;
      const double share = std::clamp(way.dot(x - line_[k]) / way.squaredNorm(), 0.0, 1.0);
      const double away = (line_[k] + share * way - x).norm();
      if (away < least * (1 - 1e-9)) least = away, p.s = stations_[k] + share * way.norm();
    }
  } else if (kind_ == Kind::flat) {
    p.s = first_.dot(x - origin_);
    p.t = second_.dot(x - origin_);
  } else {
    const Vec3 way = x - axis_.first;
    const double height = axis_.second.dot(way);
    const Vec3 out = way - height * axis_.second;
    p.radius = out.norm();
    p.angle = angle_of(x);
    if (!closed_ && p.angle > 0.5 * (kRotation + width_ / radius_)) p.angle -= kRotation;  // before the start
    p.t = p.angle * radius_;
    const auto [s, tangent] = along_meridian(height, p.radius);
    p.s = s;
    const Vec3 radial = p.radius > kSame * size_ ? Vec3(out / p.radius) : first_;
    const double sense = tangent[1] < 0 || (tangent[1] == 0.0 && tangent[0] > 0) ? -1 : 1;
    p.normal = sense * (tangent[1] * radial - tangent[0] * axis_.second);
  }
  p.share = length_ > 0 ? p.s / length_ : 0;
  p.across = width_ > 0 ? p.t / width_ : 0;
  return p;
}

double PartFrame::off(const Vec3& x) const {
  if (kind_ == Kind::flat) return normal_.dot(x - origin_);
  if (kind_ == Kind::line) {
    const SurfacePosition p = place_of(x);
    std::size_t k = 0;
    while (k + 2 < stations_.size() && p.s > stations_[k + 1]) ++k;
    const Vec3 way = line_[k + 1] - line_[k];
    return (line_[k] + way.normalized() * (p.s - stations_[k]) - x).norm();
  }
  const Vec3 way = x - axis_.first;
  const double height = axis_.second.dot(way), radius = (way - height * axis_.second).norm();
  const int by = by_height_ ? 1 : 0, other = 1 - by;
  const double value = by_height_ ? height : radius, own = by_height_ ? radius : height;
  std::size_t k = 0;
  while (k + 2 < meridian_.size() && value > meridian_[k + 1][by]) ++k;
  const Eigen::Vector2d step = meridian_[k + 1] - meridian_[k];
  const double there = meridian_[k][other] + (value - meridian_[k][by]) / step[by] * step[other];
  // across the meridian; out of the surface is positive
  const double sense = !by_height_ && step[1] > 0 ? -1 : 1;
  return sense * (own - there) * std::abs(step[by]) / step.norm();
}

double PartFrame::between(double angle, double other) const {
  return closed_ ? std::remainder(angle - other, kRotation) : angle - other;
}

std::vector<int> nodes_of(const model::Model& model, const std::vector<int>& parts) {
  std::vector<char> own(model.nodes.size(), 0);
  model.each_element([&](const int* first, const int* last, int part) {
    if (parts.empty() || std::find(parts.begin(), parts.end(), part) != parts.end())
      for (; first != last; ++first) own[at(*first)] = 1;
  });
  std::vector<int> list;
  for (std::size_t n = 0; n < own.size(); ++n)
    if (own[n]) list.push_back(static_cast<int>(n));
  return list;
}

std::vector<double> tributary(const model::Model& model, const std::vector<int>& parts) {
  std::vector<double> panels(model.nodes.size()), lines(panels), solids(panels);
  const auto add = [](std::vector<double>& sum, const int* first, const int* last, double size) {
    for (const int* n = first; n != last; ++n) sum[at(*n)] += size / static_cast<double>(last - first);
  };
  bool panel = false, line = false;
  for (const auto& e : model.shell_elements) {
    if (!holds(parts, e.part)) continue;
    add(panels, e.begin(), e.end(), model::area(model, e));
    panel = true;
  }
  for (const auto& e : model.line_elements) {
    if (!holds(parts, e.part)) continue;
    add(lines, e.nodes.data(), e.nodes.data() + 4, (model.nodes[at(e.nodes[3])] - model.nodes[at(e.nodes[0])]).norm());
    line = true;
  }
  for (const auto& e : model.bar_elements) {
    if (!holds(parts, e.part)) continue;
    add(lines, e.nodes.data(), e.nodes.data() + 2, (model.nodes[at(e.nodes[1])] - model.nodes[at(e.nodes[0])]).norm());
    line = true;
  }
  for (const auto& e : model.solid_elements) {
    if (!holds(parts, e.part)) continue;
    const auto x = [&](std::size_t k) { return model.nodes[at(e.nodes[k])]; };
    add(solids, e.begin(), e.end(), std::abs((x(1) - x(0)).cross(x(3) - x(0)).dot(x(4) - x(0))));
  }
  return panel ? panels : line ? lines : solids;
}

}  // namespace archway::imperfection
