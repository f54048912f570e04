"""Filing a key by stages: each height it was filed to, and what it showed in its lock then; deeper only."""

from __future__ import annotations

from dataclasses import dataclass, replace

from keycore.cutting.plan import plan_cuts
from keycore.errors import InputError
from keycore.units import NOTHING
from wryfalcon.accounts.models import User
from wryfalcon.action import action
from wryfalcon.bench.filing.queries import FiledStep, filed_steps, filing_plan
from wryfalcon.bench.models import Piece, PieceState, StageLook, StageShowed, Tag
from wryfalcon.bench.tags.actions import check_open
from wryfalcon.lengths import say_value
from wryfalcon.log.actions import write_down
from wryfalcon.log.models import Event
from wryfalcon.refusal import NotDone

SAME_MM = 0.013
"""Closer than this two heights are the same as figures are shown: half a thousandth of an inch."""


@dataclass(frozen=True)
class Seen:
    """A step filed to a height, what it showed, and where its mark lies along the key; family unit."""

    track: str
    space: int
    height: float
    showed: str
    mark_at: float | None = None
    by_mark: bool = False  # below its depth, since the mark says so


@action
def look_at_stage(actor: User, tag: Tag, piece: Piece, seen: Seen, known: int) -> StageLook:
    """Keep what a step showed at a height. Said again by a page that ``known``s no newer look, it is kept once.

    Raises NotDone for a key that is not being filed to the bitting in force, a page that is behind, a step that would
    get higher again, and one that goes below its depth before its stages are done.
    """
    check_filed(tag, piece)
    step = _step(tag, piece, seen)
    seen = _as_shown(tag, step, seen)
    last = piece.stage_looks.filter(withdrawn=False).last()
    if last is not None and last.pk != known:
        if _is_same(last, seen):
            return last
        raise NotDone("Another step was written down since this page was shown: look again.")
    _check_height(tag, piece, step, seen)
    look = StageLook.objects.create(
        piece=piece, track=seen.track, space=seen.space, height=seen.height, showed=seen.showed, mark_at=seen.mark_at,
        by_mark=seen.by_mark, by=actor,
    )  # fmt: skip
    write_down(Event.STAGE_FILED, actor, tag, piece=piece.called, job=piece.job, space=seen.space, showed=seen.showed)
    return look


@action
def take_look_back(actor: User, tag: Tag, piece: Piece, look: int) -> None:
    """The last look was not so. Raises NotDone for one that is not the last."""
    check_filed(tag, piece)
    last = piece.stage_looks.filter(withdrawn=False).last()
    if last is None or last.pk != look:
        if piece.stage_looks.filter(pk=look, withdrawn=True).exists():
            return  # said twice
        raise NotDone("Another step was written down since: only the last one is taken back.")
    last.withdrawn = True
    last.save(update_fields=["withdrawn"])
    write_down(Event.STAGE_TAKEN_BACK, actor, tag, piece=piece.called, job=piece.job, space=last.space)


def check_filed(tag: Tag, piece: Piece) -> None:
    """Raise NotDone unless a key is being filed by hand, to the bitting in force."""
    check_open(tag)
    piece.refresh_from_db()
    if piece.state != PieceState.BEGUN or not tag.family.kind.is_filed:
        raise NotDone(f"{piece.called.capitalize()} is {piece.get_state_display()}: nothing of it is filed now.")
    if piece.is_of_old_bitting:
        raise NotDone("The bitting was settled anew since this key was begun: end it, and begin another.")


def _is_same(last: StageLook, seen: Seen) -> bool:
    said = (last.track, last.space, last.showed, last.by_mark)
    same_place = last.mark_at == seen.mark_at
    return said == (seen.track, seen.space, seen.showed, seen.by_mark) and last.height == seen.height and same_place


def _step(tag: Tag, piece: Piece, seen: Seen) -> FiledStep:
    if seen.showed not in StageShowed.values:
        raise NotDone("Say what it showed: a mark, no mark, or that it stays low.")
    try:
        steps = filed_steps(filing_plan(tag, piece), piece)
    except InputError as error:
        raise NotDone(f"Its steps cannot be planned: {error.field}, {error.reason}.") from None
    found = [step for step in steps if (step.place.track, step.place.space) == (seen.track, seen.space)]
    if not found:
        raise NotDone("There is no such step.")
    return found[0]


def _as_shown(tag: Tag, step: FiledStep, seen: Seen) -> Seen:
    """A height typed as a page shows a stage is that stage: pages round, in either unit."""
    close = tag.family.depth.from_machine(SAME_MM)
    stage = next((each for each in step.stages if abs(each - seen.height) < close), None)
    return seen if stage is None else replace(seen, height=stage)


def _check_height(tag: Tag, piece: Piece, step: FiledStep, seen: Seen) -> None:
    family = tag.family
    stands = step.stands if step.stands is not None else family.kind.uncut(family, family.track(seen.track))
    name = f"Step {step.place.space}"
    if stands is not None and seen.height > stands + NOTHING:
        raise NotDone(f"{name} stands at {say_value(family.depth, stands)} already: a file takes off, nothing puts on.")
    off = family.tolerance.value if family.tolerance is not None else 0.0
    if seen.height < step.wanted - off - NOTHING and not seen.by_mark:
        raise NotDone(
            f"{name}: {say_value(family.depth, seen.height)} is below its depth, "
            f"{say_value(family.depth, step.wanted)}. File its stages first; then go by the mark."
        )
    if problem := _made_wrong(tag, piece, seen):
        raise NotDone(problem)


def _made_wrong(tag: Tag, piece: Piece, seen: Seen) -> str:
    """What would be wrong with that step at that height and is not as planned, "" where nothing."""
    settlement = tag.to_cut
    assert settlement is not None
    wanted = {name: list(values) for name, values in settlement.values.items()}
    was = {(each.code, each.spaces) for each in plan_cuts(tag.family, settlement.bitting, values=wanted).problems}
    wanted[seen.track][seen.space - 1] = seen.height
    now = plan_cuts(tag.family, settlement.bitting, values=wanted).problems
    return next((p.says for p in now if (p.code, p.spaces) not in was and seen.space in p.spaces), "")
