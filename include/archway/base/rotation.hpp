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

/// Unit quaternion of the smallest rotation that takes the direction of `from` to that of `to`. Where they are opposite
/// the axis is any direction at right angles to them. \param from, to  any length > 0
Eigen::Quaterniond rotation_between(const Vec3& from, const Vec3& to);

/// Sine of the angle below which a line runs along `up`: three minutes of arc, far above rounding and far below any
/// inclination that is meant.
constexpr double kRunsAlong = 1e-3;
/// The line runs along `up` (or against it), so that `up` does not say where its third axis points.
bool runs_along(const Vec3& along, const Vec3& up);
/// What the third axis of a line leans to: `up`; of a line that runs along `up` the global x axis; and of one that runs
/// along x as well (within 25 degrees) the global y axis. The only rule of the program for lines that run along `up`:
/// no comparison of components that may be equal, so rounding cannot tip it.
Vec3 leaning(const Vec3& along, const Vec3& up);

/// Right-handed orthonormal axes (columns 1, 2, 3): column 1 along `along`, column 3 as close to leaning(along, up) as
/// possible. \param along  any length > 0
Mat3 axes_from(const Vec3& along, const Vec3& up);

}  // namespace archway::base
