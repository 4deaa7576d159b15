#include "archway/imperfection/measured_map.hpp"

#include <algorithm>
#include <cmath>
#include <nanoflann.hpp>

#include <fmt/format.h>

#include "archway/base/dense.hpp"
#include "archway/base/errors.hpp"
#include "archway/base/index.hpp"

namespace archway::imperfection {

namespace {
using base::at;

constexpr std::size_t kNeighbours = 16;

/// Samples by nearness.
class Tree {
 public:
  explicit Tree(const std::vector<Sample>& samples) : samples_(samples), index_(3, *this, {16}) { index_.buildIndex(); }
  std::size_t kdtree_get_point_count() const { return samples_.size(); }
  double kdtree_get_pt(std::size_t k, std::size_t axis) const {
    return samples_[k].at[static_cast<Eigen::Index>(axis)];
  }
  template <class Box>
  bool kdtree_get_bbox(Box&) const {
    return false;
  }
  /// Numbers of the nearest, the nearest first, with their distances.
  std::vector<std::pair<std::size_t, double>> nearest(const Vec3& x, std::size_t count) const {
    count = std::min(count, samples_.size());
    std::vector<std::size_t> who(count);
    std::vector<double> squares(count);
    const std::size_t found = index_.knnSearch(x.data(), count, who.data(), squares.data());
    std::vector<std::pair<std::size_t, double>> list;
    for (std::size_t k = 0; k < found; ++k) list.emplace_back(who[k], std::sqrt(squares[k]));
    return list;
  }

 private:
  const std::vector<Sample>& samples_;
  nanoflann::KDTreeSingleIndexAdaptor<nanoflann::L2_Simple_Adaptor<double, Tree>, Tree, 3, std::size_t> index_;
};

double median(std::vector<double> values) {
  if (values.empty()) return 0;
  const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
  std::nth_element(values.begin(), middle, values.end());
  return *middle;
}

double spacing_of(const std::vector<Sample>& samples, const Tree& tree) {
  std::vector<double> gaps;
  const std::size_t stride = std::max<std::size_t>(1, samples.size() / 2000);
  for (std::size_t k = 0; k < samples.size(); k += stride)
    for (const auto& [who, distance] : tree.nearest(samples[k].at, 8))
      if (distance > 0) {
        gaps.push_back(distance);
        break;
      }
  return median(gaps);
}

/// Terms of a fit in the plane (or line) of the neighbours about a place.
class Basis {
 public:
  Basis(const std::vector<Sample>& samples, const std::vector<std::pair<std::size_t, double>>& near, const Vec3& place)
      : place_(place) {
    base::Mat3 spread = base::Mat3::Zero();
    Vec3 mean = Vec3::Zero();
    for (const auto& [k, distance] : near) mean += samples[k].at / static_cast<double>(near.size());
    for (const auto& [k, distance] : near) spread += (samples[k].at - mean) * (samples[k].at - mean).transpose();
    const base::PrincipalAxes axes(spread);
    const auto& size = axes.eigenvalues();
    // a curved surface is flat here, a fold is not
    for (int k = 2; k >= 0; --k)
      if (size[k] > (k == 0 ? 0.03 : 1e-3) * size[2]) axes_.push_back(axes.eigenvectors().col(k));
    scale_ = std::sqrt(size[2] / static_cast<double>(near.size()));
  }
  /// Linear terms, and quadratic ones where there are neighbours enough.
  Eigen::VectorXd terms(const Vec3& x, std::size_t neighbours) const {
    const auto n = static_cast<Eigen::Index>(axes_.size());
    const bool quadratic = neighbours >= 2 * static_cast<std::size_t>(1 + n + n * (n + 1) / 2);
    Eigen::VectorXd t = Eigen::VectorXd::Zero(quadratic ? 1 + n + n * (n + 1) / 2 : 1 + n);
    t[0] = 1;
    Eigen::VectorXd u(n);
    for (Eigen::Index k = 0; k < n; ++k) t[1 + k] = u[k] = axes_[static_cast<std::size_t>(k)].dot(x - place_) / scale_;
    Eigen::Index next = 1 + n;
    for (Eigen::Index i = 0; quadratic && i < n; ++i)
      for (Eigen::Index j = i; j < n; ++j) t[next++] = u[i] * u[j];
    return t;
  }

