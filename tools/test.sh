#!/usr/bin/env bash
# Installs what is missing (Debian 12), builds optimised with warnings as errors and passes all tests and known answers.
set -euo pipefail
cd "$(dirname "$0")/.."
. tools/common.sh
install_missing $packages $developer_packages
echo "format"
git ls-files '*.cpp' '*.hpp' | xargs clang-format-14 --dry-run -Werror
echo "build"
cmake --preset fast >/dev/null
cmake --build --preset fast
echo "test"
ctest --test-dir build/fast --output-on-failure -j "$(nproc)"

# The quick tests of the core under sanitizers of memory and undefined behaviour.
echo "sanitizers"
cmake --preset asan >/dev/null
cmake --build --preset asan
for room in base material algebra elements analysis; do build/asan/tests/test_$room '[fast]'; done
