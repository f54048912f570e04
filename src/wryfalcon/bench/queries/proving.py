"""What the measurements of a new key say: errors, verdicts, causes, forecast."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial
from math import sqrt

from django.db.models import Exists, OuterRef

from keycore.family import Family
from keycore.proving.causes import Cause, likely_causes
from keycore.proving.lock import NEW_LOCK, Feel, Making, chance_of_turning, feel_of, play_of
from keycore.proving.prospect import deviations_of, places_along, usually_along
from keycore.proving.verdict import ProofCut, Verdict, can_be_inside, judge_key, repeats_needed, worst
from keycore.reading.evidence import Spread
from keycore.units import Unit
from wryfalcon.bench.models import Piece, PieceState, Proof, ProofValue, Tag
from wryfalcon.bench.piece_states import ENDED
from wryfalcon.bench.queries.brought_back import BroughtBack
from wryfalcon.documents import parsed
from wryfalcon.kept import kept
from wryfalcon.lengths import say_depth, unit_shown
from wryfalcon.machines.queries.hands import caliper_sd_mm

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
    feels: Feel | None = None  # in a true lock, once every cut is measured


@dataclass(frozen=True)
class ShownProof:
    """All that the measurements of one key say."""

    cuts: tuple[ProvedCut, ...]
    sd: float  # of one cut's mean, family unit
    sd_once: float
    causes: tuple[Cause, ...]
    verdict: Verdict
    chance: float | None  # that the key turns freely in a true lock, as measured
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

    @property
    def mend_at(self) -> str:
        """The stage that can mend what is wrong."""
        return MENDS[self.causes[0].cause] if self.causes and not self.is_inside else ""

    @property
    def is_cut_again(self) -> bool:
        """Whether that is clamping another blank, rather than measuring once more."""
        return self.mend_at == "set-up"


@dataclass(frozen=True)
class ShallowCut:
    """A cut that can be taken deeper."""

    track: str
    space: int
    deepen_by_mm: float  # added to the command, mm


def caliper_sd(tag: Tag, piece: Piece, sources: Collection[str]) -> float:
    """The sd of one reading of a new cut, family unit: the hand's or the machine's caliper's, the worse used."""
    by_machine = [piece.machine.caliper_sd] if "caliper" in sources and piece.machine else []
    by_hand = [caliper_sd_mm()] if "typed" in sources or not sources else []
    return tag.family.depth.from_machine(max(by_machine + by_hand))


def proof_of(tag: Tag, piece: Piece) -> ShownProof | None:
    """Judge a finished key; None while the family has no tolerance to judge it by."""
    if tag.family.tolerance is None or tag.family_record is None:
        return None
    kept = _kept_values(piece)
    sd_once = caliper_sd(tag, piece, {value.source for values in kept.values() for value in values})
    seen = {
        place: Seen(
            *place,
            tuple(value.value for value in values),
            tuple(value.position for value in values if value.position is not None),
        )
        for place, values in kept.items()
    }
    return _proof(tag, piece, seen, sd_once)


def proof_brought_back(tag: Tag, piece: Piece, back: BroughtBack) -> ShownProof | None:
    """Judge a key by what it measured when it came back; the wear in between widens its by."""
    if tag.family.tolerance is None or tag.family_record is None:
        return None
    seen = {place: Seen(*place, tuple(values), ()) for place, values in back.values.items()}
    worn = back.worn.sd * tag.family.per_inch / tag.family.share_per_edge
    return _proof(tag, piece, seen, caliper_sd(tag, piece, {"typed"}), worn)


def _proof(
    tag: Tag, piece: Piece, seen: Mapping[tuple[str, int], Seen], sd_once: float, worn: float = 0.0
) -> ShownProof | None:
    settlement, record = piece.settlement, tag.family_record
    if settlement is None or record is None:
        return None  # nothing says what the key should measure
    every = tuple(
        seen.get((track.name, space), Seen(track.name, space, (), ()))
        for track in tag.family.tracks
        for space in range(1, len(track.spaces) + 1)
    )
    wanted = tuple((track.name, tuple(settlement.values[track.name])) for track in tag.family.tracks)
    bitting = tuple((track.name, tuple(settlement.bitting[track.name])) for track in tag.family.tracks)
    path = piece.set_up.style if piece.set_up else ""
    return _judged(record.document, bitting, wanted, every, Judging(sd_once, worn, path, unit_shown()))


@dataclass(frozen=True)
class Seen:
    """What was measured of one cut, repeats and all, family unit."""

    track: str
    space: int
    values: tuple[float, ...]
    positions: tuple[float, ...]


@dataclass(frozen=True)
class Judging:
    """How a key is judged: how well its cuts are known, the path that cut it, and the unit that is spoken in."""

    sd_once: float  # of one reading, family unit
    worn: float  # what wear may have taken since, sd, family unit
    style: str
    unit: Unit


