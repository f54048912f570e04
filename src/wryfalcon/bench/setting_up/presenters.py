"""What a key can be cut with on a machine: the wheels and jaws that serve, and why the others do not."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

from django.utils import timezone

from keycore.cutting.commands import MachineOffsets
from keycore.cutting.plan import Plan, Problem, cutting_of
from keycore.errors import InputError
from keycore.tools import Tool
from wryfalcon.bench.models import Settlement, SetUp, Tag
from wryfalcon.bench.setting_up.planning import Card, made_tool, plan_of, serves, showing_of
from wryfalcon.bench.setting_up.queries import Holding, Moved
from wryfalcon.lengths import say_figure, say_mm, say_tool
from wryfalcon.machines.fittings.queries import makes, sides_of
from wryfalcon.machines.models import Cutter, DriverKind, JawSide, Machine


@dataclass(frozen=True)
class FittingOption:
    """A wheel or a jaw: whether it serves, and what speaks against it."""

    pk: int
    name: str
    note: str = ""
    why_not: str = ""
    can_be_chosen: bool = True

    @property
    def serves(self) -> bool:
        """Whether nothing speaks against it."""
        return not self.why_not


@dataclass(frozen=True)
class Options:
    """What there is to choose from, the best first."""

    serve: tuple[FittingOption, ...]
    others: tuple[FittingOption, ...]

    @classmethod
    def of(cls, options: Iterable[FittingOption]) -> Options:
        """The same, parted into those that serve and the others."""
        found = sorted(options, key=lambda option: (not option.note, option.name))
        return cls(tuple(o for o in found if o.serves), tuple(o for o in found if not o.serves))


@dataclass(frozen=True)
class Fittings:
    """A machine, and what there is to put on it for one key."""

    machine: Machine
    cutters: Options
    sides: Options


def driven_machines() -> list[Machine]:
    """The machines that a key can be sent to or planned for from here."""
    return _driven()


def _driven() -> list[Machine]:
    return list(Machine.objects.exclude(driver=DriverKind.NONE).select_related("fitted"))


def _cutters_of(machine: Machine) -> list[int]:
    return list(machine.cutters.values_list("pk", flat=True))


def fittings_of(tag: Tag, settlement: Settlement | None, machine: Machine) -> Fittings:
    """Every wheel of the shop and every jaw of this machine against a key."""
    own = tag.family.tracks[0].tool
    its_own = set(_cutters_of(machine))
    cutting = tag.family.kind.cutting
    such = Cutter.that_are(cutting.tool) if cutting is not None else []
    cutters = [_cutter(tag, own, machine, cutter, its_own) for cutter in such]
    deepest = _deepest(tag, settlement)
    wanted = tag.guide.get("clamp") or tag.family.setup.get("jaw", "")
    namer = "the guide" if tag.guide.get("clamp") else "the family"
    sides = [_side(tag, machine, side, deepest, (wanted, namer)) for side in sides_of(machine)]
    return Fittings(machine, Options.of(cutters), Options.of(sides))


def _cutter(tag: Tag, own: Tool | None, machine: Machine, cutter: Cutter, its_own: set[int]) -> FittingOption:
    note = "fitted now" if machine.fitted_id == cutter.pk else ""
    if its_own and cutter.pk not in its_own:
        return FittingOption(cutter.pk, cutter.name, note, f"does not go on {machine}", can_be_chosen=False)
    if own is None:
        return FittingOption(cutter.pk, cutter.name, note, "the family says nothing of the cut it asks for")
    if serves(tag, own, cutter):
        return FittingOption(cutter.pk, cutter.name, note)
    lengths = tag.family.lengths
    leaves = f"leaves {say_tool(lengths, made_tool(tag.family, cutter))}, asked for are {say_tool(lengths, own)}"
    return FittingOption(cutter.pk, cutter.name, note, leaves)


def _side(tag: Tag, machine: Machine, side: JawSide, deepest: float | None, named: tuple[str, str]) -> FittingOption:
    called = side.name if side.clamp is None else str(side.clamp)
    note = f"named by {named[1]}" if called.casefold() == named[0].casefold() else ""
    if not makes(machine, side, tag.family):
        why = "its axes are swapped" if side.clamp is not None else "nothing of it turns"
        return FittingOption(side.pk, str(side), note, f"{why}: such keys are not cut in it", can_be_chosen=False)
    showing = showing_of(tag, side)
    if showing is not None and showing <= 0:
        return FittingOption(side.pk, str(side), note, "the blank disappears in it", can_be_chosen=False)
    if showing is not None and deepest is not None and deepest > showing:
        return FittingOption(side.pk, str(side), note, "the deepest cut goes below the top of the jaw")
    return FittingOption(side.pk, str(side), note)


def _deepest(tag: Tag, settlement: Settlement | None) -> float | None:
    if settlement is None:
        return None
    try:
        plan: Plan = plan_of(tag, settlement)
    except InputError:
        return None
    return cutting_of(tag.family).reach(plan)


def guide_words(tag: Tag) -> str:
    """What the fitting guide said of making this key, and where that is not what the table says; "" for nothing."""
    told = {name: text for name, text in tag.guide.items() if name in HANDLING}
    if not told:
        return ""
    said = ", ".join(f"{HANDLING[name]} {text}".strip() for name, text in told.items())
    words = f"The guide ({tag.guide['guide']}) says: {said}."
    stop, gauge = tag.guide.get("stop", ""), tag.family.gauge.value
    if stop and gauge not in stop.casefold():
        words += f" The table counts from the {gauge}: look which of the two is right before you cut."
    return words


HANDLING = {"clamp": "clamp", "face": "face", "stop": "stop:", "procedure": ""}


OTHER_TOOL = frozenset({"cutter", "mill", "drill"})
"""Problems of a plan that say that another tool than the family's is fitted."""


