#include "archway/elements/loads.hpp"

#include <algorithm>
#include <cmath>
#include <map>

#include "archway/base/shape_functions.hpp"
#include "archway/elements/line_geometry.hpp"
#include "core/arms_detail.hpp"

namespace archway::elements {

namespace {
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

LoadedNodes nodes_of(const model::ShellElement& element) {
  return {element.nodes, element.count};
}
/// Of a loaded surface: a shell element, or the face of a solid.
LoadedNodes surface_nodes(const model::Model& model, int element, int face) {
  const auto e = static_cast<std::size_t>(element);
  if (face < 0) return {model.shell_elements[e].nodes, model.shell_elements[e].count, element};
  const auto& solid = model.solid_elements[e];
  LoadedNodes nodes;
  nodes.count = solid.count == 8 ? 4 : 8;
  for (std::size_t k = 0; k < static_cast<std::size_t>(nodes.count); ++k)
    nodes.list[k] = solid.nodes[static_cast<std::size_t>(model::kSolidFaces[static_cast<std::size_t>(face)][k])];
  return nodes;
}

struct SurfacePoint {
  base::SurfaceShape f;
  Vec3 gr, gs;
  double weight;
  Vec3 place = Vec3::Zero();
  Vec3 area() const { return weight * gr.cross(gs); }
};
/// Calls use(point) at the Gauss points of a surface, in their order.
template <class Use>
void each_surface_point(const std::vector<Vec3>& x, const LoadedNodes& nodes, const Use& use) {
  for (const auto& g : base::surface_rule(nodes.count)) {
    SurfacePoint p{base::surface_shape(nodes.count, g.r, g.s), Vec3::Zero(), Vec3::Zero(), g.weight};
    std::size_t i = 0;
    for (const int n : nodes) {
      const Vec3& at = x[static_cast<std::size_t>(n)];
      p.place += p.f.n[i] * at;
      p.gr += p.f.dr[i] * at;
      p.gs += p.f.ds[i] * at;
      ++i;
    }
    use(p);
  }
}

/// Pressure at every integration point, which a material point keeps as it moves.
std::array<double, 9> pressures(const model::Model& model, const LoadedNodes& nodes,
                                const model::SurfacePressure& load) {
  std::array<double, 9> values;
  values.fill(load.pressure);
  if (load.gradient.isZero(0.0)) return values;
  std::size_t k = 0;
  each_surface_point(model.nodes, nodes,
                     [&](const SurfacePoint& p) { values[k++] += load.gradient.dot(p.place - load.about); });
  return values;
}

/// Share of a length or area that is seen along a direction of force.
double seen_length(const Vec3& tangent, const Vec3& force) {
  return force.norm() == 0.0 ? 0.0 : tangent.cross(force.normalized()).norm();
}
double seen_area(const Vec3& area, const Vec3& force) {
  return force.norm() == 0.0 ? 0.0 : std::abs(area.dot(force.normalized()));
}

double density(const model::Model& model, int part) {
  return model.materials[static_cast<std::size_t>(model.parts[static_cast<std::size_t>(part)].material)].density;
}
/// Mass per length; of a tapered member the mean over the element.
double line_mass(const model::Model& model, const model::LineElement& element) {
  double area = 0;
  for (std::size_t p = 0; p < 3; ++p)
    area += model::kGaussWeights[p] * model.section_at(element, model::kGaussStations[p]).area;
  return density(model, element.part) * area;
}
double line_mass(const model::Model& model, const model::BarElement& element) {
  return density(model, element.part) *
         model.profiles[static_cast<std::size_t>(model.parts[static_cast<std::size_t>(element.part)].profile)].area;
}
double bar_length(const model::Model& model, const model::BarElement& e) {
  return (model.nodes[static_cast<std::size_t>(e.nodes[1])] - model.nodes[static_cast<std::size_t>(e.nodes[0])]).norm();
}
double surface_mass(const model::Model& model, const model::ShellElement& element) {
  return density(model, element.part) * model.thickness(element);
}
/// Calls use(shape, volume) at the 27 Gauss points of a solid.
template <class Use>
void each_volume(const model::Model& model, const model::SolidElement& e, const Use& use) {
  const double g = std::sqrt(0.6);
  for (const double z : {-g, 0.0, g})
    for (const auto& p : base::surface_rule(9)) {
      const auto f = base::solid_shape(e.count, Vec3(p.r, p.s, z));
      Mat3 jacobian = Mat3::Zero();
      for (int i = 0; i < e.count; ++i)
        jacobian += f.d[static_cast<std::size_t>(i)] *
                    model.nodes[static_cast<std::size_t>(e.nodes[static_cast<std::size_t>(i)])].transpose();
      use(f, p.weight * (z == 0.0 ? 8. / 9 : 5. / 9) * jacobian.determinant());
    }
}

/// Which loads of an action: dead ones do not depend on the state; following pressures do, and what acts at the end of
/// an arm.
enum class Which { dead, following, on_arms };

/// Breaks an action down into forces on nodes (or on the ends of arms that nodes carry) and moments.
/// Use: (node, force, arm as it points now, moment).
template <class Use>
class Spreader {
 public:
  Spreader(const model::Model& model, const State& state, const Use& use) : model_(model), state_(state), use_(use) {}

