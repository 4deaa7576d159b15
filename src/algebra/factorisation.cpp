#include "archway/algebra/factorisation.hpp"

#include <cstring>
#include <dmumps_c.h>

#include <fmt/format.h>

#include "archway/base/errors.hpp"
#include "archway/base/memory.hpp"
#include "archway/base/thread_pool.hpp"

// Present when BLAS is OpenBLAS. Its threads pay in the large fronts of a factorisation and cost in solves.
extern "C" void openblas_set_num_threads(int) __attribute__((weak));

namespace archway::algebra {

namespace {
void blas_threads(int count) {
  if (openblas_set_num_threads != nullptr) openblas_set_num_threads(count);
}

// MUMPS counts from 1 and starts, works and ends by "job"
constexpr int kStart = -1, kEnd = -2, kAnalyse = 1, kFactor = 2, kSolve = 3;
constexpr int kOutOfSpace1 = -8, kOutOfSpace2 = -9, kSingular = -10;
}  // namespace

struct Factorisation::Backend {
  std::shared_ptr<const SymmetricPattern> pattern;
  std::vector<int> rows, columns, place;
  std::vector<double> values;
  DMUMPS_STRUC_C mumps;
  FactorCost cost;
  bool analysed = false;

  int& control(int number) { return mumps.icntl[number - 1]; }

  explicit Backend(std::shared_ptr<const SymmetricPattern> shared) : pattern(std::move(shared)) {
    std::memset(&mumps, 0, sizeof mumps);
    mumps.par = 1;
    mumps.sym = 2;
    mumps.comm_fortran = -987654;  // MUMPS' own name for "the world"
    mumps.job = kStart;
    dmumps_c(&mumps);
    for (const int stream : {1, 2, 3, 4}) control(stream) = stream == 4 ? 0 : -1;  // say nothing
    control(6) = 0;    // no matching: keeps the order ours and the analysis free of values
    control(7) = 1;    // order given by us
    control(12) = 1;   // no compressed graph
    control(13) = 1;   // inertia is exact only then
    control(14) = 10;  // percent of spare room for delayed pivots; factor() asks for more when it must
    control(27) = 16;  // right-hand sides worked on together
  }
  Backend(const Backend&) = delete;
  Backend& operator=(const Backend&) = delete;
  ~Backend() {
    mumps.job = kEnd;
    dmumps_c(&mumps);
  }

  void analyse() {
    rows.reserve(pattern->entry_count());
    columns.reserve(pattern->entry_count());
    for (int j = 0; j < pattern->size(); ++j)
      for (int p = pattern->column_start()[static_cast<std::size_t>(j)];
           p < pattern->column_start()[static_cast<std::size_t>(j) + 1]; ++p) {
        rows.push_back(pattern->row_index()[static_cast<std::size_t>(p)] + 1);
        columns.push_back(j + 1);
      }
    for (const int p : pattern->elimination_place()) place.push_back(p + 1);
    mumps.n = pattern->size();
    mumps.nnz = static_cast<MUMPS_INT8>(rows.size());
    mumps.irn = rows.data();
    mumps.jcn = columns.data();
    mumps.perm_in = place.data();
    mumps.job = kAnalyse;
    dmumps_c(&mumps);
    analysed = mumps.infog[0] >= 0;
    // INFOG(17): megabytes for all of it
    if (const double needs = mumps.infog[16], limit = base::memory_limit_megabytes(); analysed && needs > limit)
      throw base::InputError("",
                             fmt::format("solving {} equations takes about {:.3g} GB, the limit is {:.3g} GB", mumps.n,
                                         needs / 1024, limit / 1024),
                             "use fewer elements, or a machine with more memory (ARCHWAY_MEMORY_MB sets the limit)");
  }
};

Factorisation::Factorisation(std::shared_ptr<const SymmetricPattern> pattern)
    : backend_(std::make_unique<Backend>(std::move(pattern))) {}
Factorisation::~Factorisation() = default;
Factorisation::Factorisation(Factorisation&&) noexcept = default;
Factorisation& Factorisation::operator=(Factorisation&&) noexcept = default;

FactorOutcome Factorisation::factor(const SymmetricMatrix& matrix) {
  Backend& b = *backend_;
  FactorOutcome outcome;
  if (b.pattern->size() == 0) {
    outcome.message = "the matrix has no equations";
    return outcome;
  }
  if (!b.analysed) b.analyse();
  b.mumps.a = const_cast<double*>(matrix.values.data());  // the C interface has no const; MUMPS only reads it
  blas_threads(base::thread_count());
  for (int attempt = 0; attempt < 4; ++attempt) {
    b.mumps.job = kFactor;
    dmumps_c(&b.mumps);
    const int status = b.mumps.infog[0];
    if (status != kOutOfSpace1 && status != kOutOfSpace2) break;
    b.control(14) = 3 * b.control(14) + 20;  // more delayed pivots than expected: ask for more room and repeat
  }
  blas_threads(1);
  ++b.cost.factorisations;
  const int status = b.mumps.infog[0];
  if (status == kSingular) {
    outcome.message = "the matrix is singular";
  } else if (status < 0) {
    outcome.message = fmt::format("the sparse solver gave up (code {}, {})", status, b.mumps.infog[1]);
  } else {
    outcome.done = true;
    outcome.negative_pivots = b.mumps.infog[11];
    outcome.message = "";
    // INFOG(29): entries in the factors; negative values count millions
    const double entries = b.mumps.infog[28] < 0 ? -1e6 * b.mumps.infog[28] : b.mumps.infog[28];
    b.cost.storage_bytes = 8.0 * entries;
  }
  return outcome;
}

void Factorisation::solve(Eigen::Ref<Eigen::MatrixXd> b) {
  Backend& backend = *backend_;
  backend.mumps.nrhs = static_cast<int>(b.cols());
  backend.mumps.lrhs = static_cast<int>(b.outerStride());
  backend.mumps.rhs = b.data();
  backend.mumps.job = kSolve;
  dmumps_c(&backend.mumps);
  backend.cost.right_hand_sides += static_cast<int>(b.cols());
  if (backend.mumps.infog[0] < 0) b.setConstant(std::numeric_limits<double>::quiet_NaN());
}

const FactorCost& Factorisation::cost() const {
  return backend_->cost;
}

}  // namespace archway::algebra
