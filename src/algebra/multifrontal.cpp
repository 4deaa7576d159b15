#include <cstring>
#include <dmumps_c.h>
#include <mutex>
#include <string_view>

#include <fmt/format.h>

#include "archway/base/dense.hpp"
#include "archway/base/errors.hpp"
#include "archway/base/memory.hpp"
#include "factor_backend_detail.hpp"

namespace archway::algebra::detail {

namespace {
// MUMPS counts from 1 and starts, works and ends by "job"
constexpr int kStart = -1, kEnd = -2, kAnalyse = 1, kFactor = 2, kSolve = 3;
constexpr int kOutOfSpace1 = -8, kOutOfSpace2 = -9, kSingular = -10, kNoMemory = -13, kOverLimit = -19;

/// The library keeps what it works with in variables of its own while it runs: one factorisation or solution at a time
/// in a process, however many analyses there are. Nothing is kept there from one call to the next.
std::mutex library;

/// A size in megabytes from INFOG(2): entries of eight bytes, millions of them when negative.
double megabytes_of(int entries) {
  return (entries < 0 ? -1e6 * entries : 1.0 * entries) * 8 / (1 << 20);
}

class Multifrontal final : public FactorBackend {
 public:
  explicit Multifrontal(std::shared_ptr<const SymmetricPattern> shared) : pattern_(std::move(shared)) {
    base::keep_blas_serial();  // fronts are small
    std::memset(&mumps_, 0, sizeof mumps_);
    mumps_.par = 1;
    mumps_.sym = 2;
    mumps_.comm_fortran = -987654;  // MUMPS' own name for "the world"
    run(kStart);
    for (const int stream : {1, 2, 3, 4}) control(stream) = stream == 4 ? 0 : -1;  // say nothing
    control(6) = 0;   // no matching: keeps the order ours and the analysis free of values
    control(7) = 1;   // order given by us
    control(12) = 1;  // no compressed graph
    control(13) = 1;  // inertia is exact only then
    if (pattern_->multipliers() > 0) control(8) = 0;  // scaled, pivots of multipliers lose all digits
    control(14) = 10;  // percent of spare room for delayed pivots; factor() asks for more when it must
    control(27) = 16;  // right-hand sides worked on together
    narrow_panels();
  }
  ~Multifrontal() override { run(kEnd); }

  FactorOutcome factor(const SymmetricMatrix& matrix, FactorCost& cost) override {
    if (!analysed_) {
      analyse();
      ++cost.analyses;
    }
    ++cost.factorisations;
    if (const double limit = base::memory_limit_megabytes(); mumps_.infog[0] >= 0 && needs_ > limit)
      return too_large(limit);
    refined_.reset();
    if (pattern_->multipliers() > 0) refined_ = std::make_unique<SymmetricMatrix>(matrix);
    factor_values(matrix);
    return outcome(matrix, cost);
  }

  /// With multipliers solutions are refined once: their rows are of other sizes than the rest.
  void solve(Eigen::Ref<Eigen::MatrixXd> b) override {
    if (!refined_) return solve_once(b);
    const Eigen::MatrixXd right = b;
    solve_once(b);
    Eigen::MatrixXd left = right - refined_->times(b);
    solve_once(left);
    b += left;
  }

 private:
  void solve_once(Eigen::Ref<Eigen::MatrixXd> b) {
    mumps_.nrhs = static_cast<int>(b.cols());
    mumps_.lrhs = static_cast<int>(b.outerStride());
    mumps_.rhs = b.data();
    run(kSolve);
    if (const int status = mumps_.infog[0]; status == kNoMemory || status == kOverLimit)
      throw base::OutOfMemory(fmt::format("solving needs another {:.3g} MB", megabytes_of(mumps_.infog[1])));
    else if (status < 0)
      throw SolverError(fmt::format("the sparse solver could not solve (code {}, {})", status, mumps_.infog[1]));
  }
  int& control(int number) { return mumps_.icntl[number - 1]; }
  void run(int job) {
    const std::lock_guard<std::mutex> one_at_a_time(library);
    mumps_.job = job;
    dmumps_c(&mumps_);
    if (job == kStart) narrow_panels();
  }

  /// Panels of a front that suit fronts of shells: measured at 1.4 times the pace. The places are undocumented, so they
  /// are touched in the versions only that they were measured with.
  void narrow_panels() {
    if (std::string_view(mumps_.version_number).substr(0, 4) != "5.5.") return;
    mumps_.keep[4 - 1] = 4;
    mumps_.keep[5 - 1] = 4;
    mumps_.keep[6 - 1] = 8;
  }

