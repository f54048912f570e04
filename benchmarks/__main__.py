"""``./falcon bench [NAME]``: measure, print, and say which goals are met."""

from __future__ import annotations

import sys

from benchmarks import accuracy, codes, decoding, machines, pages, progression, resident, weight

ALL = {
    "decoding": decoding.measure, "accuracy": accuracy.measure, "pages": pages.measure,
    "progression": progression.measure, "codes": codes.measure, "machines": machines.measure,
    "weight": weight.measure, "resident": resident.measure,
}  # fmt: skip


def main(names: list[str]) -> int:
    """Measure the named goals, all of them when none is named."""
    unknown = [name for name in names if name not in ALL]
    if unknown:
        print(f"There is no benchmark {unknown[0]}; there are {', '.join(ALL)}.")
        return 2
    missed = 0
    for name in names or ALL:
        print(f"\n{name}")
        for figure in ALL[name]():
            print(f"  {'met   ' if figure.met else 'MISSED'} {figure.says}")
            missed += not figure.met
    return 1 if missed else 0


sys.exit(main(sys.argv[1:]))
