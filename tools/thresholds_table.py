#!/usr/bin/env python3
"""Table of what tools/scan_thresholds.sh found: FOLDER NAME..."""
import pathlib
import re
import sys

CHANGED = 1e-6  # relative: less is rounding of other steps


def answers(path):
    """(case, quantity) -> value on the first mesh; a case that failed is missing."""
    found = {}
    for line in path.read_text().splitlines():
        match = re.match(r"(?:ok   |FAILS) (\S+)\s+(.*?)\s+known \S+\s+(\S+) \(", line)
        if match:
            found[match[1], match[2]] = float(match[3])
    return found


def declarations():
    """Name -> (value, meaning): the comment above, or before it in the same header."""
    result = {}
    for root in ("src", "include"):
        for path in sorted(pathlib.Path(root).rglob("*.hpp")):
            comment, fresh = [], True
            for line in path.read_text().splitlines():
                if line.startswith("///"):
                    comment = [line[3:].strip()] if fresh else comment + [line[3:].strip()]
                    fresh = False
                    continue
                fresh = True
                for name, value in re.findall(r'chosen(?:_below_one)?\("([a-z-]+)", ([0-9.e-]+)\)', line):
                    result[name] = (value, " ".join(comment).replace("... ", ""))
    return result


def difference(base, other):
    changed = {}
    for key, value in base.items():
        if key not in other:
            changed[key] = float("inf")
        elif other[key] != value and not abs(other[key] - value) <= CHANGED * abs(value):
            changed[key] = abs(other[key] / value - 1) if value else float("inf")
    return changed


def words(changed, total):
    if not changed:
        return "none"
    key = max(changed, key=changed.get)
    size = "no answer" if changed[key] == float("inf") else f"{100 * changed[key]:.2g} %"
    return f"{len(changed)} of {total}; most {size} ({key[0]}, {key[1]})"


def main():
    folder = pathlib.Path(sys.argv[1])
    base = answers(folder / "none-1.txt")
    declared = declarations()
    print("# What hangs on chosen numbers\n")
    print("Written by `tools/scan_thresholds.sh`; do not edit. Each number decides a result or a message and is declared once with its meaning.")
    print(f"The {len(base)} known answers are computed on the first mesh of each case with the number a third as large and three times as large")
    print("(of shares and cosines: their distance from 1). An answer counts as changed beyond 1e-6 of itself.\n")
    print("| name | value | meaning | a third | three times |\n|---|---|---|---|---|")
    for name in sys.argv[2:]:
        value, meaning = declared[name]
        row = [words(difference(base, answers(folder / f"{name}-{factor}.txt")), len(base))
               for factor in ("0.3333333333333333", "3")]
        print(f"| `{name}` | {value} | {meaning} | {row[0]} | {row[1]} |")


main()