 private:
  Vec3 place_;
  std::vector<Vec3> axes_;
  double scale_ = 1;
};

Vec3 fitted(const std::vector<Sample>& samples, const std::vector<std::pair<std::size_t, double>>& near,
            const Vec3& place) {
  const Basis basis(samples, near, place);
  const double width = near[std::min<std::size_t>(near.size() - 1, 5)].second;
  const auto rows = static_cast<Eigen::Index>(near.size());
  const auto columns = basis.terms(place, near.size()).size();
  Eigen::MatrixXd a(rows, columns), b(rows, 3);
  for (Eigen::Index r = 0; r < rows; ++r) {
    const auto& [k, distance] = near[static_cast<std::size_t>(r)];
    const double weight = std::exp(-0.5 * distance * distance / (width * width));
    a.row(r) = weight * basis.terms(samples[k].at, near.size()).transpose();
    b.row(r) = weight * samples[k].value.transpose();
  }
  // of least size where the neighbours lie on fewer lines than there are terms
  const Eigen::MatrixXd c = base::least_squares(a, b, 1e-9);
  return c.row(0).transpose();
}
}  // namespace

std::vector<Vec3> bring_over(const std::vector<Sample>& samples, const std::vector<Vec3>& places, double reach,
                             Mapping& mapping) {
  if (samples.empty()) throw base::InputError("", "the table has no values", "give it rows");
  const Tree tree(samples);
  mapping.samples = static_cast<int>(samples.size());
  mapping.places = static_cast<int>(places.size());
  mapping.spacing = spacing_of(samples, tree);
  mapping.reach = reach > 0 ? reach : 3 * mapping.spacing;
  Vec3 low = samples[0].at, high = low;
  for (const auto& s : samples) low = low.cwiseMin(s.at), high = high.cwiseMax(s.at);
  const double same = 1e-7 * (high - low).norm();
  std::vector<Vec3> values(places.size(), Vec3::Zero());
  for (std::size_t p = 0; p < places.size(); ++p) {
    const auto near = tree.nearest(places[p], kNeighbours);
    if (near[0].second <= same) {
      values[p] = samples[near[0].first].value;
      ++mapping.exact, ++mapping.covered;
      continue;
    }
    if (near[0].second > mapping.reach) {
      ++mapping.left_at_zero;
      continue;
    }
    mapping.farthest = std::max(mapping.farthest, near[0].second);
    ++mapping.covered;
    values[p] = fitted(samples, near, places[p]);
  }
  return values;
}

namespace {
/// What the places' own field loses of the samples near them.
double lost_between(const std::vector<Sample>& samples, const std::vector<Vec3>& places,
                    const std::vector<Vec3>& values) {
  std::vector<Sample> own;
  for (std::size_t p = 0; p < places.size(); ++p) own.push_back({places[p], values[p]});
  if (own.size() < 4) return 0;
  const Tree tree(own);
  const double apart = spacing_of(own, tree);
  double off = 0, all = 0;
  const std::size_t stride = std::max<std::size_t>(1, samples.size() / 5000);
  for (std::size_t k = 0; k < samples.size(); k += stride) {
    const auto near = tree.nearest(samples[k].at, kNeighbours);
    if (near[0].second > apart) continue;  // outside of where there are nodes
    off += (fitted(own, near, samples[k].at) - samples[k].value).squaredNorm();
    all += samples[k].value.squaredNorm();
  }
  return all > 0 ? std::sqrt(off / all) : 0;
}

constexpr double kRotationOfMap = 2 * M_PI;
}  // namespace

ShapeField from_table(const model::Model& model, const std::vector<int>& parts, const PartFrame* frame,
                      const std::vector<Sample>& table, bool scalar, double reach, Mapping& mapping) {
  ShapeField field(model);
  field.parts = parts;
  const auto nodes = nodes_of(model, parts);
  std::vector<Vec3> places;
  for (const int n : nodes) places.push_back(model.nodes[at(n)]);
  const auto values = bring_over(table, places, reach, mapping);
  if (mapping.covered == 0) {
    Vec3 table_middle = Vec3::Zero(), middle = Vec3::Zero();
    for (const auto& s : table) table_middle += s.at / static_cast<double>(table.size());
    for (const auto& x : places) middle += x / static_cast<double>(places.size());
    throw base::InputError(
        "",
        fmt::format("the table lies about ({:.4g}, {:.4g}, {:.4g}), the parts about ({:.4g}, {:.4g}, {:.4g}): no node "
                    "is near a row of it",
                    table_middle.x(), table_middle.y(), table_middle.z(), middle.x(), middle.y(), middle.z()),
        "are its lengths in another unit, or its axes others?");
  }
  mapping.lost = lost_between(table, places, values);
  if (scalar) field.height.assign(model.nodes.size(), NAN);
  for (std::size_t k = 0; k < nodes.size(); ++k) {
    if (scalar) field.height[at(nodes[k])] = values[k][0];
    field.displacement[at(nodes[k])] = scalar ? Vec3(values[k][0] * frame->place_of(places[k]).normal) : values[k];
  }
  return field;
}

std::vector<double> best_fit(const PartFrame& frame, const std::vector<Deviation>& map) {
  const bool revolved = frame.kind() == PartFrame::Kind::revolved;
  Eigen::MatrixXd a(static_cast<Eigen::Index>(map.size()), revolved ? 6 : 3);
  Eigen::VectorXd b(a.rows());
  for (Eigen::Index r = 0; r < a.rows(); ++r) {
    const auto& d = map[static_cast<std::size_t>(r)];
    const double s = d.s / frame.length() - 0.5;
    if (revolved)
      a.row(r) << 1, std::cos(d.t), std::sin(d.t), s, s * std::cos(d.t), s * std::sin(d.t);
    else
      a.row(r) << 1, s, d.t / frame.width() - 0.5;
    b[r] = d.value;
  }
  const Eigen::VectorXd c = base::least_squares(a, b);
  return {c.data(), c.data() + c.size()};
}

namespace {
double rms(const std::vector<Deviation>& map) {
  double sum = 0;
  for (const auto& d : map) sum += d.value * d.value / static_cast<double>(map.size());
  return std::sqrt(sum);
}

void take_off(const PartFrame& frame, const std::vector<double>& fit, std::vector<Deviation>& map) {
  for (auto& d : map) {
    const double s = d.s / frame.length() - 0.5;
    if (frame.kind() == PartFrame::Kind::revolved)
      d.value -= fit[0] + fit[1] * std::cos(d.t) + fit[2] * std::sin(d.t) +
                 s * (fit[3] + fit[4] * std::cos(d.t) + fit[5] * std::sin(d.t));
    else
      d.value -= fit[0] + fit[1] * s + fit[2] * (d.t / frame.width() - 0.5);
  }
}

/// The surface rolled out, with what lies across the seam of a closed one.
std::vector<Sample> rolled_out(const PartFrame& frame, const std::vector<Deviation>& map) {
  const bool revolved = frame.kind() == PartFrame::Kind::revolved;
  std::vector<Sample> list;
  for (const auto& d : map) {
    const double t = revolved ? frame.mean_radius() * d.t : d.t;
    list.push_back({Vec3(d.s, t, 0), Vec3(d.value, 0, 0)});
    if (!revolved || !frame.closed()) continue;
    for (const double rotation : {-1.0, 1.0}) {
      const double there = t + rotation * frame.width();
      if (there > -0.25 * frame.width() && there < 1.25 * frame.width())
        list.push_back({Vec3(d.s, there, 0), Vec3(d.value, 0, 0)});
    }
  }
  return list;
}

/// Rows that lie far from what their neighbours say.
std::vector<std::size_t> outliers_of(const PartFrame& frame, const std::vector<Deviation>& map) {
  const auto samples = rolled_out(frame, map);
  const Tree tree(samples);
  std::vector<double> off(map.size());
  const bool revolved = frame.kind() == PartFrame::Kind::revolved;
  for (std::size_t k = 0; k < map.size(); ++k) {
    const Vec3 place(map[k].s, revolved ? frame.mean_radius() * map[k].t : map[k].t, 0);
    std::vector<double> around;
    for (const auto& [who, distance] : tree.nearest(place, 9))
      if (distance > 0) around.push_back(samples[who].value[0]);
    off[k] = std::abs(map[k].value - median(around));
  }
  const double usual = std::max(median(off), 1e-6 * rms(map));
  std::vector<std::size_t> list;
  for (std::size_t k = 0; k < off.size(); ++k)
    if (off[k] > 8 * usual && off[k] > rms(map)) list.push_back(k);
  return list;
}
}  // namespace

ShapeField from_map(const model::Model& model, const std::vector<int>& parts, const std::vector<int>& carried,
                    const PartFrame& frame, std::vector<Deviation> map, const MapOptions& options,
                    MapFindings& findings) {
  if (map.empty()) throw base::InputError("", "the map has no values", "give it rows");
  if (frame.kind() == PartFrame::Kind::line)
    throw base::InputError("", "a map lies on a plane or a surface of revolution, not on a member", "name panels");
  const auto odd = outliers_of(frame, map);
  findings.outliers = static_cast<int>(odd.size());
  for (std::size_t k = odd.size(); options.drop_outliers && k-- > 0;)
    map.erase(map.begin() + static_cast<std::ptrdiff_t>(odd[k]));
  findings.before = rms(map);
  if (options.take_off_best_fit) take_off(frame, findings.fit = best_fit(frame, map), map);
  findings.after = rms(map);
  const auto samples = rolled_out(frame, map);
  ShapeField field(model);
  field.parts = parts;
  field.parts.insert(field.parts.end(), carried.begin(), carried.end());
  const auto nodes = nodes_of(model, field.parts);
  std::vector<Vec3> places;
  for (const int n : nodes) {
    const SurfacePosition p = frame.place_of(model.nodes[at(n)]);
    places.emplace_back(p.s, p.t, 0);
  }
  const auto values = bring_over(samples, places, options.reach, findings.mapping);
  findings.mapping.samples = static_cast<int>(map.size());
  if (findings.mapping.covered == 0)
    throw base::InputError("",
                           fmt::format("no node is near a row of the map, whose heights lie about {:.4g} on a surface "
                                       "that runs from 0 to {:.4g}",
                                       map[map.size() / 2].s, frame.length()),
                           "are its lengths in another unit, or counted from elsewhere?");
  findings.mapping.lost = lost_between(samples, places, values);
  field.height.assign(model.nodes.size(), NAN);
  for (std::size_t k = 0; k < nodes.size(); ++k) {
    field.height[at(nodes[k])] = values[k][0];
    field.displacement[at(nodes[k])] = values[k][0] * frame.place_of(model.nodes[at(nodes[k])]).normal;
  }
  return field;
}

std::vector<Deviation> deviations_of(const PartFrame& frame, const std::vector<Vec3>& points) {
  std::vector<Deviation> list;
  for (const auto& x : points) {
    const SurfacePosition p = frame.place_of(x);
    list.push_back({p.s, frame.kind() == PartFrame::Kind::revolved ? p.angle : p.t, frame.off(x)});
  }
  return list;
}

namespace {
/// Standard normal numbers that are the same on every machine.
class Dice {
 public:
  explicit Dice(unsigned long long seed) : state_(seed * 0x9E3779B97F4A7C15ULL + 0xD1B54A32D192ED03ULL) {}
  double even() {  // [SteeleLeaFlood2014], 53 bits
    unsigned long long z = (state_ += 0x9E3779B97F4A7C15ULL);
    z = (z ^ (z >> 30)) * 0xBF58476D1CE4E5B9ULL;
    z = (z ^ (z >> 27)) * 0x94D049BB133111EBULL;
    return (static_cast<double>((z ^ (z >> 31)) >> 11) + 0.5) / 9007199254740992.0;
  }
  double normal() {  // [BoxMuller1958]
    const double radius = std::sqrt(-2 * std::log(even()));
    return radius * std::cos(kRotationOfMap * even());
  }

