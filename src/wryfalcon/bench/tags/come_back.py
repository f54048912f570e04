"""A key of ours that came back: where, when and with what it was made, and what became of that machine since."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta

from django.db.models import QuerySet
from django.utils import timezone

from wryfalcon.bench.models import MadeHow, Piece, Tag
from wryfalcon.machines.models import Cutter, Machine, Trim, Work

SOON = timedelta(days=30)
"""A key that comes back within so long is taken to be wrong as made, not worn; common practice, no source."""
MOVES = [work for work in Work if work.moves_it or work == Work.SWAPPED]


@dataclass(frozen=True)
class MadeThen:
    """How a key that came back was made; None for what nobody knows or there is not."""

    piece: Piece
    days: int  # from the making to the coming back
    machine: Machine | None
    cutter: Cutter | None
    fitted: Cutter | None  # now
    trimmed_at: datetime | None  # its machine, last before now
    done_since: tuple[Work, ...]  # to its machine

    @property
    def is_soon(self) -> bool:
        """Whether it came back so soon that the way it was made is looked at first."""
        return timedelta(days=self.days) <= SOON


def made_then(tag: Tag) -> MadeThen | None:
    """How the key of a tag that came back was made; None for a tag of no such key."""
    if tag.made_by_id is None:
        return None
    piece = tag.made_by
    assert piece is not None
    assert piece.finished_at is not None  # only made keys come back
    machine = piece.machine
    days = max(0, (tag.taken_in_at - piece.finished_at).days)
    if machine is None:
        return MadeThen(piece, days, None, None, None, None, ())
    moves = _moves(machine)
    cutter = piece.set_up.cutter if piece.set_up is not None else piece.cutter
    done = tuple(Work(what) for what in dict.fromkeys(what for what, at in moves if at > piece.finished_at))
    touched_at = max((at for what, at in moves if what == Work.TOUCHED), default=None)
    trimmed_at = max(filter(None, (touched_at, _measured(machine).first())), default=None)
    return MadeThen(piece, days, machine, cutter, machine.fitted, trimmed_at, done)


def piece_that_made(pk: int) -> Piece:
    """The piece of a key that came back, with all that is said of how it was made."""
    made = Piece.objects.select_related("machine__fitted", "cutter", "set_up__cutter", "tag", "maker").only(
        "key_number", "try_number", "onto", "touched", "values", "finished_at", "made_how", "tag__number",
        "machine__name", "machine__fitted__name", "cutter__name", "set_up__cutter__name", "maker__username",
        "maker__first_name", "maker__last_name",
    )  # fmt: skip
    return made.get(pk=pk)


def _moves(machine: Machine) -> list[tuple[str, datetime]]:
    return list(machine.work.filter(what__in=MOVES).order_by("at").values_list("what", "at"))


def is_copied_again(maker: Tag, now: datetime) -> bool:
    """Whether a key of this tag that comes back now is looked at as a copy: traced, and not long ago."""
    traced = maker.pieces.filter(made_how=MadeHow.TRACED, finished_at__gt=now - SOON)
    return maker.is_copied and traced.exists()


def _measured(machine: Machine) -> QuerySet[Trim, datetime | None]:
    closed = Trim.objects.filter(machine=machine, is_check=False, closed_at__isnull=False)
    return closed.order_by("-closed_at").values_list("closed_at", flat=True)


def made_then_words(made: MadeThen) -> str:
    """Where, when and with what it was made, the last trim, and what was done to the machine since."""
    parts = [f"{made.piece.called.capitalize()} of tag {made.piece.tag}, {_made(made)}", *_since(made)]
    return ". ".join(parts) + "."


def _made(made: MadeThen) -> str:
    assert made.piece.finished_at is not None
    at = timezone.localtime(made.piece.finished_at)
    days = f"{made.days} day{'' if made.days == 1 else 's'} before it came back"
    wheel = f", wheel {made.cutter}" if made.cutter is not None else ""
    who = f", by {made.piece.maker}" if made.piece.maker is not None else ""
    return f"{made.piece.made_where} on {at:%d %b}{wheel}{who}, {days}"


def _since(made: MadeThen) -> list[str]:
    if made.machine is None:
        return []
    done = [work.done for work in made.done_since]
    if made.cutter is not None and made.fitted is not None and made.fitted.pk != made.cutter.pk:
        done.append(f"it has {made.fitted} fitted now")
    trimmed = f"Last trimmed {timezone.localtime(made.trimmed_at):%d %b}" if made.trimmed_at else "Never trimmed here"
    return [trimmed, f"Since the key was made: {', '.join(done)}" if done else "Nothing was done to it since"]
