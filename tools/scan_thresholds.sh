#!/usr/bin/env bash
# What hangs on the numbers that were chosen: runs the known answers (first mesh of each) with each of them a third as large and
# three times as large, and writes docs/thresholds.md. Hours on two cores; needs build/fast (tools/test.sh makes it).
#   tools/scan_thresholds.sh [NAME...]    only these; the table then holds these
set -euo pipefail
cd "$(dirname "$0")/.."
export ARCHWAY_THREADS=1
out=build/scan
mkdir -p "$out"
names=("$@")
if [ ${#names[@]} -eq 0 ]; then
  mapfile -t names < <(grep -rhoE 'chosen(_below_one)?\("[a-z-]+"' src include | sed 's/.*"\(.*\)"/\1/' | sort -u)
fi
run() { # NAME FACTOR: one line a case with its answer, in the order of the cases
  local file="$out/$1-$2.txt"
  [ -s "$file" ] || ARCHWAY_SCAN="$1:$2" build/fast/verification/verify --meshes coarsest >"$file.part" 2>"$file.err" || true
  [ -s "$file" ] || mv "$file.part" "$file"
}
export -f run
export out
{
  printf "none 1\n"
  for name in "${names[@]}"; do printf '%s 0.3333333333333333\n%s 3\n' "$name" "$name"; done
} | xargs -P "$(nproc)" -L 1 bash -c 'run "$0" "$1"'
python3 tools/thresholds_table.py "$out" "${names[@]}" >docs/thresholds.md
echo "docs/thresholds.md is written"