 private:
  unsigned long long state_;
};

/// Standard deviations of waves 0, 1, 2 .. of a period, of a process with correlation exp(-(d / length)^2).
std::vector<double> spectrum_of(double period, double length) {
  std::vector<double> s;
  double sum = 0;
  for (int k = 0;; ++k) {
    const double a = M_PI * k * length / period;
    const double power = std::exp(-a * a) * (k == 0 ? 0.5 : 1);
    if (k > 0 && a > 4.5) break;
    s.push_back(power);
    sum += power;
  }
  for (double& v : s) v = std::sqrt(v / sum);
  return s;
}
}  // namespace

Height random_height(const PartFrame& frame, const RandomField& field) {
  // along, the process repeats only where it has forgotten its beginning
  const double period = frame.length() + 4 * field.along;
  const bool closed = frame.kind() == PartFrame::Kind::revolved && frame.closed();
  const bool line = frame.kind() == PartFrame::Kind::line;
  const double around = closed ? frame.width() : frame.width() + 4 * field.around;
  const auto s = spectrum_of(period, field.along);
  const auto t = line ? std::vector<double>{1} : spectrum_of(around, field.around);
  const auto rows = static_cast<Eigen::Index>(2 * s.size()), columns = static_cast<Eigen::Index>(2 * t.size());
  // cos and sin along times cos and sin around, each with a number of its own
  Eigen::MatrixXd a(rows, columns);
  for (Eigen::Index i = 0; i < rows; ++i)
    for (Eigen::Index j = 0; j < columns; ++j) {
      // by its place, so that a last small wave more or less changes none of the others
      Dice dice(field.seed * 1000003ULL + static_cast<unsigned long long>(i) * 4099ULL +
                static_cast<unsigned long long>(j));
      a(i, j) = dice.normal() * s[static_cast<std::size_t>(i / 2)] * t[static_cast<std::size_t>(j / 2)];
    }
  const auto waves = [](double x, Eigen::Index count) {
    Eigen::VectorXd w(count);
    for (Eigen::Index k = 0; k < count / 2; ++k) {
      const double phase = kRotationOfMap * static_cast<double>(k) * x;
      w[2 * k] = std::cos(phase), w[2 * k + 1] = std::sin(phase);
    }
    return w;
  };
  return [=](const SurfacePosition& p) {
    const double share = closed ? p.angle / kRotationOfMap : around > 0 ? p.t / around : 0;
    return waves(p.s / period, rows).dot(a * waves(share, columns));
  };
}

Height random_height(const std::vector<SpectrumLine>& spectrum, unsigned long long seed) {
  Dice dice(seed);
  std::vector<std::pair<double, double>> phases;
  for (std::size_t k = 0; k < spectrum.size(); ++k) {
    const double first = kRotationOfMap * dice.even();
    phases.emplace_back(first, kRotationOfMap * dice.even());
  }
  return [=](const SurfacePosition& p) {
    double sum = 0;
    for (std::size_t k = 0; k < spectrum.size(); ++k) {
      const auto& line = spectrum[k];
      sum += line.amplitude * (line.along == 0 ? 1 : std::sin(line.along * M_PI * p.share + phases[k].first)) *
             std::cos(line.around * p.angle + phases[k].second);
    }
    return sum;
  };
}

}  // namespace archway::imperfection
