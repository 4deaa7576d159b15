#pragma once
#include <functional>

#include "archway/base/dense.hpp"
#include "archway/base/rotation.hpp"

namespace archway::study::detail {

using base::Vec3;

/// Plane that fits values at some places best: value in the middle, and how it grows.
template <class Value>
struct Fit {
  Vec3 about = Vec3::Zero();
  Eigen::Matrix<double, Eigen::Dynamic, 1> middle;
  Eigen::Matrix<double, Eigen::Dynamic, 3> gradient;
  Fit(const std::vector<Vec3>& places, const std::function<Value(const Vec3&)>& field) {
    for (const Vec3& x : places) about += x / static_cast<double>(places.size());
    const auto count = static_cast<Eigen::Index>(places.size());
    Eigen::MatrixXd arms(count, 3), values;
    for (Eigen::Index i = 0; i < count; ++i) {
      const Vec3& x = places[static_cast<std::size_t>(i)];
      arms.row(i) = (x - about).transpose();
      const Eigen::Matrix<double, Eigen::Dynamic, 1> v = Eigen::VectorXd::Map(at(field(x)).data(), kSize);
      if (i == 0) values = Eigen::MatrixXd::Zero(count, kSize);
      values.row(i) = v.transpose();
    }
    middle = values.colwise().mean().transpose();
    // threshold: a flat face reports nothing about growth off its plane
    gradient = base::least_squares(arms, values, 1e-6).transpose();
  }

 private:
  static constexpr Eigen::Index kSize = std::is_same_v<Value, double> ? 1 : 3;
  static Eigen::Matrix<double, kSize, 1> at(const Value& v) {
    if constexpr (std::is_same_v<Value, double>)
      return Eigen::Matrix<double, 1, 1>(v);
    else
      return v;
  }
};

}  // namespace archway::study::detail