@kept(256)
def _judged(
    document: str,
    bitting: tuple[tuple[str, tuple[str, ...]], ...],
    wanted: tuple[tuple[str, tuple[float, ...]], ...],
    seen: tuple[Seen, ...],
    by: Judging,
) -> ShownProof:
    """The same measurements say the same every time a page is looked at."""
    family = parsed(document)
    assert family.tolerance is not None
    fewest = min((len(cut.values) for cut in seen if cut.values), default=1)
    zero = sqrt(family.depth.from_machine(ZERO_MM) ** 2 + by.worn**2)
    sd = sqrt(by.sd_once**2 / fewest + zero**2)
    along, asked = _along_sd(family, sd), dict(wanted)
    proofs = [_mean_of(family, cut, asked[cut.track][cut.space - 1]) for cut in seen]
    verdicts = [judge_key([proof], sd, family.tolerance, along)[0].verdict if proof else None for proof in proofs]
    cuts = tuple(
        ProvedCut(
            track=cut.track,
            space=cut.space,
            from_gauge=family.track(cut.track).spaces[cut.space - 1],
            wanted=asked[cut.track][cut.space - 1],
            measured=proof.measured if proof else None,
            error=proof.error if proof else None,
            space_error=proof.space_error if proof else None,
            verdict=verdict,
            repeats=len(cut.values),
        )
        for cut, proof, verdict in zip(seen, proofs, verdicts, strict=True)
    )
    measured = [proof for proof in proofs if proof]
    cuts, chance = _forecast(family, dict(bitting), cuts, sd, by.style)
    return ShownProof(
        cuts=cuts,
        sd=sd,
        sd_once=by.sd_once,
        causes=_causes(measured, sd, family, by.unit),
        verdict=worst([verdict for verdict in verdicts if verdict is not None]),
        chance=chance,
        repeats_wanted=repeats_needed(by.sd_once, family.tolerance.value, len(cuts), zero=zero),
        can_judge=can_be_inside(sd, family.tolerance.value),
    )


def _causes(measured: Sequence[ProofCut], sd: float, family: Family, unit: Unit) -> tuple[Cause, ...]:
    if not measured or family.tolerance is None:
        return ()
    falls = family.tracks[0].falls_when_deeper
    among = family.kind.cutting.suspects if family.kind.cutting else None
    said = partial(say_depth, family, unit)
    along = _along_sd(family, sd)
    found = likely_causes(
        measured, sd, family.tolerance, falls_when_deeper=falls, among=among, say=said, sd_space=along
    )  # fmt: skip
    return tuple(found)


def _along_sd(family: Family, sd: float) -> float:
    """What one measurement's sd is for a position: the same, unless one of the two is an angle."""
    if family.space.quantity == family.depth.quantity:
        return sd
    return family.space.from_machine(family.depth.to_machine(sd))


def _kept_values(piece: Piece) -> defaultdict[tuple[str, int], list[ProofValue]]:
    kept: defaultdict[tuple[str, int], list[ProofValue]] = defaultdict(list)
    for value in piece.proof_values.filter(withdrawn=False):
        kept[value.track, value.space].append(value)
    return kept


def _mean_of(family: Family, cut: Seen, wanted: float) -> ProofCut | None:
    if not cut.values:
        return None
    return ProofCut(
        space=cut.space,
        from_gauge=family.track(cut.track).spaces[cut.space - 1],
        value=wanted,
        measured=sum(cut.values) / len(cut.values),
        measured_space=sum(cut.positions) / len(cut.positions) if cut.positions else None,
    )


def _forecast(
    family: Family, bitting: Mapping[str, Sequence[str]], cuts: Sequence[ProvedCut], sd: float, style: str
) -> tuple[tuple[ProvedCut, ...], float | None]:
    """Stand the tumblers on the key as measured: how each feels, and the chance that all turn freely.

    The uncertainty left is the measuring's. Nothing is forecast before every cut is measured.
    """
    if any(cut.measured is None for cut in cuts):
        return tuple(cuts), None
    felt: list[Feel] = []
    making, play = Making(sd, 0.0), play_of(family)
    along = _along(family, cuts, _along_sd(family, sd))
    chance = 0.0
    for shift, weight in places_along(along):
        away: list[float] = []
        for track in family.tracks:
            values = [cut.measured for cut in cuts if cut.track == track.name and cut.measured is not None]
            away += deviations_of(family, track, track.steps(bitting[track.name]), values, shift, style)
        chance += weight * chance_of_turning(away, making, play, NEW_LOCK)
    for track in family.tracks:
        values = [cut.measured for cut in cuts if cut.track == track.name and cut.measured is not None]
        stands = deviations_of(family, track, track.steps(bitting[track.name]), values, along.mean, style)
        felt += [feel_of(deviation, play) for deviation in stands]
    standing = tuple(replace(cut, feels=feel) for cut, feel in zip(cuts, felt, strict=True))
    return standing, chance


def _along(family: Family, cuts: Sequence[ProvedCut], sd: float) -> Spread:
    """How far all cuts sit along the blade: as measured, or as far as the family allows where nothing was."""
    measured = [cut.space_error for cut in cuts if cut.space_error is not None]
    if not measured:
        return usually_along(family)
    return Spread(sum(measured) / len(measured), sd / len(measured) ** 0.5)


def cuts_to_deepen(tag: Tag, proof: ShownProof | None) -> list[ShallowCut]:
    """The measured cuts that are shallow by enough to be worth cutting again."""
    if proof is None or tag.family.tolerance is None:
        return []
    shallow = []
    for cut in proof.cuts:
        if cut.error is None:
            continue
        track = tag.family.track(cut.track)
        too_shallow = cut.error if track.falls_when_deeper else -cut.error
        if too_shallow > CUT_SHALLOW_SHARE * tag.family.tolerance.value and cut.verdict != Verdict.INSIDE:
            shallow.append(ShallowCut(cut.track, cut.space, tag.family.depth.to_machine(-cut.error)))
    return shallow


def passed_keys(tag: Tag) -> int:
    """How many keys of this tag were proven good enough; a touched-up key counts once."""
    live = Piece.objects.filter(onto=OuterRef("piece")).exclude(state__in=ENDED)
    passed = Proof.objects.filter(~Exists(live), piece__tag=tag, piece__state=PieceState.FINISHED, passed=True)
    return len(set(passed.values_list("piece__key_number", flat=True)))
