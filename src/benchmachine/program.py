"""A reader of G-code (RS-274, as NISTIR 6556 has it) that moves a tool over the blade, step by step as it stands.

What a program does not say it does not do: where it stops for a hand, whoever reads it acts on its sentence.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, field
from math import inf

from benchmachine.blade import Blade, Lain, Pass, Refused

WORD = re.compile(r"([A-Z])\s*(-?\d+(?:\.\d*)?)")
SAID = re.compile(r"\(([^)]*)\)")
TOUCHES = 1e-6  # mm


class Crash(Refused):
    """What the program does would break a tool, a blank or a finger; the text says what."""


@dataclass
class Table:
    """What stands on a machine that reads programs: the blade as it lies, the tool, the letters of its axes."""

    blade: Blade
    space: str = "X"
    depth: str = "Z"
    counts_from: str = "shoulder"
    is_halved: bool = False
    lain: Lain = field(default_factory=Lain)
    tool: str = "wheel"
    size: float = 1.0
    angle: float = 90.0
    index: float = 0.0  # what a hand turned it to, degrees
    runs: bool = False
    was_waited: bool = True  # since the spindle was told to stop or to run
    at: dict[str, float] = field(default_factory=dict)

    # --- where the tool is -------------------------------------------------------------------------

    def _x(self, at: dict[str, float]) -> float:
        return self.blade.along(self.lain, at.get(self.space, 0.0), self.counts_from)

    def sunk(self, at: dict[str, float]) -> float:
        """How deep the tool's end is in the side that is up, negative above it."""
        blade, number = self.blade, at.get(self.depth, 0.0)
        if self.tool == "slotter":
            return number
        if self.tool == "mill":
            return -at.get("Z", 0.0)
        if self.is_halved:
            return (blade.height - number) / 2
        return blade.extent(self.lain.up) - number

    def move(self, target: dict[str, float], *, is_rapid: bool) -> None:
        """Go straight to where these axes are told, in metal or above it."""
        before = {"Z": 100.0, **self.at}
        after = {**before, **target}
        self.at = after
        if self.tool == "disc":
            return  # the clamp turns the key, and a hand feeds it
        deep, was = self.sunk(after), self.sunk(before) if self.depth in self.at or self.tool == "mill" else -1.0
        aside = [axis for axis in ("X", "Y") if axis != self._plunges]
        goes_aside = any(abs(after.get(axis, 0.0) - before.get(axis, 0.0)) > TOUCHES for axis in aside)
        if max(deep, was) <= TOUCHES:
            return
        if not self.runs:
            raise Crash("it goes into metal with the spindle off")
        if self.tool == "mill":
            self._mill(before, after, deep, goes_aside=goes_aside, is_rapid=is_rapid)
            return
        if goes_aside:
            raise Crash("it goes sideways in metal")
        if is_rapid and deep > was:
            raise Crash("it goes into metal in haste")
        if deep > was:
            self._cut(after, deep)

    @property
    def _plunges(self) -> str:
        return "Z" if self.tool == "mill" else self.depth

    def _cut(self, at: dict[str, float], deep: float) -> None:
        if self.tool == "slotter":
            self.blade.passes.append(Pass("slotter", "", self.lain.slot_at(self.index), deep=deep))
            return
        across = self.blade.across(self.lain, at.get("Y", 0.0))
        cut = Pass(self.tool, self.lain.up, self._x(at), across, deep, self.size, self.angle)
        self.blade.passes.append(cut)

    def _mill(
        self, before: dict[str, float], after: dict[str, float], deep: float, *, goes_aside: bool, is_rapid: bool
    ) -> None:
        ends = [(self._x(at), self.blade.across(self.lain, at.get(self.depth, 0.0))) for at in (before, after)]
        radius = self.size / 2
        if any(x < radius - TOUCHES for x, _ in ends):
            raise Crash("the mill reaches past the shoulder")
        is_over = any(x < self.blade.length + radius for x, _ in ends)
        if not goes_aside and deep > self.sunk(before) and is_over:
            raise Crash("the mill plunges into metal")
        if goes_aside and is_rapid:
            raise Crash("it goes sideways in metal")
        if goes_aside:
            cut = Pass("mill", self.lain.up, inf, deep=deep, size=self.size, way=(ends[0], ends[1]))
            self.blade.passes.append(cut)

    def feed(self) -> None:
        """A hand feeds a key that the clamp holds turned to the stop, and backs off."""
        if not self.runs:
            raise Crash("it is fed to a spindle that stands")
        turned = self.lain.flat_at(self.at.get(self.depth, 0.0))
        self.blade.passes.append(Pass("disc", "", self._x(self.at), deep=turned))


def follow(program: str, table: Table, obey: Callable[[str, Table], None]) -> list[str]:
    """Do what a program says, line by line; ``obey`` does what a hand is told at each stop. Returns what was said.

    Raises Crash for what would break something, Refused for a line that it does not understand.
    """
    said: list[str] = []
    for line in program.splitlines():
        sentence = SAID.search(line)
        words = WORD.findall(SAID.sub("", line).replace("%", ""))
        codes = [f"{letter}{float(number):g}" for letter, number in words if letter in "GM"]
        target = {letter: float(number) for letter, number in words if letter in "XYZA"}
        for code in codes:
            if code in ("M3", "M5"):
                table.runs, table.was_waited = code == "M3", False
            elif code == "G4":
                table.was_waited = True
            elif code == "M0":
                said.append(sentence[1] if sentence else "")
                if not table.was_waited:
                    raise Crash("a hand is told to act before the spindle stands")
                if table.runs and "spindle running" not in said[-1]:
                    raise Crash("a hand is told to act while the spindle runs")
                obey(said[-1], table)
            elif code in ("G0", "G1"):
                if table.runs and not table.was_waited:
                    raise Crash("it goes on before the spindle runs")
                table.move(target, is_rapid=code == "G0")
            elif code not in ("G21", "G90", "G94", "M2"):
                raise Refused(f"it does not know {code}")
    return said
