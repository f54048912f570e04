"""The ways a key of a tag can be made by hand here, as a page offers them."""

from __future__ import annotations

from dataclasses import dataclass

from wryfalcon.bench.cutting.dials import holder_on
from wryfalcon.bench.filing.presenters import is_filed
from wryfalcon.bench.models import MadeHow, Tag
from wryfalcon.machines.models import TRACES, TRACES_SURFACE, Machine


@dataclass(frozen=True)
class HandWay:
    """One way, and the machine it is worked on."""

    made_how: MadeHow
    machine: Machine | None = None

    @property
    def value(self) -> str:
        """As a form sends it back."""
        return f"{self.made_how.value}:{self.machine.pk if self.machine else ''}"

    @property
    def words(self) -> str:
        """What it is called on a page."""
        words = {
            MadeHow.TRACED: f"traced on {self.machine}", MadeHow.DIALS: f"milled on {self.machine}, by the dials",
        }  # fmt: skip
        return words.get(self.made_how, self.made_how.label)


def hand_ways(tag: Tag) -> list[HandWay]:
    """What can be done: by pattern always, by figures once the bitting is settled and read back."""
    machines = list(Machine.objects.all())
    traced = [HandWay(MadeHow.TRACED, each) for each in machines if each.kind in TRACES and _suits(tag, each)]
    settled = tag.settlement
    if settled is None or settled.read_back_at is None:
        return [*traced, HandWay(MadeHow.BOUGHT)]
    if is_filed(tag):
        return [HandWay(MadeHow.FILED), HandWay(MadeHow.BOUGHT)]
    dials = [HandWay(MadeHow.DIALS, each) for each in machines if each.is_worked_by_dials and holder_on(each, tag)[1]]
    return [HandWay(MadeHow.FILED), *traced, *dials, HandWay(MadeHow.BOUGHT)]


SHORTLY = {
    MadeHow.FILED: "by hand", MadeHow.TRACED: "traced", MadeHow.DIALS: "by the dials", MadeHow.BOUGHT: "bought in",
}  # fmt: skip


def ways_shortly(ways: list[HandWay]) -> str:
    """The kinds of ways there are, for the words of one link."""
    return ", ".join(SHORTLY[made_how] for made_how in dict.fromkeys(way.made_how for way in ways))


def _suits(tag: Tag, machine: Machine) -> bool:
    """Whether a duplicator follows such cuts; any may where the family is not known."""
    if tag.family_record_id is None:
        return True
    surface = tag.family.kind.surface
    return surface not in TRACES_SURFACE or TRACES_SURFACE[surface] == machine.kind
