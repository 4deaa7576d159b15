#include <atomic>
#include <thread>

#include "archway/base/errors.hpp"
#include "archway/base/executor.hpp"
#include "archway/base/rotation.hpp"
#include "support/digits.hpp"

using namespace archway::base;

TEST_CASE("errors: a complaint reads place, problem, excerpt, remedy", "[base][fast]") {
  const Complaint complaint{"vault.toml:3:1", "the thickness is -2", "it must be above zero", "  thickness = -2\n  ^"};
  CHECK(to_text(complaint) == "vault.toml:3:1: the thickness is -2\n  thickness = -2\n  ^\n  -> it must be above zero");
  CHECK(to_text({"", "no place", "", ""}) == "no place");
}

TEST_CASE("errors: one throw carries all complaints", "[base][fast]") {
  const InputError error({{"a", "first", "", ""}, {"b", "second", "do this", ""}});
  CHECK(error.complaints().size() == 2);
  CHECK(std::string(error.what()) == "a: first\nb: second\n  -> do this");
}

TEST_CASE("errors: the closest word is suggested, but never a far one", "[base][fast]") {
  const std::vector<std::string> known = {"thickness", "material", "divisions", "name"};
  CHECK(closest_word("thicknes", known) == "thickness");
  CHECK(closest_word("matreial", known) == "material");
  CHECK(closest_word("nmae", known) == "name");  // a swap of neighbours is one slip
  CHECK(closest_word("emna", known).empty());
  CHECK(closest_word("BLA", {"LA", "LBA", "GNA"}) == "LBA");  // of two as close, the one as long
  CHECK(closest_word("colour", known).empty());
  CHECK(closest_word("x", {}).empty());
}

TEST_CASE("rotation: exponential and rotation vector undo each other", "[base][fast]") {
  for (const double angle : {0.0, 1e-9, 1e-5, 0.3, 1.7, 3.1}) {
    const Vec3 spin = angle * Vec3(1, -2, 0.5).normalized();
    const auto q = exponential(spin);
    INFO("angle " << angle);
    CHECK_DIGITS(q.norm(), 1.0, 15, "a rotation is a unit quaternion");
    CHECK((rotation_vector(q) - spin).norm() < 1e-14);
    CHECK((rotation_vector(Eigen::Quaterniond(-q.coeffs())) - spin).norm() < 1e-14);
  }
}

TEST_CASE("rotation: the exponential rotations as the matrix exponential does", "[base][fast]") {
  const Vec3 spin(0.4, -0.7, 1.1);
  Mat3 sum = Mat3::Identity(), term = Mat3::Identity();
  for (int k = 1; k < 40; ++k) {
    term = term * skew(spin) / k;
    sum += term;
  }
  CHECK((exponential(spin).toRotationMatrix() - sum).norm() < 1e-14);
}

TEST_CASE("rotation: axes are right-handed, along first, up last", "[base][fast]") {
  for (const Vec3& along : {Vec3(1, 0, 0), Vec3(1, 2, 3), Vec3(0, 0, -4)}) {
    const Mat3 axes = axes_from(along, Vec3::UnitZ());
    CHECK((axes.transpose() * axes - Mat3::Identity()).norm() < 1e-14);
    CHECK_DIGITS(axes.determinant(), 1.0, 14, "right-handed");
    CHECK((axes.col(0) - along.normalized()).norm() < 1e-14);
    if (along.cross(Vec3::UnitZ()).norm() > 0.1) CHECK(axes.col(2).z() > 0);
  }
}

TEST_CASE("executor: every index is visited once, whatever the threads, and side by side", "[base][fast]") {
  const Executor executor(GENERATE(0, 1, 2, 5));
  CHECK(executor.threads() >= 1);
  const int count = GENERATE(0, 1, 7, 10000), least = GENERATE(1, 64);
  std::vector<std::atomic<int>> visits(static_cast<std::size_t>(count));
  const auto visit = [&](int begin, int end) {
    CHECK(begin < end);
    for (int i = begin; i < end; ++i) ++visits[static_cast<std::size_t>(i)];
  };
  std::thread other([&] { executor.for_range(count, visit, least); });  // the same crew: one of the two works alone
  executor.for_range(count, visit, least);
  other.join();
  for (const auto& v : visits) REQUIRE(v == 2);
}

TEST_CASE("executor: an exception in a piece reaches the caller, and the crew lives on", "[base][fast]") {
  const Executor executor(3);
  CHECK_THROWS_AS(executor.for_range(100,
                                     [](int begin, int) {
                                       if (begin == 0) throw InputError("", "wrong", "");
                                     }),
                  InputError);
  std::atomic<int> sum{0};
  executor.for_range(100, [&](int begin, int end) {
    executor.for_range(end - begin, [&](int b, int e) { sum += e - b; });  // from inside a body: on its own thread
  });
  CHECK(sum == 100);
}
