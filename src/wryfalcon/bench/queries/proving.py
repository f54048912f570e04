"""What the measurements of a new key say: errors, verdicts, causes, forecast."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from math import sqrt

from keycore.family import Tolerance, Track
from keycore.proving.causes import Cause, likely_causes
from keycore.proving.lock import NEW_LOCK, Making
from keycore.proving.prospect import Prospect, prospect
from keycore.proving.verdict import ProofCut, Verdict, can_be_inside, judge_key, repeats_needed, worst
from keycore.reading.wear import CALIPER_SD
from keycore.units import Unit, convert
from wryfalcon.bench.models import Proof, ProofValue, Tag
from wryfalcon.machines.models import Run, RunState

ZERO_MM = 0.004
"""What a caliper's zero and resolution leave however often it reads, mm; common practice, no source."""
CUT_SHALLOW_SHARE = 0.25  # of the tolerance: shallower than this is worth a touch-up
MENDS = {
    "none": "", "seat": "set-up", "angle": "set-up", "loose": "set-up", "gauge": "set-up", "cutter": "set-up",
    "depth": "set-up", "scale": "set-up", "single": "prove",
}  # fmt: skip
"""The stage that can mend each cause."""


@dataclass(frozen=True)
class ProvedCut:
    """One cut of a new key."""

    track: str
    space: int
    from_gauge: float
    wanted: float
    measured: float | None
    error: float | None
    space_error: float | None
    verdict: Verdict | None
    repeats: int


@dataclass(frozen=True)
class ShownProof:
    """All that the measurements of one key say."""

    run: Run
    cuts: tuple[ProvedCut, ...]
    sd: float  # of one cut's mean, family unit
    sd_once: float
    causes: tuple[Cause, ...]
    verdict: Verdict
    prospects: tuple[tuple[str, Prospect], ...]
    repeats_wanted: int
    can_judge: bool

    @property
    def unmeasured(self) -> bool:
        """Whether a cut has not been measured yet."""
        return any(cut.measured is None for cut in self.cuts)

    @property
    def mend_at(self) -> str:
        """The stage that can mend what is wrong."""
        return MENDS[self.causes[0].cause] if self.causes and self.verdict != Verdict.INSIDE else ""

    @property
    def chance(self) -> float | None:
        """The chance that the key turns freely in a true lock, as measured."""
        if self.unmeasured or not self.prospects:
            return None
        chance = 1.0
        for _, found in self.prospects:
            chance *= found.chance
        return chance


@dataclass(frozen=True)
class ShallowCut:
    """A cut that can be taken deeper."""

    track: str
    space: int
    deepen_by_mm: float  # added to the command, mm


def caliper_sd(tag: Tag, run: Run) -> float:
    """The sd of one reading of a new cut, family unit: the hand's or the machine's caliper's, the worse."""
    hand = convert(CALIPER_SD, Unit.INCH, tag.family.unit)
    by_machine = run.proof_values.filter(withdrawn=False, source="caliper").exists()
    typed = run.proof_values.filter(withdrawn=False, source="typed").exists()
    machine = convert(run.machine.caliper_sd, Unit.MILLIMETRE, tag.family.unit)
    return max([machine] * by_machine + [hand] * (typed or not by_machine))


