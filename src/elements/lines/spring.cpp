#include "archway/elements/spring.hpp"

#include "core/jet_detail.hpp"
#include "core/memory_detail.hpp"

namespace archway::elements {

namespace {
using Data = SpringBatch::Data;
using Vec6 = SpringBatch::Vec6;
using Vec12 = Eigen::Matrix<double, 12, 1>;
using Mat12 = Eigen::Matrix<double, 12, 12>;
using J = detail::Jet<12>;
using J3 = std::array<J, 3>;
struct JQuaternion {
  J w;
  J3 v;
};

J dot(const J3& a, const J3& b) {
  return a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
}
J3 cross(const J3& a, const J3& b) {
  return {a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]};
}
JQuaternion product(const JQuaternion& a, const JQuaternion& b) {
  const J3 c = cross(a.v, b.v);
  JQuaternion q{a.w * b.w - dot(a.v, b.v), {}};
  for (std::size_t k = 0; k < 3; ++k) q.v[k] = a.w * b.v[k] + b.w * a.v[k] + c[k];
  return q;
}
JQuaternion conjugate(JQuaternion q) {
  for (J& v : q.v) v = -1.0 * v;
  return q;
}
/// conj(q) x q for a unit quaternion.
J3 reversed_path(const JQuaternion& q, const J3& x) {
  const J3 a = cross(q.v, x), b = cross(q.v, a);
  J3 y;
  for (std::size_t k = 0; k < 3; ++k) y[k] = x[k] - 2.0 * (q.w * a[k]) + 2.0 * b[k];
  return y;
}

/// exp(spin) q to second order in the spin, whose variables begin at `first`.
JQuaternion spun(const Eigen::Quaterniond& q, int first) {
  JQuaternion s{J(1), {}};
  for (int k = 0; k < 3; ++k) {
    const J spin = J::variable(0, first + k);
    s.w -= 0.125 * (spin * spin);
    s.v[static_cast<std::size_t>(k)] = 0.5 * spin;
  }
  return product(s, {J(q.w()), {J(q.x()), J(q.y()), J(q.z())}});
}

/// Rotation vector of a unit quaternion: factor times its vector part, with the factor 2 atan2(|v|, w) / |v|.
J3 rotation_vector(JQuaternion q) {
  if (q.w.v < 0) {
    q.w = -1.0 * q.w;
    q = {q.w, {-1.0 * q.v[0], -1.0 * q.v[1], -1.0 * q.v[2]}};
  }
  const J s = dot(q.v, q.v);  // sin^2 of half the angle
  J factor;
  if (s.v < 1e-6) {
    // 2 asin(x) / x = 2 + x^2 / 3 + 3 x^4 / 20 + ...
    factor = s.through(2 + s.v / 3 + 0.15 * s.v * s.v, 1.0 / 3 + 0.3 * s.v, 0.3);
  } else {
    // as a function of s = sin^2 (a/2) through the angle a: f = a / sin(a/2)
    const double half = std::atan2(std::sqrt(s.v), q.w.v), sine = std::sin(half), cosine = std::cos(half);
    const double da = 1 / (2 * sine * cosine);  // d half / d s
    const double dda = -da * da * (cosine * cosine - sine * sine) / (sine * cosine);
    const double f = 2 * half / sine, df = 2 / sine - 2 * half * cosine / (sine * sine);
    const double ddf =
        -4 * cosine / (sine * sine) + 2 * half / sine + 4 * half * cosine * cosine / (sine * sine * sine);
    factor = s.through(f, df * da, ddf * da * da + df * dda);
  }
  return {factor * q.v[0], factor * q.v[1], factor * q.v[2]};
}

/// The six strains with their derivatives by (move, spin) of the two nodes.
std::array<J, 6> strains(const Data& data, const State& state) {
  const auto node = [&](std::size_t k) { return static_cast<std::size_t>(data.nodes[k]); };
  J3 apart;
  for (int k = 0; k < 3; ++k) {
    const auto i = static_cast<std::size_t>(k);
    if (data.grounded) {
      apart[i] = J::variable((state.position[node(1)][k] - data.anchor[k]) + state.remainder[node(1)][k], 6 + k);
    } else {  // of the second node from the first: with opposite derivatives
      apart[i] = J::variable(state.between(data.nodes[0], data.nodes[1])[k], 6 + k);
      apart[i] -= J::variable(0, k);
    }
  }
  const JQuaternion second = spun(state.rotation[node(1)], 9);
  JQuaternion first{J(1), {}}, mean{J(1), {}};
  if (!data.grounded) {
    Eigen::Quaterniond other = state.rotation[node(0)];
    if (other.dot(state.rotation[node(1)]) < 0) other.coeffs() = -other.coeffs();
    first = spun(other, 3);
    mean = {first.w + second.w, {first.v[0] + second.v[0], first.v[1] + second.v[1], first.v[2] + second.v[2]}};
    const J size = sqrt(mean.w * mean.w + dot(mean.v, mean.v));
    mean = {mean.w / size, {mean.v[0] / size, mean.v[1] / size, mean.v[2] / size}};
  }
  const J3 move = data.fixed_axes ? apart : reversed_path(mean, apart);
  const J3 rotation = rotation_vector(data.grounded ? second : product(conjugate(first), second));
  std::array<J, 6> e;
  for (int a = 0; a < 3; ++a) {
    const auto i = static_cast<std::size_t>(a);
    for (int k = 0; k < 3; ++k) {
      e[i] += data.axes(k, a) * move[static_cast<std::size_t>(k)];
      e[i + 3] += data.axes(k, a) * rotation[static_cast<std::size_t>(k)];
    }
    e[i] -= J(data.distance[a]);
  }
  return e;
}

Vec12 step_of(const Data& data, const Eigen::VectorXd& u) {
  Vec12 step = Vec12::Zero();
  step << u.segment<6>(model::row(data.nodes[0])), u.segment<6>(model::row(data.nodes[1]));
  return step;
}

/// Strains by the values of the state, or those of linear theory. \param free  what it is too long by along axis 1
Vec6 strain_values(const std::array<J, 6>& e, const Vec12* linear, double free) {
  Vec6 s;
  for (std::size_t i = 0; i < 6; ++i)
    s[static_cast<Eigen::Index>(i)] = linear == nullptr ? e[i].v : e[i].g.dot(*linear);
  s[0] -= free;
  return s;
}

struct Pull {
  Vec6 force, modulus;
};
/// \param before, after  memory of the spring's curves
Pull pull(const Data& data, const Vec6& strain, bool linear, const double* before, double* after) {
  Pull p{data.stiffness.cwiseProduct(strain), data.stiffness};
  if (linear) return p;
  for (std::size_t i = 0; i < 6; ++i) {
    if (!data.laws[i]) continue;
    const auto row = static_cast<Eigen::Index>(i);
    const auto answer = data.laws[i]->respond(strain.segment<1>(row), 0, before, after);
    p.force[row] = answer.stress[0];
    p.modulus[row] = answer.tangent(0, 0);
    before += data.laws[i]->memory().size();
    after += data.laws[i]->memory().size();
  }
  return p;
}

void start(const Data& data, double* memory) {
  for (const auto& law : data.laws)
    for (std::size_t k = 0; law && k < law->memory().size(); ++k) *memory++ = law->memory()[k].start;
}
detail::OwnMemory memory_in(const Trial& trial, const Data& data) {
  return {trial, data.memory, data.memory_size, [&](double* memory) { start(data, memory); }};
}
}  // namespace