  void some(const model::Action& action, Which which) {
    which_ = which;
    for (const auto& load : action.node_forces)
      if (has_arm(!load.arm.isZero(0.0))) use_(load.node, load.force, rotated(load.node, load.arm), load.moment);
    for (const auto& load : action.member_loads)
      if (has_arm(load.height_y != 0.0 || load.height_z != 0.0))
        line(load.element, load.force_per_length, load.projected, load.height_y, load.height_z, load.change);
    for (const auto& load : action.member_pressures)
      if (follows(load.follows)) line_pressure(load);
    for (const auto& load : action.surface_pressures)
      if (follows(load.follows)) pressure(load);
    for (const Vec3& acceleration : action.accelerations) weigh(acceleration);
    if (which != Which::dead) return;
    for (const auto& load : action.edge_loads) edge(load);
    for (const auto& load : action.surface_loads) surface(surface_nodes(model_, load.element, load.face), load, 0);
  }

 private:
  bool has_arm(bool arm) const { return which_ == (arm ? Which::on_arms : Which::dead); }
  bool follows(bool follows) const { return which_ == (follows ? Which::following : Which::dead); }
  Vec3 rotated(int node, const Vec3& arm) const {
    return arm.isZero(0.0) ? arm : Vec3(state_.rotation[static_cast<std::size_t>(node)] * arm);
  }

