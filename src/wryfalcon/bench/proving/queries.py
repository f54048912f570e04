"""What the measurements of a new key say: errors, verdicts, causes, forecast."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass
from functools import partial
from math import sqrt

from django.db.models import Exists, OuterRef, QuerySet

from keycore.kinds.causes import MendedBy
from keycore.proving.measured import CutReadings, MeasuredKey, Measuring, judge_measured
from keycore.proving.verdict import Verdict
from keycore.units import Unit
from wryfalcon.bench.authority import IN_HAND
from wryfalcon.bench.brought_back import BroughtBack
from wryfalcon.bench.models import Felt, Lock, Piece, PieceState, ProofValue, ProvenBy, Tag, Trial
from wryfalcon.bench.piece_states import ENDED
from wryfalcon.documents import parsed
from wryfalcon.kept import kept
from wryfalcon.lengths import say_depth, unit_shown
from wryfalcon.machines.hands.queries import caliper_sd_mm

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


@dataclass(frozen=True)
class Ground:
    """What a verdict on a key can rest on: its measures, how it went in its locks, the pattern it was copied from."""

    measured: MeasuredKey | None
    locks: tuple[Lock, ...]
    trials: tuple[Trial, ...]  # of this key, oldest first
    has_pattern: bool

    @property
    def is_measured(self) -> bool:
        """Whether every cut was."""
        return self.measured is not None and not self.measured.unmeasured

    @property
    def tried(self) -> tuple[Lock, ...]:
        """The locks it was tried in."""
        return tuple(lock for lock in self.locks if any(trial.lock_id == lock.pk for trial in self.trials))

    @property
    def left(self) -> tuple[Lock, ...]:
        """The locks it is still to be tried in."""
        return tuple(lock for lock in self.locks if lock not in self.tried)

    @property
    def last_trials(self) -> tuple[Trial, ...]:
        """How it went in each lock each way up in the end: after working it, where that was tried."""
        last = {(trial.lock_id, trial.way_up): trial for trial in sorted(self.trials, key=lambda trial: trial.worked)}
        return tuple(last.values())

    @property
    def is_free(self) -> bool:
        """Whether every lock it was tried in says yes: it turns freely, and neither way in nor out says otherwise."""
        felt = [(trial.enters, trial.turns, trial.leaves) for trial in self.last_trials]
        return bool(felt) and all(turns == Felt.FREE and {into, out} <= {Felt.FREE, ""} for into, turns, out in felt)

    @property
    def is_good(self) -> bool:
        """Whether it needs no reason to be called so: its locks say yes, or untried it measures inside."""
        if self.trials:
            return self.is_free
        return self.is_measured and self.measured is not None and self.measured.is_inside

    def proven_by(self, *, is_compared: bool = False) -> ProvenBy | None:
        """The class of a verdict by what was done; None where nothing was."""
        if self.trials:
            return ProvenBy.BOTH if self.is_measured else ProvenBy.TRIED
        if self.is_measured:
            return ProvenBy.MEASURED
        return ProvenBy.COMPARED if is_compared and self.has_pattern else None


def ground_of(tag: Tag, piece: Piece, measured: MeasuredKey | None) -> Ground:
    """What is there to judge a key by, its measures given."""
    has_pattern = tag.is_copied or tag.on_bench in IN_HAND
    locks, trials = tuple(locks_to_work(tag)), tuple(_trials(piece))
    return Ground(measured, easiest_first(locks), trials, has_pattern)


def locks_to_work(tag: Tag) -> list[Lock]:
    """The locks that a tag's key must work."""
    return list(tag.locks.all())


def _trials(piece: Piece) -> list[Trial]:
    return list(piece.trials.select_related("lock"))


def easiest_first(locks: Iterable[Lock]) -> tuple[Lock, ...]:
    """Locks as a new key is tried in them: the one that likes the old key best first, the one that matters after."""
    liking = [Felt.FREE, Felt.RUBS, Felt.UNKNOWN, Felt.SNAGS, Felt.STUCK]
    return tuple(sorted(locks, key=lambda lock: (-(lock.grade or 0), liking.index(Felt(lock.turns)), lock.pk)))


def caliper_sd(tag: Tag, piece: Piece, sources: Collection[str]) -> float:
    """The sd of one reading of a new cut, family unit: the hand's or the machine's caliper's, the worse used."""
    by_machine = [piece.machine.caliper_sd] if "caliper" in sources and piece.machine else []
    by_hand = [caliper_sd_mm()] if "typed" in sources or not by_machine else []
    return tag.family.depth.from_machine(max(by_machine + by_hand))


def proof_of(tag: Tag, piece: Piece, values: Iterable[ProofValue] | None = None) -> MeasuredKey | None:
    """Judge a finished key; None where nothing says what it should measure, or by how much it may be off.

    ``values`` are those measured of it, where they are in hand already.
    """
    if tag.family_record is None or tag.family.tolerance is None:
        return None
    kept: defaultdict[tuple[str, int], list[ProofValue]] = defaultdict(list)
    for value in proof_values(piece) if values is None else values:
        kept[value.track, value.space].append(value)
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
    values, labels, record = piece.wanted_values, piece.wanted_bitting, tag.family_record
    if values is None or labels is None or record is None:
        return None  # nothing says what the key should measure
    every = tuple(
        measured.get((track.name, space), CutReadings(track.name, space))
        for track in tag.family.tracks
        for space in range(1, len(track.spaces) + 1)
    )
    wanted = tuple((track.name, tuple(values[track.name])) for track in tag.family.tracks)
    bitting = tuple((track.name, tuple(labels[track.name])) for track in tag.family.tracks)
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


def proof_values(piece: Piece) -> list[ProofValue]:
    """What was measured of a key and stands."""
    return list(piece.proof_values.filter(withdrawn=False))


def cuts_to_deepen(tag: Tag, proof: MeasuredKey | None) -> list[ShallowCut]:
    """The measured cuts that are shallow by enough to be worth cutting again."""
    if proof is None or tag.family.tolerance is None or not tag.family.can_be_recut:
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
    return len(set(passed_pieces(tag).values_list("key_number", flat=True)))


def passed_pieces(tag: Tag) -> QuerySet[Piece]:
    """The keys of this tag that were proven good enough, as they are after any touching up."""
    live = Piece.objects.filter(onto=OuterRef("pk")).exclude(state__in=ENDED)
    return Piece.objects.filter(~Exists(live), tag=tag, state=PieceState.FINISHED, proof__passed=True)
