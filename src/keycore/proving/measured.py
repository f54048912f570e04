"""A whole key judged by what was measured of it: errors, verdicts, causes, and how it will turn."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from math import sqrt

from keycore.coordinate import FULL_TURN, Quantity
from keycore.errors import InputError
from keycore.family import Family, Tolerance
from keycore.kinds.causes import Say
from keycore.proving.causes import Cause, likely_causes
from keycore.proving.lock import Feel, Making, chance_of_turning, feel_of, play_of
from keycore.proving.prospect import deviations_of, places_along, usually_along
from keycore.proving.verdict import ProofCut, Verdict, can_be_inside, judge_key, repeats_needed, worst
from keycore.reading.evidence import Spread


@dataclass(frozen=True)
class CutReadings:
    """What was measured of one cut, repeats and all: ``values`` (r,) of depth, ``positions`` (q,), family unit."""

    track: str
    space: int
    values: tuple[float, ...] = ()
    positions: tuple[float, ...] = ()


@dataclass(frozen=True)
class Measuring:
    """How well a key was measured, family unit: sd of one reading, and what no repeating takes away."""

    sd_once: float
    zero: float


@dataclass(frozen=True)
class MeasuredCut:
    """One cut of a new key; what was not measured is None."""

    track: str
    space: int
    from_gauge: float
    wanted: float
    measured: float | None
    error: float | None
    space_error: float | None
    verdict: Verdict | None
    repeats: int
    feels: Feel | None = None  # in a true lock, once every cut is measured


@dataclass(frozen=True)
class MeasuredKey:
    """All that the measurements of one key say."""

    cuts: tuple[MeasuredCut, ...]
    sd: float  # of one cut's mean, family unit
    sd_once: float
    causes: tuple[Cause, ...]  # likeliest first
    verdict: Verdict
    chance: float | None  # that it turns freely in a true lock; None until every cut is measured, or not to be told
    repeats_wanted: int | None  # None where no number of readings would do
    can_judge: bool

    @property
    def unmeasured(self) -> bool:
        """Whether a cut has not been measured yet."""
        return any(cut.measured is None for cut in self.cuts)

    @property
    def is_inside(self) -> bool:
        """Whether every cut is within the tolerance, doubt and all."""
        return self.verdict == Verdict.INSIDE

    def of_track(self, track: str) -> tuple[MeasuredCut, ...]:
        """The cuts of one track, in order."""
        return tuple(cut for cut in self.cuts if cut.track == track)


def judge_measured(
    family: Family,
    bitting: Mapping[str, Sequence[str]],
    wanted: Mapping[str, Sequence[float]],
    measured: Sequence[CutReadings],
    by: Measuring,
    *,
    say: Say,
    style: str = "",
) -> MeasuredKey:
    """Judge a key by its measurements.

    Arguments: ``bitting`` labels (n,) and ``wanted`` values (n,) by track, family unit; ``measured`` every cut of
    every track in the family's order, without values where it was not; how well it was measured; ``say`` puts a
    depth error in words; the ``style`` of path that cut it. What tumblers stand on may not be known: nothing is
    forecast then. Raises InputError for a family without a tolerance.
    """
    if family.tolerance is None:
        raise InputError("tolerance", "the family has no tolerance to judge a key by")
    fewest = min((len(cut.values) for cut in measured if cut.values), default=1)
    sd = sqrt(by.sd_once**2 / fewest + by.zero**2)
    along = sd_along(family, sd)
    proofs = [_mean_of(family, cut, wanted[cut.track][cut.space - 1]) for cut in measured]
    lying = [proof and _as_it_lies(family, proof) for proof in proofs]
    verdicts = [judge_key([proof], sd, family.tolerance, along)[0].verdict if proof else None for proof in lying]
    cuts = tuple(
        MeasuredCut(
            track=cut.track,
            space=cut.space,
            from_gauge=family.track(cut.track).spaces[cut.space - 1],
            wanted=wanted[cut.track][cut.space - 1],
            measured=proof.measured if proof else None,
            error=proof.error if proof else None,
            space_error=proof.space_error if proof else None,
            verdict=verdict,
            repeats=len(cut.values),
        )
        for cut, proof, verdict in zip(measured, proofs, verdicts, strict=True)
    )
    stood, chance = _stand(family, bitting, cuts, sd, style)
    return MeasuredKey(
        cuts=stood,
        sd=sd,
        sd_once=by.sd_once,
        causes=_causes(
            [(proof, cut.track) for proof, cut in zip(lying, measured, strict=True) if proof],
            sd,
            family,
            family.tolerance,
            say,
        ),
        verdict=worst([verdict for verdict in verdicts if verdict is not None]),
        chance=chance,
        repeats_wanted=repeats_needed(by.sd_once, family.tolerance.value, len(cuts), zero=by.zero),
        can_judge=can_be_inside(sd, family.tolerance.value),
    )


def _as_it_lies(family: Family, cut: ProofCut) -> ProofCut:
    """A cut with its places along what its tolerance of them is measured on: round a tube that is its middle circle."""
    if cut.measured_space is None or family.space.quantity == Quantity.LENGTH:
        return cut
    turned = (cut.measured_space - cut.from_gauge + FULL_TURN / 2) % FULL_TURN - FULL_TURN / 2  # the shorter way round
    ends = (family.kind.along_view(family, angle) for angle in (cut.from_gauge, cut.from_gauge + turned))
    return replace(cut, from_gauge=next(ends), measured_space=next(ends))


def sd_along(family: Family, sd: float) -> float:
    """What one measurement's ``sd``, family unit, is for a position: the same, unless the depth alone is an angle.

    Raises nothing.
    """
    if family.depth.quantity == Quantity.LENGTH:
        return sd
    return family.space.from_machine(family.depth.to_machine(sd))


def _causes(
    cuts: Sequence[tuple[ProofCut, str]], sd: float, family: Family, tolerance: Tolerance, say: Say
) -> tuple[Cause, ...]:
    if not cuts:
        return ()
    among = family.kind.cutting.suspects if family.kind.cutting else None
    proofs, tracks = [proof for proof, _ in cuts], [family.track(name) for _, name in cuts]
    along = sd_along(family, sd)
    return tuple(likely_causes(proofs, sd, tolerance, among=among, say=say, sd_space=along, tracks=tracks))


def _mean_of(family: Family, cut: CutReadings, wanted: float) -> ProofCut | None:
    if not cut.values:
        return None
    return ProofCut(
        space=cut.space,
        from_gauge=family.track(cut.track).spaces[cut.space - 1],
        value=wanted,
        measured=sum(cut.values) / len(cut.values),
        measured_space=sum(cut.positions) / len(cut.positions) if cut.positions else None,
    )


def _stand(
    family: Family, bitting: Mapping[str, Sequence[str]], cuts: Sequence[MeasuredCut], sd: float, style: str
) -> tuple[tuple[MeasuredCut, ...], float | None]:
    """Stand the tumblers on the key as measured: how each feels, and the chance that all turn freely.

    The uncertainty left is the measuring's. Nothing is forecast before every cut is measured.
    """
    measured = {
        track.name: [cut.measured for cut in cuts if cut.track == track.name and cut.measured is not None]
        for track in family.tracks
    }
    if sum(map(len, measured.values())) < len(cuts):
        return tuple(cuts), None
    making, play = Making(sd, 0.0), play_of(family)
    along = _along(family, cuts, sd_along(family, sd))

    def stands(shift: float) -> list[float]:
        return [
            deviation
            for track in family.tracks
            for deviation in deviations_of(
                family, track, track.steps(bitting[track.name]), measured[track.name], shift, style
            )
        ]

    try:
        chance = sum(weight * chance_of_turning(stands(shift), making, play) for shift, weight in places_along(along))
    except InputError:
        return tuple(cuts), None  # the family does not say what its tumblers stand on
    felt = (feel_of(deviation, play) for deviation in stands(along.mean))
    return tuple(replace(cut, feels=feel) for cut, feel in zip(cuts, felt, strict=True)), chance


def _along(family: Family, cuts: Sequence[MeasuredCut], sd: float) -> Spread:
    """How far all cuts sit along the blade: as measured, or as far as the family allows where nothing was."""
    measured = [cut.space_error for cut in cuts if cut.space_error is not None]
    if not measured:
        return usually_along(family)
    return Spread(sum(measured) / len(measured), sd / len(measured) ** 0.5)
