"""How far a key that is filed by hand is: where each step stands, what its looks showed, where it is to go."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from keycore.cutting.plan import Plan, cutting_of
from keycore.family import Place
from keycore.kind import MarkOf, UnderSpacer
from keycore.units import NOTHING
from wryfalcon.bench.models import Piece, PieceState, StageLook, StageShowed, Tag
from wryfalcon.bench.proving.queries import ground_of
from wryfalcon.bench.setting_up.planning import plan_of

MARK_SD_MM = 0.15
"""How well an eye reads where a mark lies along the bit: a guess."""
Heights = Mapping[str, Sequence[float]]


@dataclass(frozen=True)
class FiledStep:
    """One step: its stages, and how it stands on the key that is being filed."""

    place: Place
    label: str
    wanted: float
    stages: tuple[float, ...]
    looks: tuple[StageLook, ...]  # oldest first, those taken back left out

    @property
    def stands(self) -> float | None:
        """The height it was filed to last; None where nothing is off it yet."""
        return self.looks[-1].height if self.looks else None

    @property
    def next_stage(self) -> float | None:
        """The height to file it to next; None once its depth is reached."""
        stands = self.stands
        return next((height for height in self.stages if stands is None or height < stands - NOTHING), None)


def settled_heights(tag: Tag) -> Heights:
    """The heights that its bitting asks for; nothing before it is settled."""
    return tag.to_cut.values if tag.to_cut is not None else {}


def first_that_works(tag: Tag, piece: Piece | None = None) -> Piece | None:
    """The key of this tag that its locks say yes to, as it came out at last; None before there is one.

    Another key is filed by it: it may differ by a hair from the table, by what its trials showed.
    """
    if tag.to_cut is None:
        return None
    for each in _made(tag, piece.pk if piece is not None else 0):
        same = each.settlement is not None and each.settlement.values == tag.to_cut.values
        if same and each.wanted_values and ground_of(tag, each, None).is_free:
            return each
    return None


def _made(tag: Tag, but: int) -> list[Piece]:
    made = tag.pieces.filter(state=PieceState.FINISHED).exclude(pk=but)
    return list(made.select_related("settlement").order_by("-id"))


def heights_to_file(tag: Tag, piece: Piece | None = None) -> Heights:
    """What the next key, or the one under way, is filed to: as the first that works came out, else as settled."""
    return heights_by(tag, first_that_works(tag, piece))


def heights_by(tag: Tag, first: Piece | None) -> Heights:
    """The heights of the first key that works, as settled where there is none yet."""
    return (first.wanted_values if first is not None else None) or settled_heights(tag)


def filing_plan(tag: Tag, piece: Piece | None = None) -> Plan:
    """The plan of what is filed next. Raises InputError where the family cannot be planned."""
    return plan_by_first(tag, first_that_works(tag, piece))


def plan_by_first(tag: Tag, first: Piece | None) -> Plan:
    """The plan by the first key that works. Raises InputError likewise."""
    assert tag.to_cut is not None
    return plan_of(tag, tag.to_cut, values=heights_by(tag, first))


def filed_steps(plan: Plan, piece: Piece | None) -> list[FiledStep]:
    """Every step of a plan, as it stands on a key."""
    looks = list(piece.stage_looks.filter(withdrawn=False)) if piece is not None else []
    return [
        FiledStep(
            place := Place(planned.track.name, cut.space), cut.label, cut.value, tuple(cut.own["stages"]),
            tuple(look for look in looks if (look.track, look.space) == (place.track, place.space)),
        )
        for planned in plan.tracks
        for cut in planned.cuts
    ]  # fmt: skip


def next_step(steps: Sequence[FiledStep]) -> FiledStep | None:
    """The step to file next: the one with most of its stages still before it, those nearer the stop first.

    All go down together, so that a lever that lifts a neighbour's mark away is seen early. None once all stand at
    their depth.
    """
    left = [step for step in steps if step.next_stage is not None]
    return max(left, key=lambda step: sum(1 for h in step.stages if h <= (step.next_stage or 0)), default=None)


def heights_as_filed(piece: Piece, wanted: Heights) -> dict[str, list[float]] | None:
    """What a key is by the looks at it, ``wanted`` where a step was never looked at; None without any look."""
    looks = list(piece.stage_looks.filter(withdrawn=False))
    if not looks:
        return None
    stands = {(look.track, look.space): look.height for look in looks}
    return {
        track: [stands.get((track, space), value) for space, value in enumerate(values, start=1)]
        for track, values in wanted.items()
    }


def marked_still(piece: Piece) -> StageLook | None:
    """The first step that was still marked when it was looked at last; None where none was."""
    last = {(look.track, look.space): look for look in piece.stage_looks.filter(withdrawn=False)}
    return next((look for look in last.values() if look.showed == StageShowed.HIGH), None)


def standing_heights(tag: Tag, piece: Piece) -> dict[str, list[float]]:
    """How every step of a key that is being filed stands now: the bit's own height where nothing is off it."""
    family = tag.family
    uncut = {
        name: [family.kind.uncut(family, family.track(name)) or 0.0] * len(values)
        for name, values in settled_heights(tag).items()
    }
    return heights_as_filed(piece, uncut) or uncut


def marks_of(tag: Tag, look: StageLook) -> tuple[MarkOf, ...]:
    """Which lever or spacer may have left the mark of a look; none where no place was read."""
    filing = cutting_of(tag.family).filing
    if filing is None or look.mark_at is None:
        return ()
    sd = tag.family.space.from_machine(MARK_SD_MM)
    return filing.mark_of(tag.family, tag.family.track(look.track), look.mark_at, sd)


def spacers_of(plan: Plan) -> list[tuple[str, tuple[UnderSpacer, ...]]]:
    """What lies under each spacer, track by track."""
    filing = cutting_of(plan.family).filing
    if filing is None:
        return []
    return [
        (planned.track.name, filing.spacers(plan.family, planned.track, [cut.value for cut in planned.cuts]))
        for planned in plan.tracks
    ]
