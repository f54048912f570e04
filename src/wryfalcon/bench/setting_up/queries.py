"""What a set-up card rests on, and what of it no longer holds: asked by the pages, at sending and at starting."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from enum import Enum, auto
from hashlib import sha256
from itertools import starmap
from typing import Any

from django.db.models import Max

from keycore.cutting.commands import MachineOffsets, moves_of
from keycore.errors import InputError
from keycore.family import Family
from keycore.kind import HandCheck, RestsOn
from wryfalcon.bench.models import Piece, PieceState, Settlement, SetUp, Tag
from wryfalcon.bench.setting_up.planning import plan_of
from wryfalcon.machines.models import (
    Cutter,
    JawSide,
    Machine,
    MachineOffset,
    MachineWork,
    OffsetChange,
    Practice,
    Trim,
    Work,
)
from wryfalcon.machines.offsets import OFFSET_NOW, OffsetNow, added_up

EVERY_TICK = None
"""All checks fall, whichever the kind of key has."""
OF_THE_WHEEL = frozenset({RestsOn.TOOL})
OF_THE_CLAMPING = frozenset({RestsOn.CLAMPING})
TELLING = 0.0005  # mm: commands closer than this are the same
MOVES = [work.value for work in Work if work.moves_it or work == Work.SWAPPED]


class Moved(Enum):
    """What moved under a card."""

    BITTING = auto()  # another was settled
    CARD = auto()  # another was made
    TABLE = auto()  # the family's
    NO_LINE = auto()  # the machine is not driven from here any more
    CUTTER_SHAPE = auto()
    OTHER_WHEEL = auto()
    SWAPPED = auto()
    NEW_WHEEL = auto()
    JAW = auto()
    WORK = auto()
    PLAN = auto()  # it cannot be cut so any more
    CUTS = auto()  # its commands are not those of its plan
    DEPTHS = auto()
    PLACES = auto()
    SINCE_PLANNED = auto()  # of a touch-up


@dataclass(frozen=True)
class Lapse:
    """Something that a card rests on and that holds no longer, and which checks fall with it."""

    moved: Moved
    falls: frozenset[RestsOn] | None  # the checks that rest on these; EVERY_TICK for all
    to_remake: bool = False  # the card itself is wrong; else the checks are gone through again
    detail: str = ""
    by: float = 0.0  # mm


@dataclass(frozen=True)
class Holding:
    """A card and all that no longer holds of it."""

    card: SetUp
    lapses: tuple[Lapse, ...]
    checks: tuple[HandCheck, ...] = ()  # that its kind of key asks for
    last_work: int = 0  # on its machine, since it was checked
    is_practised: bool = False  # nothing is cut by any card on its machine: a practice has put it out of true

    @property
    def ticks(self) -> list[str]:
        """The checks that were done and still hold."""
        return [
            check.id
            for check in self.checks
            if check.id in self.card.ticks
            and not any(lapse.falls is None or check.rests_on in lapse.falls for lapse in self.lapses)
        ]

    @property
    def to_remake(self) -> bool:
        """Whether only a card made anew will do."""
        return any(lapse.to_remake for lapse in self.lapses)

    @property
    def is_checked(self) -> bool:
        """Whether every check was done and nothing has changed since."""
        return self.card.checked_at is not None and not self.lapses

    @property
    def known(self) -> str:
        """A word for exactly these lapses: sent back by a page that showed them, by whoever goes on all the same."""
        told_apart = " ".join(f"{lapse.moved.name} {lapse.detail} {lapse.by:.4f}" for lapse in self.lapses)
        return sha256(told_apart.encode()).hexdigest()[:12] if self.lapses else ""

    @property
    def seen(self) -> str:
        """What a page that shows this card has seen: sent back with the checks, so that they are of this.

        The card, the wheel that is fitted, and the last work on the machine since it was checked, in a word.
        """
        return f"{self.card.pk}.{self.card.machine.fitted_id or 0}.{self.last_work}"


def hand_checks(family: Family) -> tuple[HandCheck, ...]:
    """What is checked by hand before a key of this family is cut; nothing for one that is not cut from here."""
    return family.kind.cutting.handling if family.kind.cutting else ()


def clamping_checks(tag: Tag, piece: Piece) -> tuple[HandCheck, ...]:
    """What is checked again as a made key is clamped once more: what its card has ticked was of another clamping."""
    if piece.onto_id is None or piece.state != PieceState.LOADED or (piece.settlement and piece.settlement.is_try):
        return ()
    return tuple(check for check in hand_checks(tag.family) if check.rests_on == RestsOn.CLAMPING)


def last_work(machine: Machine) -> int:
    """The last work on a machine after which what was checked of it is checked again; 0 for none."""
    return machine.work.filter(what__in=MOVES).aggregate(last=Max("pk"))["last"] or 0


def commands_of(
    tag: Tag, settlement: Settlement, cutter: Cutter, style: str, offsets: MachineOffsets, height: float | None = None
) -> list[dict[str, Any]]:
    """What a machine is told to cut, its offsets put in, by the blank's measured ``height`` where it was; mm.

    Raises InputError for what cannot be planned.
    """
    plan = plan_of(tag, settlement, style=style, cutter=cutter)
    clampings = {clamping.number: clamping for clamping in plan.clampings}
    are_several = len({clamping.tool for clamping in clampings.values()}) > 1
    return [
        {
            "clamping": move.clamping,
            "track": move.place.track,
            "space": move.place.space,
            "place": f"{clampings[move.clamping].words_of(move.place.track)} {move.place.space}",
            "position": move.position,
            "value": move.value,
            **({"tool": clampings[move.clamping].tool} if are_several else {}),
        }
        for move in moves_of(plan, offsets, None if height is None else tag.family.lengths.from_machine(height))
    ]


def rests_on(tag: Tag, cutter: Cutter, jaw_side: JawSide | None, height: float | None = None) -> dict[str, Any]:
    """What else a card rests on, beside its commands: kept with it, and compared later."""
    assert tag.family_record is not None
    return {
        "family": sha256(tag.family_record.document.encode()).hexdigest(),
        "cutter": [cutter.flat, cutter.angle],
        "jaw": _held_by(jaw_side),
        **({} if height is None else {"height": height}),
    }


@dataclass(frozen=True, slots=True)
class WorkNow:
    """Something that was done to a machine."""

    pk: int
    machine_id: int
    what: str


@dataclass(frozen=True)
class MachinesNow:
    """What cards rest on of some machines, read at once: offsets, work since, practices."""

    offsets: tuple[OffsetNow, ...]
    works: tuple[WorkNow, ...]
    practising: frozenset[int]

    @classmethod
    def of(cls, cards: Iterable[SetUp], *, practices: bool = True) -> MachinesNow:
        """Of the machines of these cards, with or without practices; a plain query each for however many."""
        cards = list(cards)
        machines = tuple({card.machine_id for card in cards})
        works = _works(machines, min((card.work_seen for card in cards), default=0))
        return cls(
            tuple(starmap(OffsetNow, _offsets(machines))),
            tuple(starmap(WorkNow, works)),
            frozenset(_practising(machines)) if practices else frozenset(),
        )


def _offsets(machines: tuple[int, ...]) -> list[tuple[Any, ...]]:
    return list(MachineOffset.objects.filter(machine__in=machines).order_by().values_list(*OFFSET_NOW))


def _works(machines: tuple[int, ...], after: int) -> list[tuple[Any, ...]]:
    works = MachineWork.objects.filter(machine__in=machines, what__in=MOVES, pk__gt=after)
    return list(works.order_by("pk").values_list("pk", "machine_id", "what"))


def _practising(machines: tuple[int, ...]) -> list[int]:
    on = Practice.objects.filter(machine__in=machines, ended_at=None)
    return list(on.order_by().values_list("machine_id", flat=True))


def what_holds(tag: Tag, card: SetUp, in_force: SetUp | None = None, now: MachinesNow | None = None) -> Holding:
    """A card of this tag held against the shop as it is now; ``in_force`` is the tag's card, where it is another."""
    now = now or MachinesNow.of([card])
    works = [work for work in now.works if work.machine_id == card.machine_id and work.pk > card.work_seen]
    checks = hand_checks(tag.family)
    lapses = (
        *_of_the_tag(tag, card, in_force),
        *_of_the_wheel(card, works),
        *_of_the_jaw(tag, card, works),
        *_of_the_numbers(tag, card, now.offsets),
    )
    return Holding(
        card,
        tuple(lapse for lapse in lapses if _tells(card, lapse, checks)),
        checks,
        max((work.pk for work in works), default=0),
        card.machine_id in now.practising and is_practised(card.machine, tag),
    )  # fmt: skip


