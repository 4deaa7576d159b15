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
  cmake --preset "$preset" -DARCHWAY_PRECOMPILED=ON >/dev/null
  cmake --build --preset "$preset"
done
export TSAN_OPTIONS=ignore_noninstrumented_modules=1
beside=()
for program in asan/tests/test_{base,material,algebra} tsan/tests/test_{base,algebra}; do
  "build/$program" & beside+=($!)
done
for one in "${beside[@]}"; do wait "$one"; done
