"""From a bitting to cuts: where, how deep, and what is wrong with it. What the plans of every kind share."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, TypeVar

from keycore.errors import InputError
from keycore.family import Blank, Family, Track
from keycore.geometry.shape import Shape
from keycore.kind import Clamping, Cutting, Lay, kinds
from keycore.rules import breaks
from keycore.tools import Tool

AnyTool = TypeVar("AnyTool", bound=Tool)


@dataclass(frozen=True, slots=True)
class PlannedCut:
    """One cut of a plan: a space in the unit of its kind's space, a value in that of its depth."""

    space: int  # counted from 1
    label: str
    from_gauge: float
    from_previous: float  # for the first, from the gauge
    value: float  # depth value left, as the table measures it
    own: Mapping[str, Any] = field(default_factory=dict)  # what only this kind has: see its columns, and its document


@dataclass(frozen=True)
class TrackPlan:
    """The cuts of one track; a kind may add to it."""

    track: Track
    cuts: tuple[PlannedCut, ...]
    macs_geometric: int | None


@dataclass(frozen=True, slots=True)
class Problem:
    """Something wrong with a plan: ``code`` is macs, rules, shoulder, tip or one of the kind's own."""

    code: str
    track: str
    spaces: tuple[int, ...]
    says: str


@dataclass(frozen=True, slots=True)
class Fin:
    """Metal left thinner than a rib may be between what a mill takes and an edge of the blade, lengths family unit."""

    face: str
    edge: str  # reference edge or other edge; of a side track the front or the back
    least: float
    start: float  # along the blade from the gauge
    end: float


@dataclass(frozen=True)
class Plan:
    """What to cut, and what is wrong with it."""

    family: Family
    blank: Blank
    style: str
    tracks: tuple[TrackPlan, ...]
    problems: tuple[Problem, ...]
    tool: Tool | None = None  # where it is another than the family's
    fins: tuple[Fin, ...] = ()  # no problem: said and drawn

    @property
    def clampings(self) -> tuple[Clamping, ...]:
        """How the key is clamped to cut it, in order."""
        return cutting_of(self.family).clampings(
            self.family, [planned.track.name for planned in self.tracks], self.style
        )

    @property
    def lays(self) -> tuple[Lay, ...]:
        """How it lies in its clamp meanwhile, the bow on the left; see ``keycore/cutting/lay.py``."""
        return cutting_of(self.family).lays(self.family, self.clampings)

    @property
    def shape(self) -> Shape:
        """What metal is where once all of it is cut."""
        values = {planned.track.name: [cut.value for cut in planned.cuts] for planned in self.tracks}
        return cutting_of(self.family).shape(self.family, values, style=self.style, tool=self.tool)


def plan_cuts(
    family: Family,
    bitting: Mapping[str, Sequence[str]],
    style: str = "",
    tool: Tool | None = None,
    values: Mapping[str, Sequence[float]] | None = None,
) -> Plan:
    """Work out the cuts of a key.

    Arguments: a ``family`` whose kind is cut from here, with blank, tolerance and tool; ``bitting`` labels
    by track name; ``style`` of the path, the kind's usual one without; a ``tool`` if another than the family's is
    fitted; ``values`` by track name where the key is not cut to the table's own depths (copied or compensated),
    (n,) in the family's unit. Returns a Plan; what is wrong with the bitting is a Problem in it, not an
    error. Raises InputError for families that cannot be planned, unknown tracks, labels or styles.
    """
    cutting = cutting_of(family)
    checked_blank(family)
    if family.tolerance is None:
        raise InputError("family.tolerance", "needed to plan a key")
    if style and style not in cutting.styles:
        raise InputError("style", f"must be one of {', '.join(cutting.styles)} for a key of kind {family.kind}")
    if not bitting:
        raise InputError("bitting", "names no track")
    wanted = {}
    for name, labels in bitting.items():
        try:
            track = family.track(name)
            steps = track.steps(labels)
        except InputError as error:
            raise InputError(f"bitting.{name}{error.field if error.field != 'track' else ''}", error.reason) from None
        wanted[name] = tuple((values or {}).get(name) or (track.values[step] for step in steps))
    return cutting.plan(family, bitting, style or next(iter(cutting.styles)), tool, wanted)


def cutting_of(family: Family) -> Cutting:
    """How keys of this family's kind are cut. Raises InputError for a kind that is not cut from here."""
    if family.kind.cutting is None:
        *others, last = [kind.id for kind in kinds() if kind.cutting is not None]
        cut = f"{', '.join(others)} and {last}"
        raise InputError("family.kind", f"a cut plan is made for {cut} keys, not for {family.kind}")
    return family.kind.cutting


def tool_for(kind_of_tool: type[AnyTool], track: Track, fitted: Tool | None, name: str) -> AnyTool:
    """What cuts a ``track``: what is ``fitted``, else the family's own.

    Arguments: the ``kind_of_tool`` that its kind is cut with, and the ``name`` of the field that says it in a track's
    document. Returns the tool. Raises InputError at that field where there is no such tool.

    >>> from keycore.family import Depth
    >>> from keycore.tools import Slotter
    >>> tool_for(Slotter, Track("A", (90.0,), (Depth("1", 0.4),), tool=Slotter(3.0)), None, "slot").width
    3.0
    """
    tool = fitted or track.tool
    if not isinstance(tool, kind_of_tool):
        raise InputError(f"family.tracks.{track.name}.{name}", "needed to plan a key")
    return tool


def checked_blank(family: Family) -> Blank:
    """The blank that a key is cut from. Raises InputError for a family without one."""
    if family.blank is None:
        raise InputError("family.blank", "needed to plan a key")
    return family.blank


def rules_broken(family: Family, track: Track, steps: Sequence[int]) -> list[Problem]:
    """The rules of the family that a bitting breaks. Arguments: ``steps`` (n,). Raises nothing."""
    return [
        Problem(
            "macs" if b.rule == "macs" else "rules",
            track.name,
            b.spaces,
            _says_break(family, track, b.rule, b.spaces, steps),
        )
        for b in breaks(track, family.rules, steps)
    ]


def _says_break(family: Family, track: Track, rule: str, spaces: tuple[int, ...], steps: Sequence[int]) -> str:
    if rule == "macs":
        a, b = spaces
        return f"From cut {a} to cut {b} is {abs(steps[a - 1] - steps[b - 1])} steps; this family allows {track.macs}."
    if rule == "most_alike":
        return f"{len(spaces)} cuts are alike; this family allows {family.rules.most_alike}."
    if rule == "fixed":
        held = track.labels[dict(track.fixed)[spaces[0]]]
        return f"Cut {spaces[0]} is {track.labels[steps[spaces[0] - 1]]}; in this family it is always {held}."
    return f"This family needs at least {family.rules.fewest_depths} different depths."
