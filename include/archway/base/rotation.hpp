#pragma once
#include <Eigen/Core>
#include <Eigen/Geometry>

namespace archway::base {

using Vec3 = Eigen::Vector3d;
using Mat3 = Eigen::Matrix3d;

/// Matrix S with S b = a x b.
Mat3 skew(const Vec3& a);

/// Unit quaternion of the rotation by |spin| radians about spin (exponential map), exact for any size.
Eigen::Quaterniond exponential(const Vec3& spin);

/// Rotation vector of a unit quaternion, length in [0, pi].
Vec3 rotation_vector(const Eigen::Quaterniond& rotation);

/// Right-handed orthonormal axes (columns 1, 2, 3): column 1 along `along`, column 3 as close to `up` as possible.
/// \param along  any length > 0
/// \param up     must not be parallel to `along`; when it nearly is (sine below 1e-6) a fixed substitute is taken:
///               the global axis least parallel to `along`
Mat3 axes_from(const Vec3& along, const Vec3& up);

}  // namespace archway::base
