#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include <Eigen/LU>
#include <fmt/format.h>

#include "archway/base/dense.hpp"
#include "archway/base/errors.hpp"
#include "archway/base/index.hpp"
#include "archway/base/shape_functions.hpp"
#include "archway/model/joints.hpp"
#include "archway/model/selection.hpp"

namespace archway::model {

namespace {
using Eigen::MatrixXd;
using Eigen::Vector2d;
using Eigen::VectorXd;
using Polygon = std::vector<Vector2d>;

using base::at;

/// One piece of the following side with the integrals over it: products of its own shape functions, and of those with
/// the shape functions below.
struct BondPiece {
  std::vector<int> nodes;
  MatrixXd own;                   // integral of phi_i phi_j
  VectorXd each;                  // integral of phi_i
  std::map<int, VectorXd> below;  // integral of phi_i times the shape function of a leading node
  double size = 0, covered = 0;
};

std::string place_text(const Vec3& p) {
  return fmt::format("({:.6g}, {:.6g}, {:.6g})", p.x(), p.y(), p.z());
}

/// Part of a convex polygon inside another convex polygon (Sutherland and Hodgman); both anticlockwise.
Polygon clipped(Polygon subject, const Polygon& window) {
  for (std::size_t k = 0; k < window.size() && !subject.empty(); ++k) {
    const Vector2d a = window[k], edge = window[(k + 1) % window.size()] - a;
    const auto inside = [&](const Vector2d& p) { return edge.x() * (p - a).y() - edge.y() * (p - a).x(); };
    Polygon next;
    for (std::size_t i = 0; i < subject.size(); ++i) {
      const Vector2d &p = subject[i], &q = subject[(i + 1) % subject.size()];
      const double sp = inside(p), sq = inside(q);
      if (sp >= 0) next.push_back(p);
      if ((sp < 0) != (sq < 0)) next.push_back(p + sp / (sp - sq) * (q - p));
    }
    subject = std::move(next);
  }
  return subject;
}

double area_of(const Polygon& p) {
  double sum = 0;
  for (std::size_t i = 0; i < p.size(); ++i) {
    const Vector2d &a = p[i], &b = p[(i + 1) % p.size()];
    sum += 0.5 * (a.x() * b.y() - a.y() * b.x());
  }
  return sum;
}

class Mortar {
 public:
  Mortar(Model& model, const std::string& part, double tolerance, const std::string& name)
      : model_(model),
        part_(part),
        name_(name),
        search_(model, facets_of(model, part)),
        middles_(edge_middles(model)),
        tolerance_(tolerance) {}

  /// Pieces of the following side: faces when the nodes make up any, else edges.
  void collect(const std::vector<int>& follow) {
    std::set<int>& own = shared_;
    for (const auto& f : search_.facets()) own.insert(f.nodes.begin(), f.nodes.end());
    std::vector<int> nodes;
    bool any = false;
    for (const int n : follow) {
      nodes.push_back(n);
      any = any || own.count(n) == 0;
    }
    const auto new_to = [&](const std::vector<int>& some) {  // not of the leading side itself
      return std::any_of(some.begin(), some.end(), [&](int n) { return own.count(n) == 0; });
    };
    if (!any && !follow.empty())
      throw base::InputError(place(), fmt::format("its nodes belong to part '{}' already", part_),
                             "bond nodes of another part");
    auto faces = facets_among(model_, nodes);
    faces.erase(std::remove_if(faces.begin(), faces.end(), [&](const Facet& f) { return !new_to(f.nodes); }),
                faces.end());
    for (const auto& f : faces) {
      if (f.nodes.size() == 8)
        throw base::InputError(
            place(), "the following face belongs to twenty-node solids, whose middle nodes cannot follow",
            "let the other part follow, unless it is of twenty-node solids too: then make one of both of eight-node "
            "solids of 8 nodes (element_nodes = 8), or give both the same divisions so that they share nodes");
      pieces_.push_back(face(f));
    }
    if (faces.empty())
      for (const auto& [a, b] : edges_among(model_, nodes))
        if (new_to({a, b})) pieces_.push_back(edge(a, b));
    if (pieces_.empty())
      throw base::InputError(place(), "the following nodes make up no edge and no face",
                             "choose a whole edge, for instance \"panel.end\", or a whole face of a solid");
    check_cover();
  }

