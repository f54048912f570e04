"""How much may be taken off each cut of a made key: from its measures, its lock's play and what was felt; and shown."""

from __future__ import annotations

from dataclasses import dataclass

from keycore.errors import InputError
from keycore.family import Family
from keycore.proving.lock import Feel, LockShift, lock_prior, play_of
from keycore.proving.measured import MeasuredKey
from keycore.proving.prospect import deviations_of
from keycore.proving.room import Felt as FeltAt
from keycore.proving.room import Room, Stand, room_left
from keycore.reading.evidence import Spread
from keycore.units import Unit
from wryfalcon.bench.models import Felt, Piece, Tag, Trial
from wryfalcon.bench.proving.queries import Ground
from wryfalcon.bench.settling.prospects import FEELS, LOCK_WEAR_MM, making_of
from wryfalcon.documents import parsed
from wryfalcon.kept import kept
from wryfalcon.lengths import figure, show_small, unit_shown, unit_words


@dataclass(frozen=True)
class CutRoom:
    """One cut, and what may be taken off it, family unit."""

    track: str
    space: int
    room: Room


@dataclass(frozen=True)
class RoomAsked:
    """All that the room of a key depends on; family unit."""

    document: str
    bitting: tuple[tuple[str, tuple[str, ...]], ...]
    values: tuple[tuple[str, tuple[float, ...]], ...]  # as measured, else as wanted
    sds: tuple[float, ...]  # of each cut alone, in the order of the values
    common_sd: float
    style: str
    felt: FeltAt | None


def rooms_of(tag: Tag, piece: Piece, ground: Ground) -> list[CutRoom]:
    """What may be taken off each cut; nothing where what the key is to be is not known, or no lock's play is."""
    asked = _asked(tag, piece, ground)
    try:
        return _rooms(asked) if asked is not None else []
    except InputError:
        return []


def tip_height(tag: Tag, piece: Piece) -> tuple[float, float] | None:
    """How high the corner of the tip may stand for it to lift the first tumbler, and its sd, family unit on one edge.

    None where nothing is known of the key's edge, or where it clears as it is.
    """
    values = piece.wanted_values
    cutting = tag.family.kind.cutting if tag.family_record is not None else None
    if values is None or cutting is None or cutting.tip_may_stand is None:
        return None
    try:
        return cutting.tip_may_stand(tag.family, values)
    except InputError:
        return None


def felt_of(tag: Tag, trials: tuple[Trial, ...]) -> FeltAt | None:
    """What the last trials say of the key: the worst of them, at its cut; None where it was not tried."""
    worst = max(trials, key=lambda trial: _badness(trial), default=None)
    if worst is None or not _feels(worst):
        return None
    feel = max(_feels(worst), key=list(Feel).index)
    at = None
    if worst.at_cut is not None and feel != Feel.FREE:
        places = [(track.name, space) for track in tag.family.tracks for space in range(1, len(track.spaces) + 1)]
        at = places.index((worst.at_track, worst.at_cut)) if (worst.at_track, worst.at_cut) in places else None
    return FeltAt(feel, at)


def _badness(trial: Trial) -> int:
    return max((list(Feel).index(feel) for feel in _feels(trial)), default=0)


def _feels(trial: Trial) -> list[Feel]:
    return [FEELS[felt] for felt in (trial.enters, trial.turns, trial.leaves) if felt in FEELS and felt != Felt.UNKNOWN]


def _asked(tag: Tag, piece: Piece, ground: Ground) -> RoomAsked | None:
    labels, values, record = piece.wanted_bitting, piece.wanted_values, tag.family_record
    if labels is None or values is None or record is None:
        return None
    making, measured = making_of(tag), ground.measured
    known = _measured(measured) if measured is not None else {}
    places = [(track.name, space) for track in tag.family.tracks for space in range(1, len(track.spaces) + 1)]
    at = {place: known.get(place, values[place[0]][place[1] - 1]) for place in places}
    return RoomAsked(
        record.document,
        tuple((track.name, tuple(labels[track.name])) for track in tag.family.tracks),
        tuple(
            (track.name, tuple(at[track.name, space] for space in range(1, len(track.spaces) + 1)))
            for track in tag.family.tracks
        ),
        tuple(measured.sd if place in known and measured is not None else making.sd_each for place in places),
        0.0 if len(known) == len(places) else making.sd_common,
        piece.set_up.style if piece.set_up else "",
        felt_of(tag, ground.last_trials),
    )


