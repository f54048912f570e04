"""What a key can be cut with on a machine: the wheels and jaws that serve, and why the others do not."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from keycore.cutting.plan import Plan, cutting_of
from keycore.errors import InputError
from keycore.tools import Tool
from wryfalcon.bench.models import Settlement, Tag
from wryfalcon.bench.setting_up.planning import made_tool, plan_of, serves, showing_of
from wryfalcon.lengths import say_tool
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
