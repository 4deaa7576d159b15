#include "archway/elements/loads.hpp"

#include <cmath>
#include <map>

#include "archway/elements/beam.hpp"

namespace archway::elements {

namespace {
using Mat24 = Eigen::Matrix<double, 24, 24>;
using base::skew;

// four Gauss points on [0, 1]: exact for the cubic lines loaded by what varies along them
const std::array<double, 4> kLinePlaces = {0.069431844202973714, 0.33000947820757187, 0.66999052179242813,
                                           0.93056815579702629};
const std::array<double, 4> kLineWeights = {0.17392742256872693, 0.32607257743127307, 0.32607257743127307,
                                            0.17392742256872693};

struct LinePoint {
  LineShape shape;
  Vec3 tangent;  // dx/ds, s in [0, 1]
  double weight = 0;
};
LinePoint line_point(const std::vector<Vec3>& x, const std::array<int, 4>& nodes, std::size_t g) {
  LinePoint p{line_shape(kLinePlaces[g]), Vec3::Zero(), kLineWeights[g]};
  for (std::size_t i = 0; i < 4; ++i) p.tangent += p.shape.dn[i] * x[static_cast<std::size_t>(nodes[i])];
  return p;
}

struct SurfacePoint {
  std::array<double, 4> n, dr, ds;
  Vec3 gr, gs;
  Vec3 area() const { return gr.cross(gs); }
};
SurfacePoint surface_point(const std::vector<Vec3>& x, const std::array<int, 4>& nodes, int g) {
  static const std::array<double, 4> r = {-1, 1, 1, -1}, s = {-1, -1, 1, 1};
  const auto k = static_cast<std::size_t>(g);
  const double gr = r[k] / std::sqrt(3.0), gs = s[k] / std::sqrt(3.0);
  SurfacePoint p{{}, {}, {}, Vec3::Zero(), Vec3::Zero()};
  for (std::size_t i = 0; i < 4; ++i) {
    p.n[i] = 0.25 * (1 + r[i] * gr) * (1 + s[i] * gs);
    p.dr[i] = 0.25 * r[i] * (1 + s[i] * gs);
    p.ds[i] = 0.25 * s[i] * (1 + r[i] * gr);
    p.gr += p.dr[i] * x[static_cast<std::size_t>(nodes[i])];
    p.gs += p.ds[i] * x[static_cast<std::size_t>(nodes[i])];
  }
  return p;
}

/// Share of a length or area that is seen along a direction of force.
double seen_length(const Vec3& tangent, const Vec3& force) {
  return force.norm() == 0.0 ? 0.0 : tangent.cross(force.normalized()).norm();
}
double seen_area(const Vec3& area, const Vec3& force) {
  return force.norm() == 0.0 ? 0.0 : std::abs(area.dot(force.normalized()));
}

class Adder {
 public:
  Adder(const model::Model& model, const State& state, double factor, Eigen::VectorXd& nodal)
      : model_(model), state_(state), factor_(factor), nodal_(nodal) {}

  void line(int element, const Vec3& q, bool projected) {
    const auto& nodes = model_.line_elements[static_cast<std::size_t>(element)].nodes;
    for (std::size_t g = 0; g < 4; ++g) {
      const LinePoint p = line_point(model_.nodes, nodes, g);
      const double length = projected ? seen_length(p.tangent, q) : p.tangent.norm();
      for (std::size_t i = 0; i < 4; ++i) force(nodes[i], p.shape.n[i] * p.weight * length * q);
    }
  }
  void line_pressure(const model::MemberPressure& load) {
    const auto& nodes = model_.line_elements[static_cast<std::size_t>(load.element)].nodes;
    const auto& x = load.follows ? state_.position : model_.nodes;
    for (std::size_t g = 0; g < 4; ++g) {
      const LinePoint p = line_point(x, nodes, g);
      for (std::size_t i = 0; i < 4; ++i)
        force(nodes[i], p.shape.n[i] * p.weight * load.force_per_length * load.plane_normal.cross(p.tangent));
    }
  }
  void surface(int element, const Vec3& q, bool projected) {
    const auto& nodes = model_.shell_elements[static_cast<std::size_t>(element)].nodes;
    for (int g = 0; g < 4; ++g) {
      const SurfacePoint p = surface_point(model_.nodes, nodes, g);
      const double area = projected ? seen_area(p.area(), q) : p.area().norm();
      for (std::size_t i = 0; i < 4; ++i) force(nodes[i], p.n[i] * area * q);
    }
  }
  void pressure(const model::SurfacePressure& load) {
    const auto& nodes = model_.shell_elements[static_cast<std::size_t>(load.element)].nodes;
    const auto& x = load.follows ? state_.position : model_.nodes;
    for (int g = 0; g < 4; ++g) {
      const SurfacePoint p = surface_point(x, nodes, g);
      for (std::size_t i = 0; i < 4; ++i) force(nodes[i], -load.pressure * p.n[i] * p.area());
    }
  }
  void edge(const model::EdgeLoad& load) {
    const double length =
        (model_.nodes[static_cast<std::size_t>(load.second)] - model_.nodes[static_cast<std::size_t>(load.first)])
            .norm();
    for (const int node : {load.first, load.second}) force(node, 0.5 * length * load.force_per_length);
  }
  void node(const model::NodeForce& load) {
    force(load.node, load.force);
    nodal_.segment<3>(6 * load.node + 3) += factor_ * load.moment;
  }