SpringBatch::SpringBatch(const model::Model& model) : parts_(static_cast<int>(model.parts.size())) {
  for (const auto& s : model.springs) {
    Data data;
    data.grounded = s.second < 0;
    data.nodes = {s.first, data.grounded ? s.first : s.second};
    data.stiffness = Vec6(s.stiffness.data());
    data.axes = s.axes;
    const Vec3 first = model.nodes[static_cast<std::size_t>(data.nodes[0])];
    data.anchor = first;
    if (!data.grounded) data.distance = s.axes.transpose() * (model.nodes[static_cast<std::size_t>(s.second)] - first);
    data.fixed_axes = s.as_if_in_one_place && data.distance.norm() > 0;
    for (std::size_t i = 0; i < 6; ++i) {
      if (s.curves[i] < 0) continue;
      data.laws[i] = material::curve_law(model.spring_curves[static_cast<std::size_t>(s.curves[i])].curve);
      data.stiffness[static_cast<Eigen::Index>(i)] = data.laws[i]->stiffness()(0, 0);
      data.memory_size += data.laws[i]->memory().size();
    }
    data.memory = memory_size_;
    memory_size_ += data.memory_size;
    data_.push_back(data);
  }
}

void SpringBatch::start_memory(double* block) const {
  for (const auto& data : data_) start(data, block + data.memory);
}

bool SpringBatch::uses(int element, int dof) const {
  const auto& data = data_[static_cast<std::size_t>(element)];
  // across a distance a force rotates its ends as well
  return dof < 3 || !data.stiffness.tail<3>().isZero(0.0) || (data.distance.norm() > 0 && !data.fixed_axes);
}