def _measured(measured: MeasuredKey) -> dict[tuple[str, int], float]:
    return {(cut.track, cut.space): cut.measured for cut in measured.cuts if cut.measured is not None}


@kept(128)
def _rooms(asked: RoomAsked) -> list[CutRoom]:
    """The same key in the same lock has the same room every time a page is looked at."""
    family = parsed(asked.document)
    labels, share = dict(asked.bitting), family.share_per_edge
    places, means = [], []
    for name, values in asked.values:
        track = family.track(name)
        away = deviations_of(family, track, track.steps(labels[name]), values, style=asked.style)
        places += [(name, space) for space in range(1, len(values) + 1)]
        means += list(away)
    stands = [Stand(mean, sd * share) for mean, sd in zip(means, asked.sds, strict=True)]
    rooms = room_left(stands, asked.common_sd * share, play_of(family), _lock(family), asked.felt)
    return [
        CutRoom(name, space, Room(room.safe / share, room.middle / share))
        for (name, space), room in zip(places, rooms, strict=True)
    ]


def _lock(family: Family) -> LockShift:
    """How a lock that was worn with its key may have shifted."""
    return lock_prior(Spread(*(family.depth.from_machine(x) for x in (LOCK_WEAR_MM.mean, LOCK_WEAR_MM.sd))))


@dataclass(frozen=True)
class CutTaken:
    """One cut, and what may be taken off it."""

    value: str  # as the form sends it back
    words: str
    safe: str
    middle: str
    amount: str  # as it would be typed: whole thousandths or hundredths, never more than is safe
    is_asked: bool  # what was felt asks for this one


@dataclass(frozen=True)
class Taking:
    """What may be taken, and where."""

    cuts: tuple[CutTaken, ...]
    unit: str
    tip: str  # where the tip catches; "" where nobody said so
    is_asked: bool  # the key did not go freely
    on_machine: str  # that can cut it again; "" for none
    lock: int | None  # the one that asked for it
    reason: str

    @property
    def first(self) -> CutTaken | None:
        """The cut to begin with: the one that was felt, else the one with the most room."""
        return next((cut for cut in self.cuts if cut.is_asked), None)


def room_shown(tag: Tag, piece: Piece, ground: Ground) -> Taking:
    """What a page shows of it."""
    felt, unit = felt_of(tag, ground.last_trials), unit_shown()
    rooms = rooms_of(tag, piece, ground)
    at = felt.at if felt is not None else None
    several = len(tag.family.tracks) > 1
    cuts = tuple(_taken(tag, room, unit, several=several, is_asked=place == at) for place, room in enumerate(rooms))
    worst = next((each for each in ground.last_trials if each.at_cut is not None or each.at_tip), None)
    is_asked = bool(ground.trials) and not ground.is_free
    return Taking(
        cuts=cuts,
        unit="thou" if unit == Unit.INCH else "hundredths of a millimetre",
        tip=_tip(tag, piece) if any(trial.at_tip for trial in ground.last_trials) else "",
        is_asked=is_asked,
        on_machine=str(piece.machine) if piece.machine is not None and piece.set_up_id is not None else "",
        lock=worst.lock_id if worst else next((trial.lock_id for trial in ground.last_trials), None),
        reason=felt.feel.value if felt is not None and is_asked else "",
    )


def _taken(tag: Tag, cut: CutRoom, unit: Unit, *, several: bool, is_asked: bool) -> CutTaken:
    depth = tag.family.depth
    step = 25.4 if unit == Unit.INCH else 10.0  # micrometres in a thousandth of an inch, in a hundredth of a millimetre
    whole = int(depth.to_machine(cut.room.safe) * 1000 / step)
    return CutTaken(
        value=f"{cut.track}:{cut.space}",
        words=f"{cut.track} {cut.space}" if several else str(cut.space),
        safe=show_small(depth, cut.room.safe, unit),
        middle=show_small(depth, cut.room.middle, unit),
        amount=str(whole) if whole else "",
        is_asked=is_asked,
    )


def _tip(tag: Tag, piece: Piece) -> str:
    may = tip_height(tag, piece)
    if may is None:
        return "By its depths the tip clears as it is: look for a burr, or dirt in the keyway."
    lengths = tag.family.lengths
    height, doubt = (figure(lengths, value / tag.family.share_per_edge) for value in (may[0], 2 * may[1]))
    return (
        f"Its corner may stand at most {height} {unit_words(lengths)} high, give or take {doubt}: bevel it at 45° down "
        "to there, and no more."
    )
