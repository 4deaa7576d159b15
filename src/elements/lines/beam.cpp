#include "archway/elements/beam.hpp"

#include <cmath>
#include <map>
#include <tuple>

#include "archway/base/rotation.hpp"
#include "archway/elements/tie.hpp"
#include "core/memory_detail.hpp"
#include "lines/beam_kinematics_detail.hpp"

namespace archway::elements {

namespace {
using namespace beam_detail;

const double kGauss = std::sqrt(0.6);
const std::array<double, 3> kPlaces = {0.5 - 0.5 * kGauss, 0.5, 0.5 + 0.5 * kGauss};
const auto& kWeights = model::kGaussWeights;

/// Response by linear theory to small displacements from a state (a sample with numerators f).
Response respond_linearly(const BeamBatch::Data& data, const BeamBatch::GaussPoint& point, const Nodes& nodes,
                          const Sample& z, const Vec6& f, const Mat8x13& b, const Eigen::VectorXd& u) {
  const SectionMap map(point.section, f[3] / z.q.squaredNorm());
  Vec8 e = b * variation(data, point, nodes, u);
  e.head<3>() -= nodes.free_strain * point.reference_strain.head<3>();
  Response r;
  r.material = material_of(point.section, map, point.section.axial);
  r.sigma = r.material * e;
  if (point.rigid) r.sigma += rigid_stress(*point.rigid, e);
  r.wagner_stress = (point.section.axial * (map.axial * e))[4];
  return r;
}

/// Adds weight * Z_i^T h Z_j for nodes i, j of one Gauss point, in ambient coordinates (x, q).
void add_ambient(const BeamBatch::GaussPoint& p, const Mat13& h, std::array<std::array<Mat8, 4>, 4>& sum) {
  for (std::size_t i = 0; i < 4; ++i)
    for (std::size_t j = i; j < 4; ++j) {
      const double dd = p.dn[i] * p.dn[j], nd = p.n[i] * p.dn[j], dn = p.dn[i] * p.n[j], nn = p.n[i] * p.n[j];
      Mat8& block = sum[i][j];
      block.block<3, 3>(0, 0) += dd * h.block<3, 3>(0, 0);
      block.block<3, 4>(0, 3) += dn * h.block<3, 4>(0, 3) + dd * h.block<3, 4>(0, 7);
      block.block<4, 3>(3, 0) += nd * h.block<4, 3>(3, 0) + dd * h.block<4, 3>(7, 0);
      block.block<4, 4>(3, 3) +=
          nn * h.block<4, 4>(3, 3) + nd * h.block<4, 4>(3, 7) + dn * h.block<4, 4>(7, 3) + dd * h.block<4, 4>(7, 7);
      block.block<3, 1>(0, 7) += dn * h.block<3, 1>(0, 11) + dd * h.block<3, 1>(0, 12);
      block.block<1, 3>(7, 0) += nd * h.block<1, 3>(11, 0) + dd * h.block<1, 3>(12, 0);
      block.block<4, 1>(3, 7) +=
          nn * h.block<4, 1>(3, 11) + nd * h.block<4, 1>(3, 12) + dn * h.block<4, 1>(7, 11) + dd * h.block<4, 1>(7, 12);
      block.block<1, 4>(7, 3) +=
          nn * h.block<1, 4>(11, 3) + nd * h.block<1, 4>(11, 7) + dn * h.block<1, 4>(12, 3) + dd * h.block<1, 4>(12, 7);
      block(7, 7) += nn * h(11, 11) + nd * h(11, 12) + dn * h(12, 11) + dd * h(12, 12);
    }
}

/// From ambient coordinates to translations, spins and warping; the exponential map adds -1/4 (g . q) on the spins.
void project(const std::array<std::array<Mat8, 4>, 4>& ambient, const std::array<Vec4, 4>& gradient_q,
             const Nodes& nodes, double* out) {
  Eigen::Map<Mat28> k(out);
  std::array<Mat8x7, 4> map;
  for (std::size_t i = 0; i < 4; ++i) {
    map[i].setZero();
    map[i].topLeftCorner<3, 3>().setIdentity();
    map[i].block<4, 3>(3, 3) = spin_map(nodes.q[i]);
    map[i](7, 6) = 1;
  }
  for (int i = 0; i < 4; ++i)
    for (int j = i; j < 4; ++j) {
      const auto a = static_cast<std::size_t>(i), b = static_cast<std::size_t>(j);
      Eigen::Matrix<double, 7, 7> block = map[a].transpose() * ambient[a][b] * map[b];
      if (i == j) block.block<3, 3>(3, 3).diagonal().array() -= 0.25 * gradient_q[a].dot(nodes.q[a]);
      k.block<7, 7>(kWidth * i, kWidth * j) = block;
      if (i != j) k.block<7, 7>(kWidth * j, kWidth * i) = block.transpose();
    }
}

struct Sums {
  std::array<Vec3, 4> gradient_x;
  std::array<Vec4, 4> gradient_q;
  std::array<double, 4> gradient_p;
  std::array<std::array<Mat8, 4>, 4> tangent, geometric;
};

void clear(Sums& sums) {
  for (std::size_t i = 0; i < 4; ++i) {
    sums.gradient_x[i].setZero();
    sums.gradient_q[i].setZero();
    sums.gradient_p[i] = 0;
    for (std::size_t j = 0; j < 4; ++j) {
      sums.tangent[i][j].setZero();
      sums.geometric[i][j].setZero();
    }
  }
}

void add_gradient(const BeamBatch::GaussPoint& point, const Mat8x13& b, const Vec8& sigma, Sums& sums) {
  const Vec13 g = b.transpose() * sigma * point.weight;
  for (std::size_t i = 0; i < 4; ++i) {
    sums.gradient_x[i] += point.dn[i] * g.head<3>();
    sums.gradient_q[i] += point.n[i] * g.segment<4>(3) + point.dn[i] * g.segment<4>(7);
    sums.gradient_p[i] += point.n[i] * g[11] + point.dn[i] * g[12];
  }
}

/// An element in a trial: where its nodes are, and what its points remember.
struct Tried {
  const BeamBatch::Data& data;
  Nodes nodes;
  const StressSource& source;
  const double* before = nullptr;
  double* after = nullptr;
  PointMemory memory(const BeamBatch::GaussPoint& point) const {
    return point.fibres ? PointMemory{before + point.memory, after + point.memory} : PointMemory{};
  }
};

/// Stresses for the stiffness, see StressSource.
Response foreseen_response(const Tried& tried, const BeamBatch::GaussPoint& point) {
  const State& previous = *tried.source.previous;
  const Nodes before = gather(tried.data, previous);
  const Sample z = sample(before, point);
  const Vec6 f = numerators(z);
  const Vec8 change = gradient(z, f) * variation(tried.data, point, before, *tried.source.step);
  std::vector<double> thrown_away(point.fibres ? point.fibres->memory_size() : 0);
  return respond(point, strains(z, f) + change, stress_free(point, previous.free_strain(tried.data.part)),
                 {tried.memory(point).before, thrown_away.data()});
}

/// Response of a Gauss point for force (never foreseen) or stiffness.
Response response_of(const Tried& tried, const BeamBatch::GaussPoint& point, const Sample& z, const Vec6& f,
                     const Mat8x13& b, bool foreseen) {
  const StressSource& source = tried.source;
  if (source.linear != nullptr) return respond_linearly(tried.data, point, tried.nodes, z, f, b, *source.linear);
  const auto own = [&] {
    return respond(point, strains(z, f), stress_free(point, tried.nodes.free_strain), tried.memory(point));
  };
  if (!foreseen || source.previous == nullptr) return own();
  Response ahead = foreseen_response(tried, point);
  if (point.fibres) ahead.material = own().material;  // what has flown is that of the state itself
  return ahead;
}

void internal_force(const Tried& tried, Sums& sums, double* force) {
  const auto& data = tried.data;
  const auto& nodes = tried.nodes;
  clear(sums);
  for (const auto& point : data.points) {
    const Sample z = sample(nodes, point);
    const Vec6 f = numerators(z);
    const Mat8x13 b = gradient(z, f);
    add_gradient(point, b, response_of(tried, point, z, f, b, false).sigma, sums);
  }
  if (force == nullptr) return;  // asked for what the points remember only
  for (std::size_t i = 0; i < 4; ++i) {
    double* own = force + kWidth * i;
    Eigen::Map<Vec3>(own + 0) = sums.gradient_x[i];
    Eigen::Map<Vec3>(own + 3) = spin_map(nodes.q[i]).transpose() * sums.gradient_q[i];
    own[model::warp] = data.warping ? sums.gradient_p[i] : 0.0;
  }
  if (data.has_arms) detail::bring_to_nodes(nodes.arms.data(), nullptr, 4, kWidth, force, {});
}

/// Rows of what a point keeps rigid, see Outputs::rigid. \return where the next ones go
double* rigid_rows(const Tried& tried, const BeamBatch::GaussPoint& point, const Mat8x13& b, double* out) {
  if (!point.rigid) return out;
  for (Eigen::Index r = 0; r < point.rigid->soft.size(); ++r, out += 29) {
    const double soft = point.weight * point.rigid->soft[r];
    const Vec13 g = soft * (point.rigid->rows.row(r) * b).transpose();
    for (std::size_t i = 0; i < 4; ++i) {
      Eigen::Map<Eigen::Matrix<double, 7, 1>> own(out + kWidth * i);
      own.head<3>() = point.dn[i] * g.head<3>();
      own.segment<3>(3) =
          spin_map(tried.nodes.q[i]).transpose() * (point.n[i] * g.segment<4>(3) + point.dn[i] * g.segment<4>(7));
      own[6] = tried.data.warping ? point.n[i] * g[11] + point.dn[i] * g[12] : 0.0;
    }
    if (tried.data.has_arms) detail::bring_to_nodes(tried.nodes.arms.data(), nullptr, 4, kWidth, out, {});
    out[28] = soft;
  }
  return out;
}

void stiffness(const Tried& tried, Sums& sums, double* tangent, double* geometric, double* rigid) {
  const auto& data = tried.data;
  const auto& nodes = tried.nodes;
  clear(sums);
  for (const auto& point : data.points) {
    const Sample z = sample(nodes, point);
    const Vec6 f = numerators(z);
    const Mat8x13 b = gradient(z, f);
    Response r = response_of(tried, point, z, f, b, true);
    if (rigid != nullptr)
      rigid = rigid_rows(tried, point, b, rigid);
    else if (point.rigid)
      r.material += rigid_material(*point.rigid);
    add_gradient(point, b, r.sigma, sums);
    Mat13 h = Mat13::Zero();
    h.topLeftCorner<11, 11>() = strain_curvature(z, f, b.topLeftCorner<6, 11>(), r.sigma.head<6>());
    h += r.wagner_stress * b.row(3).transpose() * b.row(3);
    h *= point.weight;
    if (geometric != nullptr) add_ambient(point, h, sums.geometric);
    if (tangent != nullptr) {
      h.noalias() += point.weight * b.transpose() * (r.material * b);
      add_ambient(point, h, sums.tangent);
    }
  }
  if (tangent != nullptr) project(sums.tangent, sums.gradient_q, nodes, tangent);
  if (geometric != nullptr) project(sums.geometric, sums.gradient_q, nodes, geometric);
  if (data.has_arms)
    detail::bring_to_nodes(nodes.arms.data(), sums.gradient_x.data(), 4, kWidth, nullptr, {tangent, geometric});
  if (data.warping) return;
  for (double* matrix : {tangent, geometric})  // no stiffness to a degree of freedom that is not there
    for (Eigen::Index i = model::warp; matrix != nullptr && i < 28; i += kWidth)
      Eigen::Map<Mat28>(matrix).row(i).setZero(), Eigen::Map<Mat28>(matrix).col(i).setZero();
}

Vec3 derivative_at(const model::Model& model, const std::array<int, 4>& nodes, double s) {
  const LineShape shape = line_shape(s);
  Vec3 d = Vec3::Zero();
  for (std::size_t i = 0; i < 4; ++i) d += shape.dn[i] * model.nodes[static_cast<std::size_t>(nodes[i])];
  return d;
}

}  // namespace

Mat3 middle_axes(const model::Model& model, const model::LineElement& element) {
  const Vec3 middle = derivative_at(model, element.nodes, 0.5).normalized();
  if (!element.lean.isZero(0.0)) return base::axes_from(middle, element.lean);
  const Vec3& up = model.parts[static_cast<std::size_t>(element.part)].up;
  if (!base::runs_along(middle, up)) return base::axes_from(middle, up);
  // a curved element whose middle runs along `up` leans as its ends do
  for (const double s : {1.0, 0.0}) {
    const Vec3 end = derivative_at(model, element.nodes, s).normalized();
    if (!base::runs_along(end, up)) return base::axes_from(middle, middle.cross(up.cross(end)));
  }
  return base::axes_from(middle, up);
}

/// Made once at the middle of the element and carried to its nodes without twist, since the direction that `up` gives
/// flips over where a curved member runs along it.
std::array<Eigen::Quaterniond, 4> nodal_axes(const model::Model& model, const model::LineElement& element) {
  const Mat3 axes = middle_axes(model, element);
  std::array<Eigen::Quaterniond, 4> result;
  for (std::size_t i = 0; i < 4; ++i) {
    const Vec3 along = derivative_at(model, element.nodes, static_cast<double>(i) / 3.0);
    result[i] = base::rotation_between(axes.col(0), along) * Eigen::Quaterniond(axes);
    if (element.twist[i] != 0.0) result[i] = base::exponential(element.twist[i] * along.normalized()) * result[i];
  }
  return result;
}

namespace {
BeamBatch::Data make(const model::Model& model, const model::LineElement& element) {
  const auto& part = model.parts[static_cast<std::size_t>(element.part)];
  const auto& material = model.materials[static_cast<std::size_t>(part.material)];
  BeamBatch::Data data;
  data.nodes = element.nodes;
  data.part = element.part;
  data.warping = part.warping;
  data.has_arms = part.offset_y != 0.0 || part.offset_z != 0.0;
  data.axes = nodal_axes(model, element);
  Nodes nodes;
  for (std::size_t i = 0; i < 4; ++i) {
    data.arms[i] = data.axes[i] * Vec3(0, part.offset_y, part.offset_z);
    nodes.x[i] = model.nodes[static_cast<std::size_t>(element.nodes[i])] -
                 model.nodes[static_cast<std::size_t>(element.nodes[0])] + data.arms[i];
    nodes.q[i] = as_vector(data.axes[i]);
    if (nodes.q[i].dot(nodes.q[0]) < 0) nodes.q[i] = -nodes.q[i];
  }
  for (std::size_t p = 0; p < 3; ++p) {
    auto& point = data.points[p];
    point.section = section_of(model.section_at(element, model::kGaussStations[p]), material, data.warping);
    point.rigid = rigidity_of(point.section, part.rigid, data.warping, (nodes.x[3] - nodes.x[0]).norm());
    const LineShape shape = line_shape(kPlaces[p]);
    Vec3 along = Vec3::Zero();
    for (std::size_t i = 0; i < 4; ++i) along += shape.dn[i] * nodes.x[i];
    const double stretch = along.norm();
    point.n = shape.n;
    for (std::size_t i = 0; i < 4; ++i) point.dn[i] = shape.dn[i] / stretch;
    point.weight = kWeights[p] * stretch;
    const Sample z = sample(nodes, point);
    point.reference_strain = numerators(z) / z.q.squaredNorm();
  }
  return data;
}
}  // namespace

SectionForces along_element(const std::array<SectionForces, 3>& points, double s) {
  std::array<double, 3> w{};
  for (std::size_t i = 0; i < 3; ++i) {
    w[i] = 1;
    for (std::size_t j = 0; j < 3; ++j)
      if (j != i) w[i] *= (s - kPlaces[j]) / (kPlaces[i] - kPlaces[j]);
  }
  const auto mix = [&](double SectionForces::*value) {
    return w[0] * points[0].*value + w[1] * points[1].*value + w[2] * points[2].*value;
  };
  return {mix(&SectionForces::axial),   mix(&SectionForces::shear_y),  mix(&SectionForces::shear_z),
          mix(&SectionForces::torque),  mix(&SectionForces::moment_y), mix(&SectionForces::moment_z),
          mix(&SectionForces::bimoment)};
}

LineShape line_shape(double s) {
  LineShape shape;
  for (std::size_t i = 0; i < 4; ++i) {
    double value = 1, slope = 0;
    for (std::size_t j = 0; j < 4; ++j) {
      if (i == j) continue;
      const double span = (static_cast<double>(i) - static_cast<double>(j)) / 3.0;
      const double factor = (s - static_cast<double>(j) / 3.0) / span;
      slope = slope * factor + value / span;
      value *= factor;
    }
    shape.n[i] = value;
    shape.dn[i] = slope;
  }
  return shape;
}

BeamBatch::BeamBatch(const model::Model& model) {
  data_.reserve(model.line_elements.size());
  // one set of fibres for all points of one profile, material and kind of torsion
  std::map<std::tuple<int, int, bool>, std::shared_ptr<const material::CrossSection>> known;
  for (const auto& element : model.line_elements) {
    data_.push_back(make(model, element));
    auto& data = data_.back();
    rigid_rows_ = std::max(rigid_rows_, rigid_count(static_cast<int>(data_.size()) - 1));
    const auto& part = model.parts[static_cast<std::size_t>(element.part)];
    const auto& material = model.materials[static_cast<std::size_t>(part.material)];
    if (!material.flows()) continue;
    data.memory = memory_size_;
    for (std::size_t p = 0; p < data.points.size(); ++p) {
      auto& point = data.points[p];
      const int profile = model.profile_at(element, model::kGaussStations[p]);
      auto& fibres = known[{profile, part.material, data.warping}];
      if (!fibres)
        fibres = fibres_of(model.profiles[static_cast<std::size_t>(profile)], material, point.section, data.warping);
      point.fibres = fibres;
      point.memory = data.memory_size;
      data.memory_size += fibres->memory_size();
    }
    memory_size_ += data.memory_size;
  }
}

namespace {
void start_points(const BeamBatch::Data& data, double* memory) {
  for (const auto& point : data.points)
    if (point.fibres) point.fibres->start(memory + point.memory);
}

detail::OwnMemory memory_in(const Trial& trial, const BeamBatch::Data& data) {
  return {trial, data.memory, data.memory_size, [&](double* memory) { start_points(data, memory); }};
}
}  // namespace

int BeamBatch::rigid_count(int element) const {
  int count = 0;
  for (const auto& point : data_[static_cast<std::size_t>(element)].points)
    if (point.rigid) count += static_cast<int>(point.rigid->soft.size());
  return count;
}

FlowRecords BeamBatch::flow_records(int element) const {
  const auto& data = data_[static_cast<std::size_t>(element)];
  const auto& fibres = data.points[0].fibres;
  if (!fibres) return {};
  // tapered members have as many fibres at every point only where the shape is the same: reported point by point
  // otherwise
  const auto of_one = static_cast<std::size_t>(fibres->fibres());
  const std::size_t records = data.memory_size / fibres->law().memory().size();
  return of_one * data.points.size() == records
             ? detail::flow_records_of(fibres->law(), data.memory, data.points.size(), of_one)
             : detail::flow_records_of(fibres->law(), data.memory, 1, records);
}

void BeamBatch::start_memory(double* block) const {
  for (const auto& data : data_) start_points(data, block + data.memory);
}

base::Verdict BeamBatch::evaluate(const Trial& trial, const int* elements, int count, const Outputs& out,
                                  const StressSource& source) const {
  Sums sums;
  const int rows = out.rigid != nullptr ? rigid_rows_ : 0;
  for (int k = 0; k < count; ++k) {
    const auto& data = data_[static_cast<std::size_t>(elements[k])];
    const auto memory = memory_in(trial, data);
    const Tried tried{data, gather(data, trial.state), source, memory.before, memory.after};
    const auto at = [&](double* base, int stride) {
      return base == nullptr ? nullptr : base + static_cast<std::ptrdiff_t>(stride) * k;
    };
    const bool remembers = data.memory_size > 0 && trial.next != nullptr && source.linear == nullptr;
    if (out.force != nullptr || remembers) internal_force(tried, sums, at(out.force, 28));
    if (out.tangent != nullptr || out.geometric != nullptr)
      stiffness(tried, sums, at(out.tangent, 784), at(out.geometric, 784), at(out.rigid, 29 * rows));
  }
  return base::Verdict::good;
}

material::Energy BeamBatch::energy(const Trial& trial, int element) const {
  const auto& data = data_[static_cast<std::size_t>(element)];
  const auto memory = memory_in(trial, data);
  const Nodes nodes = gather(data, trial.state);
  material::Energy sum;
  for (const auto& point : data.points) {
    const Sample z = sample(nodes, point);
    sum += point.weight * energy_of(point, strains(z, numerators(z)), stress_free(point, nodes.free_strain),
                                    point.fibres ? memory.before + point.memory : nullptr);
  }
  return sum;
}

std::array<SectionForces, 3> BeamBatch::section_forces(const Trial& trial, int element,
                                                       const Eigen::VectorXd* linear) const {
  const auto& data = data_[static_cast<std::size_t>(element)];
  const auto memory = memory_in(Trial(trial.state, trial.committed, nullptr), data);
  const StressSource source{linear, nullptr, nullptr, nullptr};
  const Tried tried{data, gather(data, trial.state), source, memory.before, memory.after};
  std::array<SectionForces, 3> forces;
  for (std::size_t p = 0; p < 3; ++p) {
    const auto& point = data.points[p];
    const Sample z = sample(tried.nodes, point);
    const Vec6 f = numerators(z);
    const Mat8x13 b = gradient(z, f);
    Response r = response_of(tried, point, z, f, b, false);
    if (linear == nullptr && trial.state.correction.size() > 0) {
      const Vec8 more = b * variation(data, point, tried.nodes, trial.state.correction);
      r.sigma += r.material * more;
      if (point.rigid) r.sigma += rigid_stress(*point.rigid, more);
    }
    forces[p] = {r.sigma[0], r.sigma[1], r.sigma[2], r.sigma[3], r.sigma[4], r.sigma[5], r.sigma[7]};
  }
  return forces;
}

const std::array<double, 3>& line_gauss_places() {
  return kPlaces;
}

Mat3 BeamBatch::axes(int element) const {
  const auto& data = data_[static_cast<std::size_t>(element)];
  const double sign = data.axes[1].dot(data.axes[2]) < 0 ? -1 : 1;
  Eigen::Quaterniond middle;
  middle.coeffs() = data.axes[1].coeffs() + sign * data.axes[2].coeffs();
  return middle.normalized().toRotationMatrix();
}

}  // namespace archway::elements