SpringBatch::Sides SpringBatch::sides_at_rest(int element, int axis) const {
  constexpr double kBeside = 1e-200;  // on one side of the corner at zero, before any other
  const auto& data = data_[static_cast<std::size_t>(element)];
  const auto& law = data.laws[static_cast<std::size_t>(axis)];
  if (!law) return {data.stiffness[axis], data.stiffness[axis]};
  std::vector<double> before, after(law->memory().size());
  for (const auto& field : law->memory()) before.push_back(field.start);
  const auto slope = [&](double strain) {
    return law->respond(material::Law<1>::Vector(strain), 0, before.data(), after.data()).tangent(0, 0);
  };
  return {slope(-kBeside), slope(kBeside)};
}

Vec12 SpringBatch::strain_gradient(int element, int axis, const State& state) const {
  return strains(data_[static_cast<std::size_t>(element)], state)[static_cast<std::size_t>(axis)].g;
}

base::Verdict SpringBatch::evaluate(const Trial& trial, const int* elements, int count, const Outputs& out,
                                    const StressSource& source) const {
  for (int k = 0; k < count; ++k) {
    const auto& data = data_[static_cast<std::size_t>(elements[k])];
    const auto e = strains(data, trial.state);
    Vec12 linear = Vec12::Zero();
    if (source.linear != nullptr) linear = step_of(data, *source.linear);
    const auto memory = memory_in(trial, data);
    const bool linearly = source.linear != nullptr;
    const double free = trial.state.free_strain(expands(elements[k]));
    const Pull own =
        pull(data, strain_values(e, linearly ? &linear : nullptr, free), linearly, memory.before, memory.after);
    const Vec6 force = own.force;
    Vec6 stress = force;
    if (!linearly && source.previous != nullptr) {
      const auto last = strains(data, *source.previous);
      const Vec12 step = step_of(data, *source.step);
      std::vector<double> thrown_away(data.memory_size);
      stress = pull(data, strain_values(last, nullptr, free) + strain_values(last, &step, 0), false, memory.before,
                    thrown_away.data())
                   .force;
    }
    Vec12 f = Vec12::Zero();
    Mat12 material = Mat12::Zero(), geometric = Mat12::Zero();
    for (std::size_t i = 0; i < 6; ++i) {
      const auto row = static_cast<Eigen::Index>(i);
      f += force[row] * e[i].g;
      material += own.modulus[row] * e[i].g * e[i].g.transpose();
      geometric += stress[row] * e[i].h;
    }
    if (out.force != nullptr) Eigen::Map<Vec12>(out.force + 12 * k) = f;
    if (out.tangent != nullptr) Eigen::Map<Mat12>(out.tangent + 144 * k) = material + geometric;
    if (out.geometric != nullptr) Eigen::Map<Mat12>(out.geometric + 144 * k) = geometric;
  }
  return base::Verdict::good;
}

material::Energy SpringBatch::energy(const Trial& trial, int element) const {
  const auto& data = data_[static_cast<std::size_t>(element)];
  const Vec6 strain = strain_values(strains(data, trial.state), nullptr, trial.state.free_strain(expands(element)));
  const auto own = memory_in(trial, data);
  const double* memory = own.before;
  material::Energy sum;
  for (std::size_t i = 0; i < 6; ++i) {
    const auto row = static_cast<Eigen::Index>(i);
    if (!data.laws[i]) {
      sum.stored += 0.5 * data.stiffness[row] * strain[row] * strain[row];
      continue;
    }
    sum += data.laws[i]->energy(strain.segment<1>(row), 0, memory);
    memory += data.laws[i]->memory().size();
  }
  return sum;
}

Vec6 SpringBatch::forces(const Trial& trial, int element, const Eigen::VectorXd* linear) const {
  const auto& data = data_[static_cast<std::size_t>(element)];
  Vec12 step = Vec12::Zero();
  if (linear != nullptr) step = step_of(data, *linear);
  const auto memory = memory_in(Trial(trial.state, trial.committed, nullptr), data);
  const auto e = strains(data, trial.state);
  Vec6 strain = strain_values(e, linear == nullptr ? nullptr : &step, trial.state.free_strain(expands(element)));
  if (linear == nullptr && trial.state.correction.size() > 0) {
    const Vec12 more = step_of(data, trial.state.correction);
    strain += strain_values(e, &more, 0);
  }
  return pull(data, strain, linear != nullptr, memory.before, memory.after).force;
}

}  // namespace archway::elements
