#include "archway/analysis/system.hpp"

namespace archway::analysis {

using Eigen::MatrixXd;

MatrixXd System::forms_by_part(const State& state, const elements::StressSource& source, bool geometric,
                               const MatrixXd& shapes) const {
  const auto parts = static_cast<Eigen::Index>(model_->parts.size());
  MatrixXd sums = MatrixXd::Zero(parts + 1, shapes.cols());
  each_form(state, source, geometric, shapes, [&](ElementKind, int, int part, const Eigen::VectorXd& values) {
    sums.row(part < 0 ? parts : part) += values.transpose();
  });
  return sums;
}

void System::each_form(const State& state, const elements::StressSource& source, bool geometric, const MatrixXd& shapes,
                       const FormUse& use) const {
  for (const auto& set : geometry_->sets()) {
    const Eigen::Index n = set.batch->dof_count();
    MatrixXd values(shapes.cols(), set.batch->size());
    executor_->for_range(
        set.batch->size(),
        [&](int begin, int end) {
          MatrixXd matrix(n, n), own(n, shapes.cols()), rigid(n + 1, geometric ? 0 : set.batch->rigid_rows());
          elements::Outputs out;
          (geometric ? out.geometric : out.tangent) = matrix.data();
          if (rigid.cols() > 0) out.rigid = rigid.data();
          for (int e = begin; e < end; ++e) {
            (void)set.batch->evaluate(state, &e, 1, out, source);  // the state was accepted before
            const auto dofs = Topology::dofs_of(*set.batch, e);
            for (Eigen::Index i = 0; i < n; ++i) own.row(i) = shapes.row(dofs[static_cast<std::size_t>(i)]);
            values.col(e) = own.cwiseProduct(matrix * own).colwise().sum().transpose();
            for (int r = 0; r < (rigid.cols() > 0 ? set.batch->rigid_count(e) : 0); ++r)
              values.col(e) +=
                  elements::kRigid / rigid(n, r) * (rigid.col(r).head(n).transpose() * own).cwiseAbs2().transpose();
          }
        },
        64);
    for (int e = 0; e < set.batch->size(); ++e)
      use(set.kind, set.in_model[static_cast<std::size_t>(e)], set.batch->part(e), values.col(e));
  }
}

}  // namespace archway::analysis
