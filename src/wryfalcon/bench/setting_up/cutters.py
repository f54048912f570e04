"""Which of the shop's cutters serve a key, and what a wrong one would do to it."""

from __future__ import annotations

from dataclasses import dataclass

from django.db.models import Count, Max, Q

from keycore.cutting.plan import cutting_of
from keycore.proving.lock import chance_of_turning, play_of
from keycore.tools import Tool
from wryfalcon.bench.models import PieceState, Settlement, Tag
from wryfalcon.bench.setting_up.planning import made_tool, plan_of, serves
from wryfalcon.bench.setting_up.presenters import said_problems
from wryfalcon.bench.settling.prospects import making_of
from wryfalcon.drawings.key import KeyDrawing, draw_key
from wryfalcon.machines.models import Cutter, CutterLook, Work

TELLING = 0.1  # of the play: a tumbler moved by less is not spoken of


@dataclass(frozen=True)
class MovedTumbler:
    """A tumbler that a wrong cutter would stand elsewhere: positive is high."""

    track: str
    space: int
    by: float  # family unit, on one edge


@dataclass(frozen=True)
class CutterFit:
    """A cutter of the shop against what a key asks for."""

    cutter: Cutter
    serves: bool
    keys: int  # made with it so far
    fitted_to: str
    moved: tuple[MovedTumbler, ...] = ()
    problems: tuple[str, ...] = ()
    chance: float | None = None  # that the key turns in a lock as new
    look: CutterLook | None = None  # its shape by the last test cuts since it was new


def cutters_for(tag: Tag, settlement: Settlement) -> list[CutterFit]:
    """Every cutter, those that serve first. Raises InputError for a family without blank or cut."""
    own = tag.family.tracks[0].tool
    cutters = (
        Cutter.that_are(cutting_of(tag.family).tool)
        .prefetch_related("fitted_to", "looks")
        .annotate(
            keys=Count("setup__pieces", filter=Q(setup__pieces__state=PieceState.FINISHED), distinct=True),
            new_at=Max("work__at", filter=Q(work__what=Work.WHEEL)),
        )
    )
    fits = [_fit(tag, settlement, cutter, own) for cutter in cutters]
    return sorted(fits, key=lambda fit: (not fit.serves, -(fit.chance or 0), fit.cutter.name))


def _fit(tag: Tag, settlement: Settlement, cutter: Cutter, own: Tool | None) -> CutterFit:
    does = own is not None and serves(tag, own, cutter)
    look = last_look(cutter)
    fitted = ", ".join(machine.name for machine in cutter.fitted_to.all())
    keys = int(getattr(cutter, "keys", 0))
    play, making = play_of(tag.family), making_of(tag)
    moved, away = [], []
    stand, worn = cutting_of(tag.family).tumbler_heights, made_tool(tag.family, look or cutter)
    for track in tag.family.tracks:
        values = settlement.values[track.name]
        made, right = stand(tag.family, track, values, tool=worn), stand(tag.family, track, values)
        for space, (now, wanted) in enumerate(zip(made, right, strict=True), start=1):
            away.append(now - wanted)
            if abs(now - wanted) > TELLING * min(play.high, play.low):
                moved.append(MovedTumbler(track.name, space, now - wanted))
    problems = () if does else tuple(p.says for p in said_problems(plan_of(tag, settlement, cutter=cutter)))
    return CutterFit(cutter, does, keys, fitted, tuple(moved), problems, chance_of_turning(away, making, play), look)


def last_look(cutter: Cutter) -> CutterLook | None:
    """The cutter's shape as it was last measured, if that was since it was new."""
    look, new_at = next(iter(cutter.looks.all()), None), getattr(cutter, "new_at", None)
    return look if look is not None and (new_at is None or look.at > new_at) else None


def drawn_with(tag: Tag, settlement: Settlement, fit: CutterFit) -> KeyDrawing:
    """The key as a cutter would leave it, as measured if it was, the right one's edge as an outline over it."""
    family, shape = tag.family, cutting_of(tag.family).shape
    made = shape(family, settlement.values, tool=made_tool(family, fit.look or fit.cutter))
    return draw_key(family, made, shape(family, settlement.values))