  void line(int element, const Vec3& mean, bool projected, double height_y, double height_z,
            const Vec3& change = Vec3::Zero()) {
    const auto& own = model_.line_elements[static_cast<std::size_t>(element)];
    std::array<Vec3, 4> arms;
    arms.fill(Vec3::Zero());
    if (height_y != 0.0 || height_z != 0.0) {
      const auto axes = nodal_axes(model_, own);
      for (std::size_t i = 0; i < 4; ++i) arms[i] = rotated(own.nodes[i], axes[i] * Vec3(0, height_y, height_z));
    }
    for (std::size_t g = 0; g < 4; ++g) {
      const LinePoint p = line_point(model_.nodes, own.nodes, g);
      const Vec3 q = mean + (kLinePlaces[g] - 0.5) * change;
      const double length = projected ? seen_length(p.tangent, q) : p.tangent.norm();
      for (std::size_t i = 0; i < 4; ++i)
        use_(own.nodes[i], p.shape.n[i] * p.weight * length * q, arms[i], Vec3::Zero());
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
  void surface(const LoadedNodes& nodes, const model::SurfaceLoad& load, double offset) {
    each_surface_point(model_.nodes, nodes, [&](const SurfacePoint& p) {
      const Vec3 area = p.area(), arm = offset * area.normalized();
      const Vec3 q = load.force_per_area + load.gradient * (p.place - load.about);
      const double size = load.projected ? seen_area(area, q) : area.norm();
      std::size_t i = 0;
      for (const int n : nodes) use_(n, p.f.n[i++] * size * q, rotated(n, arm), Vec3::Zero());
    });
  }
  void pressure(const model::SurfacePressure& load) {
    const auto nodes = surface_nodes(model_, load.element, load.face);
    const auto values = pressures(model_, nodes, load);
    std::size_t k = 0;
    each_surface_point(load.follows ? state_.position : model_.nodes, nodes, [&](const SurfacePoint& p) {
      const Vec3 pushed = -values[k++] * p.area();
      std::size_t i = 0;
      for (const int n : nodes) force(n, p.f.n[i++] * pushed);
    });
  }
  void edge(const model::EdgeLoad& load) {
    const auto x = [&](int n) { return model_.nodes[static_cast<std::size_t>(n)]; };
    if (load.middle < 0) {
      const double length = (x(load.second) - x(load.first)).norm();
      force(load.first, length * (0.5 * load.force_per_length - load.change / 12));
      force(load.second, length * (0.5 * load.force_per_length + load.change / 12));
      return;
    }
    // parabola through three nodes, three Gauss points
    for (const auto& [at, weight] :
         {std::pair(-std::sqrt(0.6), 5. / 9), std::pair(0., 8. / 9), std::pair(std::sqrt(0.6), 5. / 9)}) {
      const Vec3 along = (at - 0.5) * x(load.first) + (at + 0.5) * x(load.second) - 2 * at * x(load.middle);
      const Vec3 q = weight * along.norm() * (load.force_per_length + 0.5 * at * load.change);
      force(load.first, 0.5 * at * (at - 1) * q);
      force(load.second, 0.5 * at * (at + 1) * q);
      force(load.middle, (1 - at * at) * q);
    }
  }
  void weigh(const Vec3& acceleration) {
    for (std::size_t e = 0; e < model_.line_elements.size(); ++e) {
      const auto& part = model_.parts[static_cast<std::size_t>(model_.line_elements[e].part)];
      if (!has_arm(part.offset_y != 0.0 || part.offset_z != 0.0)) continue;
      line(static_cast<int>(e), line_mass(model_, model_.line_elements[e]) * acceleration, false, part.offset_y,
           part.offset_z);
    }
    for (const auto& e : model_.shell_elements) {
      const double offset = model_.parts[static_cast<std::size_t>(e.part)].offset_z;
      if (has_arm(offset != 0.0)) surface(nodes_of(e), {-1, surface_mass(model_, e) * acceleration, false}, offset);
    }
    if (which_ != Which::dead) return;
    for (const auto& e : model_.bar_elements) {
      const Vec3 weight = line_mass(model_, e) * bar_length(model_, e) * acceleration;
      for (const int n : e.nodes) force(n, 0.5 * weight);
    }
    for (const auto& e : model_.solid_elements)
      each_volume(model_, e, [&](const base::SolidShape& f, double volume) {
        for (int i = 0; i < e.count; ++i)
          force(e.nodes[static_cast<std::size_t>(i)],
                f.n[static_cast<std::size_t>(i)] * volume * density(model_, e.part) * acceleration);
      });
  }
  void force(int node, const Vec3& value) { use_(node, value, Vec3::Zero(), Vec3::Zero()); }

  const model::Model& model_;
  const State& state_;
  const Use& use_;
  Which which_ = Which::dead;
};

void spread(const model::Model& model, const model::Action& action, double factor, const State& state, Which which,
            Eigen::VectorXd& nodal) {
  const auto use = [&](int node, const Vec3& force, const Vec3& arm, const Vec3& moment) {
    nodal.segment<3>(model::row(node)) += factor * force;
    nodal.segment<3>(model::row(node) + 3) += factor * (moment + arm.cross(force));
  };
  Spreader(model, state, use).some(action, which);
}

/// p times the integral of N_i N_j' (b x): derivative of a following line pressure.
LoadBlock line_stiffness(const std::vector<Vec3>& x, const std::array<int, 4>& nodes,
                         const model::MemberPressure& load) {
  LoadBlock k = LoadBlock::Zero(12, 12);
  const Mat3 rotation = skew(load.plane_normal);
  for (std::size_t g = 0; g < 4; ++g) {
    const LinePoint p = line_point(x, nodes, g);
    for (int i = 0; i < 4; ++i)
      for (int j = 0; j < 4; ++j)
        k.block<3, 3>(3 * i, 3 * j) += load.force_per_length * p.weight * p.shape.n[static_cast<std::size_t>(i)] *
                                       p.shape.dn[static_cast<std::size_t>(j)] * rotation;
  }
  return k;
}

/// -p times the integral of N_i (N_j,s [x,r] - N_j,r [x,s]): derivative of a following pressure.
LoadBlock surface_stiffness(const std::vector<Vec3>& x, const LoadedNodes& nodes,
                            const std::array<double, 9>& pressures) {
  const Eigen::Index n = nodes.count;
  LoadBlock k = LoadBlock::Zero(3 * n, 3 * n);
  std::size_t point = 0;
  each_surface_point(x, nodes, [&](const SurfacePoint& p) {
    const double pressure = pressures[point++];
    for (Eigen::Index j = 0; j < n; ++j) {
      const auto b = static_cast<std::size_t>(j);
      const Mat3 rotation = pressure * p.weight * skew(p.f.ds[b] * p.gr - p.f.dr[b] * p.gs);
      for (Eigen::Index i = 0; i < n; ++i) k.block<3, 3>(3 * i, 3 * j) -= p.f.n[static_cast<std::size_t>(i)] * rotation;
    }
  });
  return k;
}

template <class Use>
void each_following(const model::Model& model, const model::Action& action, const State& state, const Use& use) {
  for (const auto& load : action.member_pressures)
    if (load.follows) {
      const auto& own = model.line_elements[static_cast<std::size_t>(load.element)].nodes;
      LoadedNodes nodes;
      nodes.count = 4;
      std::copy(own.begin(), own.end(), nodes.list.begin());
      use(nodes, line_stiffness(state.position, own, load));
    }
  for (const auto& load : action.surface_pressures)
    if (load.follows) {
      const auto nodes = surface_nodes(model, load.element, load.face);
      use(nodes, surface_stiffness(state.position, nodes, pressures(model, nodes, load)));
    }
}
}  // namespace

Resultant resultant(const std::vector<Vec3>& positions, const Eigen::VectorXd& nodal, const Vec3& about) {
  Resultant sum;
  Vec3 force_size = Vec3::Zero(), moment_size = Vec3::Zero();
  double reach = about.cwiseAbs().maxCoeff();
  for (std::size_t n = 0; n < positions.size(); ++n) {
    const Vec3 force = nodal.segment<3>(model::row(n));
    const Vec3 moment = (positions[n] - about).cross(force) + Vec3(nodal.segment<3>(model::row(n) + 3));
    sum.force += force;
    sum.moment += moment;
    force_size += force.cwiseAbs();
    moment_size += moment.cwiseAbs();
    if (!force.isZero(0)) reach = std::max(reach, positions[n].cwiseAbs().maxCoeff());
  }
  const double lever = 1e-13 * reach * force_size.maxCoeff();  // positions are known to their last digits only
  // what rounding leaves of loads that balance is no resultant
  for (int k = 0; k < 3; ++k) {
    if (std::abs(sum.force[k]) < 1e-11 * force_size.maxCoeff()) sum.force[k] = 0;
    if (std::abs(sum.moment[k]) < std::max(1e-11 * moment_size.maxCoeff(), lever)) sum.moment[k] = 0;
  }
  return sum;
}

void add_loads(const model::Model& model, const model::Action& action, double factor, const State& state,
               Eigen::VectorXd& nodal) {
  for (const auto which : {Which::dead, Which::following, Which::on_arms})
    spread(model, action, factor, state, which, nodal);
}

void add_dead_loads(const model::Model& model, const model::Action& action, Eigen::VectorXd& nodal) {
  spread(model, action, 1, State::reference(model), Which::dead, nodal);
}

void add_changing_loads(const model::Model& model, const model::Action& action, double factor, const State& state,
                        Eigen::VectorXd& nodal) {
  for (const auto which : {Which::following, Which::on_arms}) spread(model, action, factor, state, which, nodal);
}

bool has_following_loads(const model::Action& action) {
  for (const auto& load : action.member_pressures)
    if (load.follows) return true;
  for (const auto& load : action.surface_pressures)
    if (load.follows) return true;
  return false;
}

void add_load_stiffness(const model::Model& model, const model::Action& action, double factor, const State& state,
                        const LoadStiffnessSink& sink) {
  each_following(model, action, state, [&](const LoadedNodes& nodes, const LoadBlock& k) {
    sink(nodes, 3, 0.5 * factor * (k + k.transpose()));
  });
  std::map<int, Mat3> arms;  // one block a node
  const auto use = [&](int node, const Vec3& force, const Vec3& arm, const Vec3&) {
    if (!arm.isZero(0.0)) arms.try_emplace(node, Mat3::Zero()).first->second += factor * detail::arm_term(force, arm);
  };
  Spreader(model, state, use).some(action, Which::on_arms);
  for (const auto& [node, block] : arms) {
    LoadBlock k = LoadBlock::Zero(6, 6);
    k.bottomRightCorner<3, 3>() = block;
    sink({{node}, 1}, 6, k);
  }
}

void add_skew_load_stiffness(const model::Model& model, const model::Action& action, double factor, const State& state,
                             const LoadStiffnessSink& sink) {
  each_following(model, action, state, [&](const LoadedNodes& nodes, const LoadBlock& k) {
    sink(nodes, 3, 0.5 * factor * (k - k.transpose()));
  });
  for (const auto& load : action.node_forces) {
    if (load.moment.isZero(0.0)) continue;
    LoadBlock k = LoadBlock::Zero(6, 6);
    k.bottomRightCorner<3, 3>() = 0.5 * factor * skew(load.moment);
    sink({{load.node}, 1}, 6, k);
  }
}

double unsymmetric_share(const model::Model& model, const model::Action& action, const State& state) {
  std::vector<std::array<bool, 3>> held(model.nodes.size(), {false, false, false});
  for (const auto& s : model.supports)
    if (s.dof < 3) held[static_cast<std::size_t>(s.node)][static_cast<std::size_t>(s.dof)] = true;
  // only pairs of nodes of one element are coupled; their 3 x 3 blocks are summed before the skew part is taken
  std::map<std::pair<int, int>, Mat3> sums;
  each_following(model, action, state, [&](const LoadedNodes& nodes, const LoadBlock& k) {
    for (int i = 0; i < nodes.count; ++i)
      for (int j = 0; j < nodes.count; ++j) {
        auto [entry, fresh] = sums.try_emplace({nodes.begin()[i], nodes.begin()[j]}, Mat3::Zero());
        entry->second += k.block<3, 3>(3 * i, 3 * j);
      }
  });
  double all = 0, skewed = 0;
  for (const auto& [pair, block] : sums) {
    const auto mirror = sums.find({pair.second, pair.first});
    const Mat3 skew = 0.5 * (block - mirror->second.transpose());
    for (Eigen::Index i = 0; i < 3; ++i)
      for (Eigen::Index j = 0; j < 3; ++j) {
        if (held[static_cast<std::size_t>(pair.first)][static_cast<std::size_t>(i)] ||
            held[static_cast<std::size_t>(pair.second)][static_cast<std::size_t>(j)])
          continue;
        all += block(i, j) * block(i, j);
        skewed += skew(i, j) * skew(i, j);
      }
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
      const auto& own = model.parts[static_cast<std::size_t>(element.part)];
      const auto axes = nodal_axes(model, element);
      for (std::size_t i = 0; i < 4; ++i)
        middle += p.shape.n[i] * (model.nodes[static_cast<std::size_t>(element.nodes[i])] +
                                  axes[i] * Vec3(0, own.offset_y, own.offset_z));
      const double length = p.weight * p.tangent.norm();
      add(line_mass(model, element) * length, length, middle);
    }
  }
  for (const auto& element : model.bar_elements) {
    if (part >= 0 && element.part != part) continue;
    const double length = bar_length(model, element);
    add(line_mass(model, element) * length, length,
        0.5 * (model.nodes[static_cast<std::size_t>(element.nodes[0])] +
               model.nodes[static_cast<std::size_t>(element.nodes[1])]));
  }
  for (const auto& element : model.shell_elements) {
    if (part >= 0 && element.part != part) continue;
    const double offset = model.parts[static_cast<std::size_t>(element.part)].offset_z;
    each_surface_point(model.nodes, nodes_of(element), [&](const SurfacePoint& p) {
      middle = offset * p.area().normalized() + p.place;
      add(surface_mass(model, element) * p.area().norm(), p.area().norm(), middle);
    });
  }
  for (const auto& element : model.solid_elements) {
    if (part >= 0 && element.part != part) continue;
    each_volume(model, element, [&](const base::SolidShape& f, double volume) {
      middle.setZero();
      for (int i = 0; i < element.count; ++i)
        middle += f.n[static_cast<std::size_t>(i)] *
                  model.nodes[static_cast<std::size_t>(element.nodes[static_cast<std::size_t>(i)])];
      add(density(model, element.part) * volume, volume, middle);
    });
  }
  if (sum.mass > 0) sum.centre /= sum.mass;
  return sum;
}

}  // namespace archway::elements