  std::vector<Tie> ties(bool rotations) {
    std::map<int, double> total;
    std::map<int, std::map<int, double>> weights;
    for (const auto& p : pieces_) {
      const MatrixXd dual = p.each.asDiagonal() * base::inverse_of(p.own);
      for (const auto& [leader, products] : p.below) {
        const VectorXd share = dual * products;
        for (std::size_t i = 0; i < p.nodes.size(); ++i)
          weights[p.nodes[i]][leader] += share[static_cast<Eigen::Index>(i)];
      }
      for (std::size_t i = 0; i < p.nodes.size(); ++i) total[p.nodes[i]] += p.each[static_cast<Eigen::Index>(i)];
    }
    const bool shell = search_.facets()[0].rotations;
    std::vector<Tie> list;
    for (auto& [node, row] : weights) {
      if (shared_.count(node) > 0) continue;  // one node of both sides: joined already
      Tie tie;
      tie.name = name_;
      tie.follower = node;
      tie.bonded = true;
      double sum = 0;
      for (auto& [leader, w] : row) sum += w / total[node];
      for (auto& [leader, w] : row) {
        if (std::abs(w) < 1e-12 * std::abs(total[node])) continue;
        tie.leaders.push_back(leader);
        tie.weights.push_back(w / total[node] / sum);
      }
      tie.rotations = rotations && shell;
      tie.arms_rotation = shell;
      if (!shell) {  // nothing rotations the distance along: close it
        Vec3 on = Vec3::Zero();
        for (std::size_t i = 0; i < tie.leaders.size(); ++i) on += tie.weights[i] * model_.nodes[at(tie.leaders[i])];
        model_.nodes[at(node)] = on;
      }
      list.push_back(std::move(tie));
    }
    return list;
  }

 private:
  std::string place() const { return fmt::format("bond '{}'", name_); }

  void add(BondPiece& piece, const VectorXd& phi, double weight, const Vec3& point) {
    const FacetPlace on = search_.nearest(point);
    const double allowed = tolerance_ > 0 ? tolerance_ : 0.01 * size_of(search_.facets()[on.facet]);
    if (on.gap > worst_gap_) worst_gap_ = on.gap, worst_ = point, allowed_ = allowed;
    piece.own += weight * phi * phi.transpose();
    piece.each += weight * phi;
    piece.covered += weight;
    for (const auto& [node, n] : on.weights) {
      auto [entry, fresh] = piece.below.try_emplace(node, VectorXd::Zero(phi.size()));
      entry->second += weight * n * phi;
    }
  }

  double size_of(const Facet& f) const { return (model_.nodes[at(f.nodes[0])] - model_.nodes[at(f.nodes[2])]).norm(); }

  BondPiece empty(std::vector<int> nodes) const {
    const auto n = static_cast<Eigen::Index>(nodes.size());
    return {std::move(nodes), MatrixXd::Zero(n, n), VectorXd::Zero(n), {}, 0, 0};
  }

  /// Corners of a facet in a plane, anticlockwise.
  Polygon flat(const Facet& f, const Vec3& origin, const Vec3& e1, const Vec3& e2) const {
    Polygon p;
    for (int k = 0; k < f.corners(); ++k) {
      const Vec3 d = model_.nodes[at(f.nodes[at(k)])] - origin;
      p.emplace_back(d.dot(e1), d.dot(e2));
    }
    if (area_of(p) < 0) std::reverse(p.begin(), p.end());
    return p;
  }

  BondPiece face(const Facet& f) {
    BondPiece piece = empty(f.nodes);
    const auto x = [&](int k) { return model_.nodes[at(f.nodes[at(k)])]; };
    const Vec3 normal =
        (f.corners() == 3 ? (x(1) - x(0)).cross(x(2) - x(0)) : (x(2) - x(0)).cross(x(3) - x(1))).normalized();
    const Vec3 e1 = (x(1) - x(0)).normalized(), e2 = normal.cross(e1), origin = x(0);
    const Polygon own = flat(f, origin, e1, e2);
    piece.size = area_of(own);
    Vec3 low = x(0), high = low;
    for (const int n : f.nodes) low = low.cwiseMin(model_.nodes[at(n)]), high = high.cwiseMax(model_.nodes[at(n)]);
    for (const std::size_t m : search_.near_box(low, high, reach())) {
      const Polygon common = clipped(own, flat(search_.facets()[m], origin, e1, e2));
      for (std::size_t k = 1; k + 1 < common.size(); ++k)
        triangle(piece, f, {common[0], common[k], common[k + 1]}, origin, e1, e2);
    }
    return piece;
  }

  /// Seven-point rule, exact to the fifth power.
  void triangle(BondPiece& piece, const Facet& f, const Polygon& t, const Vec3& origin, const Vec3& e1,
                const Vec3& e2) {
    static const double a = 0.470142064105115, b = 0.101286507323456;
    static const double rule[7][3] = {{1. / 3, 1. / 3, 0.225},           {a, a, 0.132394152788506},
                                      {1 - 2 * a, a, 0.132394152788506}, {a, 1 - 2 * a, 0.132394152788506},
                                      {b, b, 0.125939180544827},         {1 - 2 * b, b, 0.125939180544827},
                                      {b, 1 - 2 * b, 0.125939180544827}};
    const double area = area_of(t);
    if (area < 1e-12 * piece.size) return;
    for (const auto& [r, s, w] : rule) {
      const Vector2d p = t[0] + r * (t[1] - t[0]) + s * (t[2] - t[0]);
      const FacetPlace own = project(model_, f, origin + p.x() * e1 + p.y() * e2);
      VectorXd phi(static_cast<Eigen::Index>(f.nodes.size()));
      for (std::size_t i = 0; i < f.nodes.size(); ++i) phi[static_cast<Eigen::Index>(i)] = own.weights[i].second;
      add(piece, phi, w * area, own.point);
    }
  }