 private:
  void force(int node, const Vec3& value) { nodal_.segment<3>(6 * node) += factor_ * value; }
  const model::Model& model_;
  const State& state_;
  double factor_;
  Eigen::VectorXd& nodal_;
};

double line_mass(const model::Model& model, const model::LineElement& element) {
  const auto& part = model.parts[static_cast<std::size_t>(element.part)];
  return model.materials[static_cast<std::size_t>(part.material)].density *
         model.profiles[static_cast<std::size_t>(part.profile)].area;
}
double surface_mass(const model::Model& model, const model::ShellElement& element) {
  const auto& part = model.parts[static_cast<std::size_t>(element.part)];
  return model.materials[static_cast<std::size_t>(part.material)].density * part.thickness;
}

/// p times the integral of N_i N_j' (b x): derivative of a following line pressure.
Mat24 line_stiffness(const std::vector<Vec3>& x, const std::array<int, 4>& nodes, const model::MemberPressure& load) {
  Mat24 k = Mat24::Zero();
  const Mat3 turn = skew(load.plane_normal);
  for (std::size_t g = 0; g < 4; ++g) {
    const LinePoint p = line_point(x, nodes, g);
    for (int i = 0; i < 4; ++i)
      for (int j = 0; j < 4; ++j)
        k.block<3, 3>(6 * i, 6 * j) += load.force_per_length * p.weight * p.shape.n[static_cast<std::size_t>(i)] *
                                       p.shape.dn[static_cast<std::size_t>(j)] * turn;
  }
  return k;
}

/// -p times the integral of N_i (N_j,s [x,r] - N_j,r [x,s]): derivative of a following pressure.
Mat24 surface_stiffness(const std::vector<Vec3>& x, const std::array<int, 4>& nodes, double pressure) {
  Mat24 k = Mat24::Zero();
  for (int g = 0; g < 4; ++g) {
    const SurfacePoint p = surface_point(x, nodes, g);
    const Mat3 tr = skew(p.gr), ts = skew(p.gs);
    for (int i = 0; i < 4; ++i)
      for (int j = 0; j < 4; ++j)
        k.block<3, 3>(6 * i, 6 * j) -=
            pressure * p.n[static_cast<std::size_t>(i)] *
            (p.ds[static_cast<std::size_t>(j)] * tr - p.dr[static_cast<std::size_t>(j)] * ts);
  }
  return k;
}

template <class Use>
void each_following(const model::Model& model, const model::LoadPattern& pattern, const State& state, const Use& use) {
  for (const auto& load : pattern.member_pressures)
    if (load.follows) {
      const auto& nodes = model.line_elements[static_cast<std::size_t>(load.element)].nodes;
      use(false, load.element, nodes, line_stiffness(state.position, nodes, load));
    }
  for (const auto& load : pattern.surface_pressures)
    if (load.follows) {
      const auto& nodes = model.shell_elements[static_cast<std::size_t>(load.element)].nodes;
      use(true, load.element, nodes, surface_stiffness(state.position, nodes, load.pressure));
    }
}
}  // namespace

Resultant resultant(const std::vector<Vec3>& positions, const Eigen::VectorXd& nodal, const Vec3& about) {
  Resultant sum;
  for (std::size_t n = 0; n < positions.size(); ++n) {
    const auto at = static_cast<Eigen::Index>(6 * n);
    const Vec3 force = nodal.segment<3>(at);
    sum.force += force;
    sum.moment += (positions[n] - about).cross(force) + Vec3(nodal.segment<3>(at + 3));
  }
  return sum;
}

void add_loads(const model::Model& model, const model::LoadPattern& pattern, double factor, const State& state,
               Eigen::VectorXd& nodal) {
  Adder add(model, state, factor, nodal);
  for (const auto& load : pattern.node_forces) add.node(load);
  for (const auto& load : pattern.member_loads) add.line(load.element, load.force_per_length, load.projected);
  for (const auto& load : pattern.member_pressures) add.line_pressure(load);
  for (const auto& load : pattern.edge_loads) add.edge(load);
  for (const auto& load : pattern.surface_loads) add.surface(load.element, load.force_per_area, load.projected);
  for (const auto& load : pattern.surface_pressures) add.pressure(load);
  for (const Vec3& acceleration : pattern.accelerations) {
    for (std::size_t e = 0; e < model.line_elements.size(); ++e)
      add.line(static_cast<int>(e), line_mass(model, model.line_elements[e]) * acceleration, false);
    for (std::size_t e = 0; e < model.shell_elements.size(); ++e)
      add.surface(static_cast<int>(e), surface_mass(model, model.shell_elements[e]) * acceleration, false);
  }
}

bool has_following_loads(const model::LoadPattern& pattern) {
  for (const auto& load : pattern.member_pressures)
    if (load.follows) return true;
  for (const auto& load : pattern.surface_pressures)
    if (load.follows) return true;
  return false;
}

void add_load_stiffness(const model::Model& model, const model::LoadPattern& pattern, double factor, const State& state,
                        const LoadStiffnessSink& sink) {
  each_following(model, pattern, state, [&](bool is_shell, int element, const std::array<int, 4>&, const Mat24& k) {
    sink(is_shell, element, 0.5 * factor * (k + k.transpose()));
  });
}

double unsymmetric_share(const model::Model& model, const model::LoadPattern& pattern, const State& state) {
  // only pairs of nodes of one element are coupled; their 3 x 3 blocks are summed before the skew part is taken
  std::map<std::pair<int, int>, Mat3> sums;
  each_following(model, pattern, state, [&](bool, int, const std::array<int, 4>& nodes, const Mat24& k) {
    for (int i = 0; i < 4; ++i)
      for (int j = 0; j < 4; ++j) {
        auto [entry, fresh] =
            sums.try_emplace({nodes[static_cast<std::size_t>(i)], nodes[static_cast<std::size_t>(j)]}, Mat3::Zero());
        entry->second += k.block<3, 3>(6 * i, 6 * j);
      }
  });
  double all = 0, skewed = 0;
  for (const auto& [pair, block] : sums) {
    const auto mirror = sums.find({pair.second, pair.first});
    all += block.squaredNorm();
    skewed += (0.5 * (block - mirror->second.transpose())).squaredNorm();
  }
  return all > 0 ? std::sqrt(skewed / all) : 0.0;
}

Mass mass_of(const model::Model& model, int part) {
  Mass sum;
  const auto add = [&](double mass, double measure, const Vec3& place) {
    sum.mass += mass;
    sum.measure += measure;
    sum.centre += mass * place;
  };
  Vec3 middle = Vec3::Zero();
  for (const auto& element : model.line_elements) {
    if (part >= 0 && element.part != part) continue;
    for (std::size_t g = 0; g < 4; ++g) {
      const LinePoint p = line_point(model.nodes, element.nodes, g);
      middle.setZero();
      for (std::size_t i = 0; i < 4; ++i)
        middle += p.shape.n[i] * model.nodes[static_cast<std::size_t>(element.nodes[i])];
      const double length = p.weight * p.tangent.norm();
      add(line_mass(model, element) * length, length, middle);
    }
  }
  for (const auto& element : model.shell_elements) {
    if (part >= 0 && element.part != part) continue;
    for (int g = 0; g < 4; ++g) {
      const SurfacePoint p = surface_point(model.nodes, element.nodes, g);
      middle.setZero();
      for (std::size_t i = 0; i < 4; ++i) middle += p.n[i] * model.nodes[static_cast<std::size_t>(element.nodes[i])];
      add(surface_mass(model, element) * p.area().norm(), p.area().norm(), middle);
    }
  }
  if (sum.mass > 0) sum.centre /= sum.mass;
  return sum;
}

}  // namespace archway::elements
