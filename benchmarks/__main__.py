"""``./falcon bench [NAME]``: measure, print, and say which goals are met."""

from __future__ import annotations

import subprocess
import sys

from benchmarks import (
    accuracy,
    codes,
    decoding,
    faults,
    jobs,
    machines,
    odd,
    pages,
    plans,
    progression,
    reach,
    resident,
    weight,
)

ALL = {
    "decoding": decoding.measure, "accuracy": accuracy.measure, "pages": pages.measure,
    "progression": progression.measure, "codes": codes.measure, "machines": machines.measure,
    "weight": weight.measure, "resident": resident.measure, "faults": faults.measure,
    "jobs": jobs.measure, "odd": odd.measure, "reach": reach.measure, "plans": plans.measure,
}  # fmt: skip


def main(names: list[str]) -> int:
    """Measure the named goals, all of them when none is named, each in a process of its own."""
    unknown = [name for name in names if name not in ALL]
    if unknown:
        print(f"There is no benchmark {unknown[0]}; there are {', '.join(ALL)}.")
        return 2
    if len(names) == 1:
        return _measure(names[0])
    # Several set up a shop with a database of its own, which one process cannot do twice.
    ended = [subprocess.run([sys.executable, "-m", "benchmarks", name], check=False) for name in names or ALL]
    return max(each.returncode for each in ended)


def _measure(name: str) -> int:
    print(f"\n{name}", flush=True)
    missed = 0
    for figure in ALL[name]():
        print(f"  {'met   ' if figure.met else 'MISSED'} {figure.says}", flush=True)
        missed += not figure.met
    return 1 if missed else 0


sys.exit(main(sys.argv[1:]))