def _tells(card: SetUp, lapse: Lapse, checks: Iterable[HandCheck]) -> bool:
    """Whether anything falls with a lapse: what was never checked is not to be checked again."""
    if lapse.to_remake or card.checked_at is not None:
        return True
    return any(check.id in card.ticks and (lapse.falls is None or check.rests_on in lapse.falls) for check in checks)


def is_practised(machine: Machine, tag: Tag | None = None) -> bool:
    """Whether a practice has put a machine out of true; not for the tag that makes its test keys."""
    if not Practice.objects.filter(machine=machine, ended_at=None).exists():
        return False
    return tag is None or not Trim.objects.filter(machine=machine, tag=tag).exists()


def moved_since(card: SetUp, when: datetime | None) -> list[str]:
    """What was done to a card's machine since a key was cut by it: its own measure then tells nothing of the next cut.

    New numbers for its offsets are nothing of the sort; a screw that was turned is.
    """
    works = card.machine.work.filter(what__in=MOVES).order_by("pk")
    since = works.filter(at__gt=when) if when else works.filter(pk__gt=card.work_seen)
    done = [Work(work.what).done for work in since]
    if card.machine.fitted_id not in (None, card.cutter_id):
        done.append(f"{card.machine} has {card.machine.fitted} fitted")
    turned = OffsetChange.objects.filter(offset__machine=card.machine).exclude(turned=0.0)
    if when and turned.filter(at__gt=when).exists():
        done.append("its depth screw was turned")
    return list(dict.fromkeys(done))