def said_problems(plan: Plan) -> list[Problem]:
    """What is wrong with a plan, another tool than the family's in the unit of whoever is looking."""
    return [
        replace(problem, says=_says_tool(plan, problem.track)) if problem.code in OTHER_TOOL else problem
        for problem in plan.problems
    ]


def _says_tool(plan: Plan, track: str) -> str:
    lengths, wanted = plan.family.lengths, plan.family.track(track).tool
    assert wanted is not None
    assert plan.tool is not None
    return f"The family wants {say_tool(lengths, wanted)}; this cutter leaves {say_tool(lengths, plan.tool)}."


TOO_DEEP = "The deepest cut goes below the top of the jaw: choose a shallower slot."


def problems_of(card: Card) -> tuple[Problem, ...]:
    """All that is wrong with a card: with its plan, and with the blank in its jaw."""
    problems = said_problems(card.plan)
    if card.goes_too_deep:
        problems.append(Problem("jaw", card.plan.tracks[0].track.name, (), TOO_DEEP))
    return tuple(problems)


LAPSED = {
    Moved.BITTING: "Another bitting was settled since this card was made.",
    Moved.CARD: "Another card was made since.",
    Moved.TABLE: "The family’s table was changed since this card was made.",
    Moved.NO_LINE: "{machine} is not driven from here any more.",
    Moved.CUTTER_SHAPE: "The shape written down for {cutter} was changed.",
    Moved.OTHER_WHEEL: "{machine} has {detail} fitted now, not {cutter}.",
    Moved.SWAPPED: "Wheels were changed on the machine since the card was checked.",
    Moved.NEW_WHEEL: (
        "A new cutter was put on {machine} since: how true it cuts is not known until a key of it is measured."
    ),
    Moved.JAW: "The jaw or clamp named on this card was changed in the machine’s book.",
    Moved.WORK: "Since then on {machine}: {detail}. The blank is clamped and checked anew.",
    Moved.PLAN: "It cannot be cut so any more: {detail}.",
    Moved.CUTS: "The cuts on this card are not those of its plan.",
    Moved.DEPTHS: "The depths put in for {machine} have changed by {by} since this card was made.",
    Moved.PLACES: "The places put in for {machine} have moved by {by} since this card was made.",
    Moved.SINCE_PLANNED: "Since this was planned: {detail}.",
}
"""What a card no longer rests on, in words."""


def lapse_words(holding: Holding) -> list[str]:
    """Everything of a card that no longer holds, a sentence each."""
    card = holding.card
    return [
        LAPSED[lapse.moved].format(
            machine=card.machine, cutter=card.cutter, detail=lapse.detail, by=say_mm(lapse.by, signed=True)
        )
        for lapse in holding.lapses
    ]


def practice_words(machine: Machine) -> str:
    """That a practice has put a machine out of true."""
    return f"{machine} is out of true on purpose: a practice is on. End it before a key is cut on it."


def why_not_cut(holding: Holding, then: str = "") -> str:
    """Why nothing is cut by a card as it is, and what to do about it."""
    if holding.is_practised:
        return practice_words(holding.card.machine)
    then = then or ("Make the card anew" if holding.to_remake else "Go through its checks again")
    return f"{' '.join(lapse_words(holding))} {then}."


def plan_head(tag: Tag, card: SetUp, offsets: MachineOffsets, key: str = "") -> list[str]:
    """What stands at the head of a cut plan: whose it is, by which table, how it is held, what was put in, and when."""
    family, machine = tag.family, card.machine
    edition = f", edition {family.edition}" if family.edition else ""
    stop = f", stop {family.setup['stop']}" if family.setup.get("stop") else ""
    put_in = f"{say_figure(family.space, offsets.space)} in place, "
    put_in += f"{say_figure(family.depth, offsets.value)} in depth"
    return [
        f"tag {tag}{f', {key}' if key else ''}",
        f"family {family.name}{edition}",
        f"blank {tag.blank.code if tag.blank else family.blank.code if family.blank else 'not known'}",
        f"gauge {family.gauge}{stop}, held in {card.jaw_side or 'the jaw'} of {machine}",
        f"cutter {card.cutter}, {card.style}",
        f"offsets put in: {put_in}",
        f"made {timezone.localtime(card.at):%Y-%m-%d %H:%M}",
    ]
