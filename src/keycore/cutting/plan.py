"""From a bitting to cuts: where, how deep, what the blade then looks like, and what is wrong with it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from keycore.cutting.limits import NOTHING, edge_values, macs_from_geometry
from keycore.cutting.profile import Profile, Style, flats_left, profile_of, roots_gone
from keycore.errors import InputError
from keycore.family import Blank, Cut, Family, Gauge, Track
from keycore.rules import breaks


@dataclass(frozen=True, slots=True)
class PlannedCut:
    """One cut of a plan; lengths in the family's unit."""

    space: int  # counted from 1
    label: str
    from_gauge: float
    from_previous: float  # for the first, from the gauge
    value: float  # depth value left, as the table measures it
    depth_of_cut: float  # from the blank's edge
    flat_left: float


@dataclass(frozen=True)
class TrackPlan:
    """The cuts of one track and the edge they leave."""

    track: Track
    cuts: tuple[PlannedCut, ...]
    profile: Profile
    macs_geometric: int | None


@dataclass(frozen=True, slots=True)
class Problem:
    """Something wrong with a plan: ``code`` is macs, rules, no-flat, cutter, shoulder or tip."""

    code: str
    track: str
    spaces: tuple[int, ...]
    says: str


@dataclass(frozen=True)
class Plan:
    """What to cut, and what is wrong with it."""

    family: Family
    blank: Blank
    style: Style
    tracks: tuple[TrackPlan, ...]
    problems: tuple[Problem, ...]


def plan_cuts(
    family: Family,
    bitting: Mapping[str, Sequence[str]],
    style: Style = "plunged",
    cutter: Cut | None = None,
    values: Mapping[str, Sequence[float]] | None = None,
) -> Plan:
    """Work out the cuts of a key.

    Arguments: an edge or double-edge ``family`` with blank, tolerance and cut; ``bitting`` labels
    by track name; ``style``; a ``cutter`` if another than the family's is fitted; ``values`` by
    track name where the key is not cut to the table's own depths (copied or compensated), (n,) in
    the family's unit. Returns a Plan; what is wrong with the bitting is a Problem in it, not an
    error. Raises InputError for families that cannot be planned, unknown tracks or labels.
    """
    blank = _check_plannable(family)
    if not bitting:
        raise InputError("bitting", "names no track")
    tracks, problems = [], []
    for name, labels in bitting.items():
        try:
            track = family.track(name)
            steps = track.steps(labels)
        except InputError as error:
            raise InputError(f"bitting.{name}{error.field if error.field != 'track' else ''}", error.reason) from None
        fitted = cutter or track.cut
        if fitted is None:
            raise InputError(f"family.tracks.{name}.cut", "needed to plan a key")
        to_values = tuple((values or {}).get(name) or (track.values[step] for step in steps))
        planned = _plan_track(family, track, labels, to_values, cut=fitted, style=style)
        tracks.append(planned)
        problems += _problems(family, blank, planned, steps, fitted)
    return Plan(family, blank, style, tuple(tracks), tuple(problems))


def _check_plannable(family: Family) -> Blank:
    if not family.kind.is_profiled:
        raise InputError("family.kind", f"a cut plan is made for edge and double-edge keys, not for {family.kind}")
    if family.blank is None:
        raise InputError("family.blank", "needed to plan a key")
    if family.tolerance is None:
        raise InputError("family.tolerance", "needed to plan a key")
    return family.blank


def _plan_track(
    family: Family, track: Track, labels: Sequence[str], values: Sequence[float], *, cut: Cut, style: Style
) -> TrackPlan:
    blank = _check_plannable(family)
    heights = edge_values(family, values)
    (full_height,) = edge_values(family, [blank.height])
    flats = flats_left(track.spaces, heights, cut)
    previous = (0.0, *track.spaces[:-1])
    cuts = tuple(
        PlannedCut(
            space=place + 1,
            label=labels[place],
            from_gauge=x,
            from_previous=abs(x - previous[place]),
            value=values[place],
            depth_of_cut=full_height - heights[place],
            flat_left=flats[place],
        )
        for place, x in enumerate(track.spaces)
    )
    profile = profile_of(track.spaces, heights, cut, full_height, blank.length, style)
    return TrackPlan(track, cuts, profile, macs_from_geometry(family, track, cut))


def _problems(family: Family, blank: Blank, planned: TrackPlan, steps: Sequence[int], fitted: Cut) -> list[Problem]:
    track = planned.track
    gone = roots_gone(track.spaces, edge_values(family, [cut.value for cut in planned.cuts]), fitted)
    found = [
        Problem(
            "macs" if b.rule == "macs" else "rules",
            track.name,
            b.spaces,
            _says_break(family, track, b.rule, b.spaces, steps),
        )
        for b in breaks(track, family.rules, steps)
    ]
    found += [
        Problem(
            "no-flat",
            track.name,
            (cut.space,),
            f"Its neighbours' flanks leave nothing of cut {cut.space}: the depth is gone.",
        )
        for cut, is_gone in zip(planned.cuts, gone, strict=True)
        if is_gone
    ]
    if track.cut is not None and fitted != track.cut:
        found.append(Problem("cutter", track.name, (), _says_cutter(track.cut, fitted)))
    return found + _problems_at_ends(family, blank, planned, fitted)


def _says_break(family: Family, track: Track, rule: str, spaces: tuple[int, ...], steps: Sequence[int]) -> str:
    if rule == "macs":
        a, b = spaces
        return f"From cut {a} to cut {b} is {abs(steps[a - 1] - steps[b - 1])} steps; this family allows {track.macs}."
    if rule == "most_alike":
        return f"{len(spaces)} cuts are alike; this family allows {family.rules.most_alike}."
    return f"This family needs at least {family.rules.fewest_depths} different depths."


def _says_cutter(wanted: Cut, fitted: Cut) -> str:
    return (
        f"The family wants a flat of {wanted.flat:g} at {wanted.angle:g} degrees; "
        f"this cutter leaves {fitted.flat:g} at {fitted.angle:g} degrees."
    )


def _problems_at_ends(family: Family, blank: Blank, planned: TrackPlan, cut: Cut) -> list[Problem]:
    """Flanks that reach past an end of the blade."""
    at_gauge, at_far = ("shoulder", "tip") if family.gauge == Gauge.SHOULDER else ("tip", "shoulder")
    found = []
    for code, end in ((at_gauge, 0.0), (at_far, blank.length)):
        past = tuple(
            planned_cut.space
            for planned_cut in planned.cuts
            if max(0.0, abs(end - planned_cut.from_gauge) - cut.flat / 2) / cut.slope
            < planned_cut.depth_of_cut - NOTHING
        )
        if past:
            named = " and ".join(str(space) for space in past)
            says = f"The flank of cut {named} reaches past the {code}."
            found.append(Problem(code, planned.track.name, past, says))
    return found