def _of_the_tag(tag: Tag, card: SetUp, in_force: SetUp | None) -> Iterable[Lapse]:
    if tag.to_cut is None or tag.to_cut.pk != card.settlement_id:
        yield Lapse(Moved.BITTING, EVERY_TICK, to_remake=True)
    elif in_force is not None and in_force.pk != card.pk:
        yield Lapse(Moved.CARD, EVERY_TICK, to_remake=True)
    kept = card.rests_on.get("family")
    if kept is not None and kept != rests_on(tag, card.cutter, card.jaw_side)["family"]:
        yield Lapse(Moved.TABLE, EVERY_TICK, to_remake=True)
    if not card.machine.has_line:
        yield Lapse(Moved.NO_LINE, EVERY_TICK, to_remake=True)


def _of_the_wheel(card: SetUp, works: list[WorkNow]) -> Iterable[Lapse]:
    machine, cutter = card.machine, card.cutter
    kept = card.rests_on.get("cutter")
    if kept is not None and kept != [cutter.flat, cutter.angle]:
        yield Lapse(Moved.CUTTER_SHAPE, EVERY_TICK, to_remake=True)
    if machine.fitted_id not in (None, cutter.pk) and "cutter" in card.ticks:
        yield Lapse(Moved.OTHER_WHEEL, OF_THE_WHEEL, detail=str(machine.fitted))
    elif any(work.what == Work.SWAPPED for work in works):
        yield Lapse(Moved.SWAPPED, OF_THE_WHEEL)
    if any(work.what == Work.WHEEL for work in works):
        yield Lapse(Moved.NEW_WHEEL, OF_THE_WHEEL)


def _of_the_jaw(tag: Tag, card: SetUp, works: list[WorkNow]) -> Iterable[Lapse]:
    kept = card.rests_on.get("jaw")
    if kept is not None and kept != _held_by(card.jaw_side):
        yield Lapse(Moved.JAW, EVERY_TICK, to_remake=True)
    done = list(dict.fromkeys(Work(w.what).label for w in works if w.what not in (Work.SWAPPED, Work.WHEEL)))
    if done:
        yield Lapse(Moved.WORK, OF_THE_CLAMPING | OF_THE_WHEEL, detail=" and ".join(done))


def _of_the_numbers(tag: Tag, card: SetUp, offsets: Iterable[OffsetNow]) -> Iterable[Lapse]:
    """Whether a card made now would tell the machine the same: offsets, family and plan together."""
    try:
        added = added_up(
            (row for row in offsets if row.machine_id == card.machine_id),
            tag.family.gauge,
            card.jaw_side,
            tag.family_record,
        )
        now = commands_of(tag, card.settlement, card.cutter, card.style, added, card.height)
    except InputError as error:
        yield Lapse(Moved.PLAN, EVERY_TICK, to_remake=True, detail=error.reason)
        return
    if [_place(c) for c in now] != [_place(c) for c in card.commands]:
        yield Lapse(Moved.CUTS, EVERY_TICK, to_remake=True)
        return
    moved = {
        what: max((new[what] - old[what] for new, old in zip(now, card.commands, strict=True)), key=abs, default=0.0)
        for what in ("value", "position")
    }
    for what, which in (("value", Moved.DEPTHS), ("position", Moved.PLACES)):
        if moved[what] and abs(moved[what]) > TELLING:
            yield Lapse(which, EVERY_TICK, to_remake=True, by=moved[what])


def _place(command: dict[str, Any]) -> tuple[int, str, int]:
    return command["clamping"], command["track"], command["space"]


def _held_by(side: JawSide | None) -> list[Any]:
    if side is None:
        return []
    clamp = side.clamp
    return [side.pk, side.slot_depth, clamp and clamp.space_axis, clamp and clamp.depth_axis]
