#pragma once
#include "archway/elements/state.hpp"

namespace archway::elements::detail {

/// Second-order stiffness of a force on the end of an arm, on the spins of its root.
inline Mat3 arm_term(const Vec3& force, const Vec3& arm) {
  return 0.5 * (force * arm.transpose() + arm * force.transpose()) - force.dot(arm) * Mat3::Identity();
}

/// Brings element force and stiffness from points that nodes carry on arms (which rotate with the node) to the nodes.
/// \param arms    as they point now, one a node; \param forces  on the points, as the stiffness knows them
/// \param width   degrees of freedom a node, translations and spins first; \param force, matrices  of the element;
/// nullptr: none
inline void bring_to_nodes(const Vec3* arms, const Vec3* forces, int nodes, int width, double* force,
                           std::initializer_list<double*> matrices) {
  const Eigen::Index n = static_cast<Eigen::Index>(nodes) * width;
  for (int i = 0; i < nodes; ++i) {
    const Eigen::Index x = static_cast<Eigen::Index>(i) * width, rotation = x + 3;
    const Mat3 arm = base::skew(arms[i]);
    if (force != nullptr) {
      Eigen::Map<Eigen::VectorXd> f(force, n);
      f.segment<3>(rotation) += arms[i].cross(Vec3(f.segment<3>(x)));
    }
    for (double* matrix : matrices) {
      if (matrix == nullptr) continue;
      Eigen::Map<Eigen::MatrixXd> k(matrix, n, n);
      k.middleCols<3>(rotation) -= k.middleCols<3>(x) * arm;
      k.middleRows<3>(rotation) += arm * k.middleRows<3>(x);
      k.block<3, 3>(rotation, rotation) += arm_term(forces[i], arms[i]);
    }
  }
}

}  // namespace archway::elements::detail