def proof_of(tag: Tag, run: Run) -> ShownProof | None:
    """Judge a finished key; None while the family has no tolerance to judge it by."""
    family = tag.family
    if family.tolerance is None:
        return None
    settlement = run.set_up.settlement
    kept = _kept_values(run)
    sd_once = caliper_sd(tag, run)
    fewest = min((len(values) for values in kept.values()), default=1)
    sd = sqrt(sd_once**2 / fewest + convert(ZERO_MM, Unit.MILLIMETRE, family.unit) ** 2)
    cuts, proofs = [], []
    for track in family.tracks:
        wanted = settlement.values[track.name]
        measured = [_mean_of(kept, track, place, wanted[place]) for place in range(len(track.spaces))]
        proofs += [proof for proof in measured if proof is not None]
        judged = {j.cut.space: j.verdict for j in judge_key([m for m in measured if m], sd, family.tolerance)}
        cuts += [
            _proved(track, place, wanted[place], measured[place], judged, len(kept[track.name, place + 1]))
            for place in range(len(track.spaces))
        ]
    return ShownProof(
        run=run,
        cuts=tuple(cuts),
        sd=sd,
        sd_once=sd_once,
        causes=tuple(likely_causes(proofs, sd, family.tolerance, family.unit.value)) if proofs else (),
        verdict=worst([cut.verdict for cut in cuts if cut.verdict is not None]),
        prospects=_forecast(tag, run, cuts, sd),
        repeats_wanted=_repeats(tag, sd_once, family.tolerance),
        can_judge=can_be_inside(sd, family.tolerance.value),
    )


def _repeats(tag: Tag, sd_once: float, tolerance: Tolerance) -> int:
    return repeats_needed(sd_once, tolerance.value)


def _kept_values(run: Run) -> defaultdict[tuple[str, int], list[ProofValue]]:
    kept: defaultdict[tuple[str, int], list[ProofValue]] = defaultdict(list)
    for value in run.proof_values.filter(withdrawn=False):
        kept[value.track, value.space].append(value)
    return kept


def _mean_of(
    kept: defaultdict[tuple[str, int], list[ProofValue]], track: Track, place: int, wanted: float
) -> ProofCut | None:
    values = kept[track.name, place + 1]
    if not values:
        return None
    positions = [value.position for value in values if value.position is not None]
    return ProofCut(
        space=place + 1,
        from_gauge=track.spaces[place],
        value=wanted,
        measured=sum(value.value for value in values) / len(values),
        measured_space=sum(positions) / len(positions) if positions else None,
    )


def _proved(
    track: Track, place: int, wanted: float, proof: ProofCut | None, judged: dict[int, Verdict], repeats: int
) -> ProvedCut:
    return ProvedCut(
        track=track.name,
        space=place + 1,
        from_gauge=track.spaces[place],
        wanted=wanted,
        measured=proof.measured if proof else None,
        error=proof.error if proof else None,
        space_error=proof.space_error if proof else None,
        verdict=judged.get(place + 1),
        repeats=repeats,
    )


def _forecast(tag: Tag, run: Run, cuts: Sequence[ProvedCut], sd: float) -> tuple[tuple[str, Prospect], ...]:
    """Stand the tumblers on the key as measured; the uncertainty left is the measuring's."""
    if any(cut.measured is None for cut in cuts):
        return ()
    found = []
    for track in tag.family.tracks:
        steps = track.steps(run.set_up.settlement.bitting[track.name])
        values = [cut.measured for cut in cuts if cut.track == track.name and cut.measured is not None]
        found.append((track.name, prospect(tag.family, track, steps, values, Making(sd, 0.0), NEW_LOCK)))
    return tuple(found)


def cuts_to_deepen(tag: Tag, run: Run) -> list[ShallowCut]:
    """The measured cuts that are shallow by enough to be worth cutting again."""
    proof = proof_of(tag, run)
    if proof is None or tag.family.tolerance is None or run.state != RunState.FINISHED:
        return []
    shallow = []
    for cut in proof.cuts:
        if cut.error is None:
            continue
        track = tag.family.track(cut.track)
        falls = track.values[0] > track.values[-1]
        too_shallow = cut.error if falls else -cut.error
        if too_shallow > CUT_SHALLOW_SHARE * tag.family.tolerance.value and cut.verdict != Verdict.INSIDE:
            shallow.append(ShallowCut(cut.track, cut.space, convert(-cut.error, tag.family.unit, Unit.MILLIMETRE)))
    return shallow


def passed_keys(tag: Tag) -> int:
    """How many keys of this tag were proven good enough; a touched-up key counts once."""
    runs = Proof.objects.filter(run__set_up__tag=tag, passed=True).values_list("run__key_number", flat=True)
    return len(set(runs))