  BondPiece edge(int from, int to) {
    const auto found = middles_.find(std::minmax(from, to));
    const int middle = found == middles_.end() ? -1 : found->second;
    BondPiece piece = empty(middle < 0 ? std::vector<int>{from, to} : std::vector<int>{from, to, middle});
    const Vec3 a = model_.nodes[at(from)], b = model_.nodes[at(to)];
    piece.size = (b - a).norm();
    const auto point = [&](double s, VectorXd& phi) {
      phi.resize(static_cast<Eigen::Index>(piece.nodes.size()));
      if (middle < 0)
        phi << 1 - s, s;
      else
        phi << (1 - s) * (1 - 2 * s), s * (2 * s - 1), 4 * s * (1 - s);
      Vec3 x = Vec3::Zero();
      for (std::size_t i = 0; i < piece.nodes.size(); ++i)
        x += phi[static_cast<Eigen::Index>(i)] * model_.nodes[at(piece.nodes[i])];
      return x;
    };
    std::vector<double> breaks = {0, 1};
    for (const std::size_t m : search_.near_box(a.cwiseMin(b), a.cwiseMax(b), reach()))
      cut(search_.facets()[m], a, b, breaks);
    std::sort(breaks.begin(), breaks.end());
    const double g = std::sqrt(0.6);
    for (std::size_t k = 0; k + 1 < breaks.size(); ++k) {
      const double low = breaks[k], length = breaks[k + 1] - low;
      if (length < 1e-9) continue;
      for (const auto& [x, w] : {std::pair(-g, 5. / 18), std::pair(0., 8. / 18), std::pair(g, 5. / 18)}) {
        VectorXd phi;
        const Vec3 here = point(low + 0.5 * (1 + x) * length, phi);
        add(piece, phi, w * length * piece.size, here);
      }
    }
    return piece;
  }

  /// Where the line from a to b crosses the edges of a facet, seen along its normal; shares of the line.
  void cut(const Facet& f, const Vec3& a, const Vec3& b, std::vector<double>& breaks) const {
    const auto x = [&](int k) { return model_.nodes[at(f.nodes[at(k % f.corners())])]; };
    const Vec3 normal =
        (f.corners() == 3 ? (x(1) - x(0)).cross(x(2) - x(0)) : (x(2) - x(0)).cross(x(3) - x(1))).normalized();
    for (int k = 0; k < f.corners(); ++k) {
      const Vec3 side = normal.cross(x(k + 1) - x(k)).normalized();
      const double da = side.dot(a - x(k)), db = side.dot(b - x(k));
      if (da * db < 0) breaks.push_back(da / (da - db));
    }
  }

  double reach() const { return tolerance_ > 0 ? tolerance_ : 0.05 * model_.size(); }

  void check_cover() const {
    if (worst_gap_ > allowed_)
      throw base::InputError(
          place(),
          fmt::format("the bonded surfaces do not meet: {} is {:.4g} away from part '{}'", place_text(worst_),
                      worst_gap_, part_),
          fmt::format("up to {:.4g} is taken as touching; move the part, choose other nodes, or give a "
                      "larger 'tolerance'",
                      allowed_));
    double size = 0, covered = 0;
    for (const auto& p : pieces_) size += p.size, covered += p.covered;
    if (covered < 0.999 * size)
      throw base::InputError(
          place(),
          fmt::format("only {:.1f} % of the following side has part '{}' opposite", 100 * covered / size, part_),
          "bond only what overlaps, or let the smaller side follow");
  }

  Model& model_;
  std::string part_, name_;
  FacetSearch search_;
  std::map<std::pair<int, int>, int> middles_;
  double tolerance_;
  std::vector<BondPiece> pieces_;
  std::set<int> shared_;  // nodes of the leading side
  double worst_gap_ = 0, allowed_ = HUGE_VAL;
  Vec3 worst_ = Vec3::Zero();
};
}  // namespace

std::vector<Tie> bond(Model& model, const std::vector<int>& follow, const std::string& part, double tolerance,
                      bool rotations, const std::string& name) {
  Mortar mortar(model, part, tolerance, name);
  mortar.collect(follow);
  return mortar.ties(rotations);
}

}  // namespace archway::model
