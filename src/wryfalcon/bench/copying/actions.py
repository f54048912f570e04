"""At the duplicator: its steps in order, an exchange in one clamp, and a setting that is moved for one worn pattern."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import isfinite

from django.utils import timezone

from keycore.units import Unit
from wryfalcon.accounts.models import User
from wryfalcon.action import action
from wryfalcon.bench.copying.queries import WHILE_MADE, copy_steps, profile_of, shift_on
from wryfalcon.bench.models import Piece, PieceState, Tag
from wryfalcon.bench.reading.actions import Typed, add_values
from wryfalcon.bench.reading.source_actions import SourceSettings, calipers_of, describe_source
from wryfalcon.bench.tags.actions import check_open, check_read
from wryfalcon.lengths import NotALength, parse_length
from wryfalcon.log.actions import write_down
from wryfalcon.log.models import Event
from wryfalcon.machines.models import TRACES, CopyStep, CopyStepDone, Machine, Shift
from wryfalcon.refusal import NotDone

EXCHANGE = (
    ("pattern", "first"), ("new", "first"), ("pattern", "second"), ("new", "second"),
)  # fmt: skip
"""Which key is in the one clamp, and which of its sides is up: four clampings, three exchanges."""
GENERATIONS_SAID = ("0", "1", "2", "3", "4")
FARTHEST_MM = 1.0
MOST_LOST_MM = 1.0


@action
def do_step(actor: User, tag: Tag, machine: Machine, step: str) -> None:
    """Note that a step before copying was done. Raises NotDone out of order: each rests on those before it."""
    check_open(tag)
    steps = copy_steps(tag, machine)
    if step not in [each.step for each in steps]:
        raise NotDone("There is no such step on that machine.")
    before = [each for each in steps[: [each.step for each in steps].index(CopyStep(step))] if not each.holds]
    if before:
        raise NotDone(f"First: {before[0].step.label}. What comes after rests on it.")
    if step in WHILE_MADE and not tag.pieces.filter(machine=machine, state=PieceState.BEGUN).exists():
        raise NotDone("Begin the key first: the outer holes come before.")
    CopyStepDone.objects.create(machine=machine, step=step, profile=profile_of(tag), by=actor)


@action
def clamp_key(tag: Tag, piece: Piece, which: str) -> None:
    """Say which key is in the one clamp now: the customer's ("pattern") or the new one ("new").

    Raises NotDone for the wrong one, before the wheel touches it.
    """
    check_open(tag)
    piece.refresh_from_db()
    if piece.state != PieceState.BEGUN or piece.machine is None or not piece.machine.one_clamp:
        raise NotDone("No key is being made in one clamp.")
    if piece.clampings >= len(EXCHANGE):
        raise NotDone("Both sides are done.")
    wanted, side = EXCHANGE[piece.clampings]
    if which != wanted:
        raise NotDone(
            "That is the customer’s key: it must not be cut. Take it out and clamp the new one, the same side up."
            if which == "pattern"
            else f"That is the new key: there is nothing to trace on it yet. Clamp the customer’s, {side} side up."
        )
    piece.clampings += 1
    piece.save(update_fields=["clampings"])


@action
def move_on_purpose(actor: User, tag: Tag, machine: Machine, by_mm: float) -> Shift:
    """Move a duplicator for one worn pattern. Raises NotDone where it is moved already, or by no sensible amount."""
    check_open(tag)
    if machine.kind not in TRACES:
        raise NotDone("Only a duplicator is moved for a pattern.")
    if shift_on(machine) is not None:
        raise NotDone(f"{machine} is moved already: put it back first.")
    if not isfinite(by_mm) or not 0 < abs(by_mm) <= FARTHEST_MM:
        raise NotDone("Say by how much it was moved.")
    shift = Shift.objects.create(machine=machine, tag=tag, by_mm=by_mm, by=actor)
    write_down(Event.MACHINE_WORKED, actor, tag, machine=str(machine), moved_on_purpose=round(by_mm, 4))
    return shift


@action
def put_back(actor: User, machine: Machine) -> None:
    """A duplicator that was moved on purpose is as it was. Raises NotDone where it was not moved."""
    shift = shift_on(machine)
    if shift is None:
        raise NotDone(f"{machine} is not moved.")
    shift.put_back_at = timezone.now()
    shift.save(update_fields=["put_back_at"])
    write_down(Event.MACHINE_WORKED, actor, shift.tag, machine=str(machine), put_back=True)


@dataclass(frozen=True)
class BriefTyped:
    """What was typed of a pattern read briefly: its look, cuts in the family's order, blade's height."""

    grade: str
    cuts: Sequence[Typed]
    blade: str = ""
    blade_at: float = 0.0
    generation: str | None = None  # as its select says it, "" where nobody knows; None where it was not asked
    unit: Unit = Unit.INCH


@action
def keep_brief(actor: User, tag: Tag, said: BriefTyped) -> None:
    """Keep what was measured of a pattern: its cuts are values of the calipers like any other, none typed twice.

    Raises NotDone for what is no such value, all or none.
    """
    check_read(tag)
    family = tag.family
    if said.generation is not None:
        tag.generation = int(said.generation) if said.generation in GENERATIONS_SAID else None
        tag.save(update_fields=["generation"])
    source = calipers_of(tag, family.tracks[0].name)
    describe_source(actor, tag, source, SourceSettings(wear=said.grade or None))
    kept = set(source.sightings.filter(withdrawn=False).values_list("space", "typed"))
    fresh = [cut for cut in said.cuts if cut.text.strip() and (cut.space, cut.text.strip()[:24]) not in kept]
    add_values(actor, tag, fresh, source)
    if said.blade.strip():
        if family.blank is None:
            raise NotDone("How high a blank of this family is nobody says.", "blade")
        try:
            height = parse_length(said.blade, said.unit, family.unit).value
        except NotALength as error:
            raise NotDone(str(error), "blade") from None
        lost = family.lengths.to_machine(family.blank.height - height)
        if abs(lost) > MOST_LOST_MM:
            raise NotDone("That is not the height of this blade: measure it from its back to its uncut edge.", "blade")
        tag.blade_lost_mm, tag.blade_lost_at = lost, said.blade_at
        tag.save(update_fields=["blade_lost_mm", "blade_lost_at"])
