#!/usr/bin/env bash
# Installs what is missing (Debian 12), builds optimised with warnings as errors and passes the tests and known answers.
#   tools/test.sh          what every change must pass; 20 to 29 minutes on two cores
#   tools/test.sh --full   and what takes long: known answers on all meshes, hard paths to their ends, paths by chance, portable kernels,
#                          whole studies changed at random, sanitizers of all rooms, bench. Hours. Before a release.
set -euo pipefail
cd "$(dirname "$0")/.."
. tools/common.sh
full=no
case "${1:-}" in
  "") ;;
  --full) full=yes ;;
  *) echo "tools/test.sh: unknown option '$1'; the only one is --full" >&2; exit 2 ;;
esac
export ARCHWAY_THREADS=1  # as many tests side by side as there are cores, one thread each

# stage NAME LIMIT COMMAND...: runs it and fails when it takes longer than LIMIT seconds, about twice what was measured
# on two cores (docs/performance.md), so that the check cannot become slow unnoticed.
stages=""
stage() {
  local name=$1 limit=$2 start=$SECONDS taken
  shift 2
  echo "== $name"
  "$@"
  taken=$((SECONDS - start))
  stages+=$(printf '%-12s %6d s   (limit %d s)' "$name" "$taken" "$limit")$'\n'
  if [ "$taken" -gt "$limit" ]; then
    printf '%s' "$stages"
    echo "stage '$name' took $taken s; its limit is $limit s: make it faster, or move what is long to --full" >&2
    exit 1
  fi
}

packages_stage() { install_missing $packages $developer_packages; }
format_stage() { git ls-files '*.cpp' '*.hpp' | xargs clang-format-14 --dry-run -Werror; }
build_stage() {
  cmake --preset fast >/dev/null
  cmake --build --preset fast
}
ten_slowest() {
  echo "the ten slowest tests, in seconds"
  sed -nE 's/^ *[0-9]+\/[0-9]+ Test +#[0-9]+: (.*[^ .]) \.*\** *[A-Za-z]+ +([0-9.]+) sec.*/\2  \1/p' "$1" | sort -rn | sed -n 1,10p
}
# ctest's own list of tests is long: it goes to a file, what failed to the terminal
test_stage() {
  local list=build/$1-tests.txt
  shift
  if ! ctest --test-dir build/fast --output-on-failure -j "$(nproc)" "$@" >"$list"; then
    grep -E -A400 '\(Failed\)|\*\*\*|FAILED|FAILS' "$list" | sed -n 1,400p
    exit 1
  fi
  grep -E "tests passed|sec\*proc|Total Test time" "$list"
  ten_slowest "$list"
}
# Memory and undefined behaviour (asan), races (tsan). The solver's library and BLAS are not built for the latter: what
# they do by themselves is not looked at.
sanitize() {  # sanitize PRESET:ROOM...: builds their test programs, then runs as many side by side as there are cores
  local one preset rooms
  for preset in asan tsan; do
    rooms=()
    for one in "$@"; do [ "${one%%:*}" != "$preset" ] || rooms+=("test_${one#*:}"); done
    cmake --preset "$preset" >/dev/null
    cmake --build "build/$preset" --target "${rooms[@]}"
  done
  printf '%s\n' "$@" | TSAN_OPTIONS=ignore_noninstrumented_modules=1 LSAN_OPTIONS=suppressions=tests/leaks.txt:print_suppressions=0 xargs -P "$(nproc)" -I{} bash -c \
    'one={}; log=build/${one%%:*}/${one#*:}.log; build/${one%%:*}/tests/test_${one#*:} >"$log" 2>&1 || { tail -400 "$log"; exit 1; }; echo "$one: $(tail -2 "$log" | head -1)"'
}
small_rooms() { sanitize tsan:algebra asan:algebra asan:material asan:base tsan:base; }

stage packages 600 packages_stage
stage format 30 format_stage
stage build 900 build_stage
stage tests 1100 test_stage quick -LE full
stage sanitizers 600 small_rooms

if [ "$full" = yes ]; then
  portable() {
    cmake --preset fast -B build/portable -DARCHWAY_KERNELS=portable >/dev/null
    cmake --build build/portable --target test_elements
    build/portable/tests/test_elements "contract:*"
  }
  all_rooms() {
    sanitize asan:study asan:analysis tsan:analysis asan:elements asan:theory asan:model asan:imperfection asan:io asan:report
  }
  bench() {
    cmake --build build/fast --target archway_bench accuracy
    for program in buckling assembly modes path yield contact; do "build/fast/bench/bench_$program"; done
  }
  stage long-tests 7200 test_stage full -L full
  stage portable 1800 portable
  stage rooms 14400 all_rooms
  stage bench 3600 bench
fi
echo
echo "seconds by stage"
printf '%s' "$stages"
