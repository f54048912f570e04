"""How much may be taken off each cut of a key, as its page shows it."""

from __future__ import annotations

from dataclasses import dataclass

from keycore.units import Unit
from wryfalcon.bench.models import Piece, Tag
from wryfalcon.bench.proving.queries import Ground
from wryfalcon.bench.proving.room import CutRoom, felt_of, rooms_of, tip_height
from wryfalcon.lengths import figure, show_small, unit_shown, unit_words


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
