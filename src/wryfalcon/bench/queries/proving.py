"""What the measurements of a new key say: errors, verdicts, causes, forecast."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Mapping
from dataclasses import dataclass
from functools import partial
from math import sqrt

from django.db.models import Exists, OuterRef

from keycore.kinds.causes import MendedBy
from keycore.proving.measured import CutReadings, MeasuredKey, Measuring, judge_measured
from keycore.proving.verdict import Verdict
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
MENDS = {MendedBy.CUTTING: "set-up", MendedBy.MEASURING: "prove", MendedBy.NOTHING: ""}
"""The stage that mends a key."""


def mend_of(proof: MeasuredKey) -> str:
    """The stage that can mend what is wrong with a key, "" where nothing is or none can."""
    return MENDS[proof.causes[0].mended_by] if proof.causes and not proof.is_inside else ""


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


def proof_of(tag: Tag, piece: Piece) -> MeasuredKey | None:
    """Judge a finished key; None while the family has no tolerance to judge it by."""
    if tag.family.tolerance is None or tag.family_record is None:
        return None
    kept = _kept_values(piece)
    sd_once = caliper_sd(tag, piece, {value.source for values in kept.values() for value in values})
    measured = {
        place: CutReadings(
            *place,
            tuple(value.value for value in values),
            tuple(value.position for value in values if value.position is not None),
        )
        for place, values in kept.items()
    }
    return _proof(tag, piece, measured, sd_once)


def proof_brought_back(tag: Tag, piece: Piece, back: BroughtBack) -> MeasuredKey | None:
    """Judge a key by what it measured when it came back; the wear in between widens its doubt."""
    if tag.family.tolerance is None or tag.family_record is None:
        return None
    measured = {place: CutReadings(*place, tuple(values)) for place, values in back.values.items()}
    worn = back.worn.sd * tag.family.per_inch / tag.family.share_per_edge
    return _proof(tag, piece, measured, caliper_sd(tag, piece, {"typed"}), worn)


def _proof(
    tag: Tag, piece: Piece, measured: Mapping[tuple[str, int], CutReadings], sd_once: float, worn: float = 0.0
) -> MeasuredKey | None:
    settlement, record = piece.settlement, tag.family_record
    if settlement is None or record is None:
        return None  # nothing says what the key should measure
    every = tuple(
        measured.get((track.name, space), CutReadings(track.name, space))
        for track in tag.family.tracks
        for space in range(1, len(track.spaces) + 1)
    )
    wanted = tuple((track.name, tuple(settlement.values[track.name])) for track in tag.family.tracks)
    bitting = tuple((track.name, tuple(settlement.bitting[track.name])) for track in tag.family.tracks)
    path = piece.set_up.style if piece.set_up else ""
    zero = sqrt(tag.family.depth.from_machine(ZERO_MM) ** 2 + worn**2)
    return _judged(record.document, bitting, wanted, every, Judging(Measuring(sd_once, zero), path, unit_shown()))


@dataclass(frozen=True)
class Judging:
    """How a key is judged: how well its cuts are known, the path that cut it, and the unit that is spoken in."""

    by: Measuring
    style: str
    unit: Unit


@kept(256)
def _judged(
    document: str,
    bitting: tuple[tuple[str, tuple[str, ...]], ...],
    wanted: tuple[tuple[str, tuple[float, ...]], ...],
    measured: tuple[CutReadings, ...],
    judging: Judging,
) -> MeasuredKey:
    """The same measurements say the same every time a page is looked at."""
    family = parsed(document)
    say = partial(say_depth, family, judging.unit)
    return judge_measured(family, dict(bitting), dict(wanted), measured, judging.by, say=say, style=judging.style)


def _kept_values(piece: Piece) -> defaultdict[tuple[str, int], list[ProofValue]]:
    kept: defaultdict[tuple[str, int], list[ProofValue]] = defaultdict(list)
    for value in piece.proof_values.filter(withdrawn=False):
        kept[value.track, value.space].append(value)
    return kept


def cuts_to_deepen(tag: Tag, proof: MeasuredKey | None) -> list[ShallowCut]:
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
