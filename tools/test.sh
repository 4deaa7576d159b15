#!/usr/bin/env bash
# Installs what is missing (Debian 12), builds optimised with warnings as errors and passes all tests and known answers.
set -euo pipefail
cd "$(dirname "$0")/.."
. tools/common.sh
install_missing $packages $developer_packages
echo "format"
git ls-files '*.cpp' '*.hpp' | xargs clang-format-14 --dry-run -Werror
echo "build"
cmake --preset fast -DARCHWAY_PRECOMPILED=ON >/dev/null
cmake --build --preset fast
echo "test"
ctest --test-dir build/fast --output-on-failure -j "$(nproc)"

# Laws, solver and threads under sanitizers: memory and undefined behaviour, then races. The solver's own library and
# BLAS are not built for the latter: what they do by themselves is not looked at.
echo "sanitizers"
for preset in asan tsan; do
  cmake --preset "$preset" >/dev/null
  cmake --build --preset "$preset"
done
for room in base material algebra; do build/asan/tests/test_$room; done
for room in base algebra; do TSAN_OPTIONS=ignore_noninstrumented_modules=1 build/tsan/tests/test_$room; done