  void analyse() {
    rows_.reserve(pattern_->entry_count());
    columns_.reserve(pattern_->entry_count());
    for (int j = 0; j < pattern_->size(); ++j)
      for (auto p = pattern_->first_entry(j); p < pattern_->first_entry(j + 1); ++p) {
        rows_.push_back(pattern_->row(p) + 1);
        columns_.push_back(j + 1);
      }
    for (const int p : pattern_->elimination_place()) place_.push_back(p + 1);
    mumps_.n = pattern_->size();
    mumps_.nnz = static_cast<MUMPS_INT8>(rows_.size());
    mumps_.irn = rows_.data();
    mumps_.jcn = columns_.data();
    mumps_.perm_in = place_.data();
    run(kAnalyse);
    narrow_panels();
    analysed_ = mumps_.infog[0] >= 0;
    needs_ = mumps_.infog[16];  // INFOG(17): megabytes for all of it
  }

  void factor_values(const SymmetricMatrix& matrix) {
    mumps_.a = const_cast<double*>(matrix.values.data());      // the C interface has no const; MUMPS only reads it
    const int attempts = pattern_->multipliers() > 0 ? 8 : 4;  // multipliers delay many pivots in small fronts
    for (int attempt = 0; attempt < attempts && analysed_; ++attempt) {
      run(kFactor);
      const int status = mumps_.infog[0];
      if (status != kOutOfSpace1 && status != kOutOfSpace2) break;
      control(14) = 3 * control(14) + 20;  // more delayed pivots than expected: ask for more room and repeat
    }
  }

  FactorOutcome too_large(double limit) const {
    FactorOutcome outcome;
    outcome.ending = FactorEnding::out_of_memory;
    outcome.megabytes = needs_;
    outcome.message = fmt::format("solving {} equations takes about {:.3g} GB, the limit is {:.3g} GB", mumps_.n,
                                  needs_ / 1024, limit / 1024);
    return outcome;
  }

  FactorOutcome outcome(const SymmetricMatrix& matrix, FactorCost& cost) {
    FactorOutcome outcome;
    const int status = mumps_.infog[0], detail = mumps_.infog[1];
    if (status == kSingular) {
      outcome.ending = FactorEnding::singular;
      outcome.message = "the matrix is singular";
      outcome.where = vanished_pivots(matrix);
    } else if (status == kOutOfSpace1 || status == kOutOfSpace2) {  // however much room there was for delayed pivots
      outcome.ending = FactorEnding::singular;
      outcome.message = "no pivots are found that are large enough";
    } else if (status == kNoMemory || status == kOverLimit) {
      outcome.ending = FactorEnding::out_of_memory;
      outcome.megabytes = megabytes_of(detail);
      outcome.message =
          fmt::format("factorising {} equations needs another {:.3g} MB than there are", mumps_.n, outcome.megabytes);
    } else if (status < 0) {
      outcome.ending = FactorEnding::failed;
      outcome.message = fmt::format("the sparse solver gave up (code {}, {})", status, detail);
    } else {
      outcome.ending = FactorEnding::done;
      outcome.negative_pivots = mumps_.infog[11] - matrix.negative_multipliers();
      outcome.message = "";
      // INFOG(29): entries in the factors; negative values count millions
      cost.storage_bytes = 8.0 * (mumps_.infog[28] < 0 ? -1e6 * mumps_.infog[28] : mumps_.infog[28]);
    }
    return outcome;
  }

  /// Equations whose pivots vanish: a factorisation that steps over them.
  std::vector<int> vanished_pivots(const SymmetricMatrix& matrix) {
    control(24) = 1;
    factor_values(matrix);
    control(24) = 0;
    std::vector<int> list;
    for (int k = 0; mumps_.infog[0] >= 0 && k < mumps_.infog[27]; ++k)  // INFOG(28): how many
      if (const int equation = mumps_.pivnul_list[k] - 1; equation < pattern_->own()) list.push_back(equation);
    return list;
  }

  std::shared_ptr<const SymmetricPattern> pattern_;
  std::unique_ptr<SymmetricMatrix> refined_;  // what is factorised, where there are multipliers
  std::vector<int> rows_, columns_, place_;
  DMUMPS_STRUC_C mumps_;
  double needs_ = 0;
  bool analysed_ = false;
};
}  // namespace

std::unique_ptr<FactorBackend> multifrontal(std::shared_ptr<const SymmetricPattern> pattern) {
  return std::make_unique<Multifrontal>(std::move(pattern));
}

}  // namespace archway::algebra::detail
