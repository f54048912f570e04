"""Keys that no machine is told to make: traced, milled by dials, cut by hand, bought in. Whoever makes one says so."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from django.utils import timezone

from wryfalcon.action import action
from wryfalcon.bench.authority import why_not_made
from wryfalcon.bench.copying.actions import EXCHANGE
from wryfalcon.bench.copying.queries import WHILE_MADE, copy_steps, shift_on
from wryfalcon.bench.cutting.actions import count_blank, keys_made_words, new_job, next_key, refuse_while_one_is_open
from wryfalcon.bench.cutting.dials import steps_on
from wryfalcon.bench.filing.queries import heights_as_filed, heights_to_file, marked_still, settled_heights
from wryfalcon.bench.models import MadeHow, Piece, PieceState, Tag
from wryfalcon.bench.piece_states import BY_HAND
from wryfalcon.bench.reading.queries import readings_of
from wryfalcon.bench.setting_up.presenters import practice_words
from wryfalcon.bench.setting_up.queries import is_practised
from wryfalcon.bench.tags.actions import check_open
from wryfalcon.log.actions import write_down
from wryfalcon.log.models import Event
from wryfalcon.machines.line.orders import Press
from wryfalcon.machines.models import TRACES, Machine
from wryfalcon.refusal import NotDone


@dataclass(frozen=True)
class HandWork:
    """How a key is made by hand: the way, the machine it is worked on, and which key the page said is next."""

    made_how: str
    machine: Machine | None = None
    expected: str = ""
    one_more: bool = False


@action
def begin_by_hand(press: Press, tag: Tag, work: HandWork) -> Piece:
    """Begin the next key of a tag by hand: its blank is taken off the hook. The same press again is the same key.

    Raises NotDone for a way that does not suit, a machine that is out of true, no blank, or no bitting to cut to.
    """
    check_open(tag)
    begun = tag.pieces.filter(job__endswith=f"-{press.key}").first() if press.key else None
    if begun is not None:
        return begun
    made_how, machine = _way_of(tag, work)
    refuse_while_one_is_open(tag)
    number, tries = next_key(tag)
    if work.expected and work.expected != f"{number}.{tries}":
        raise NotDone("Another key is next by now: look again.")
    if number > tag.quantity and not work.one_more:
        raise NotDone(f"{keys_made_words(tag.quantity)}. Ask for one more, if one more it is to be.")
    if made_how.takes_blank and tag.blank is not None and tag.blank.left < 1:
        raise NotDone(f"There is no blank {tag.blank.code} left on hook {tag.blank.hook}.")
    piece = Piece(
        tag=tag, settlement=tag.settlement, machine=machine, key_number=number, try_number=tries,
        state=PieceState.BEGUN, made_how=made_how, maker=press.by, began_at=timezone.now(),
        values=_pattern_values(tag, machine) if made_how == MadeHow.TRACED else None,
        steps=_dial_steps(tag, machine) if made_how == MadeHow.DIALS else [],
        cutter=machine.fitted if machine is not None else None,
        job=f"{tag}-H{number}-{press.key}" if press.key else new_job(tag, f"H{number}"),
    )  # fmt: skip
    piece.save()
    count_blank(piece, used=made_how.takes_blank)
    piece.save()
    write_down(Event.PIECE_BEGUN, press.by, tag, piece=piece.called, job=piece.job, how=made_how.label)
    return piece


@action
def finish_by_hand(press: Press, tag: Tag, piece: Piece, *, deburred: bool = False) -> None:
    """It is made, and deburred where that is said too. Raises NotDone for a key that is not being made by hand."""
    check_open(tag)
    piece.refresh_from_db()
    if piece.state == PieceState.FINISHED and piece.is_by_hand:
        return  # said twice
    if piece.machine is not None and piece.machine.one_clamp and piece.clampings < len(EXCHANGE):
        raise NotDone("A side is still to be done: say at each exchange which key is in the clamp.")
    if piece.state != PieceState.BEGUN:
        raise NotDone(f"{piece.called.capitalize()} is {piece.get_state_display()}: look again.")
    if piece.made_how == MadeHow.TRACED and piece.machine is not None:
        undone = [each.step for each in copy_steps(tag, piece.machine) if each.step in WHILE_MADE and not each.holds]
        if undone:
            raise NotDone(f"Still to be done: {undone[0].label}.")
    if left := len(piece.steps) - piece.walked:
        raise NotDone(f"Steps at the dials are still to be done: {left}.")
    if tag.family_record is not None and tag.family.kind.is_filed:
        if high := marked_still(piece):
            raise NotDone(
                f"Step {high.space} showed a mark when it was looked at last: file it on, or say what it shows now."
            )
        piece.values = _as_filed(tag, piece)
    piece.state, piece.finished_at = PieceState.FINISHED, timezone.now()
    piece.deburred_at = piece.finished_at if deburred else None
    piece.save()
    write_down(Event.PIECE_MADE, press.by, tag, piece=piece.called, job=piece.job)


@action
def make_by_hand(press: Press, tag: Tag, work: HandWork) -> Piece:
    """Begun, made and deburred in one press: the common case. Raises NotDone as beginning does."""
    if work.made_how == MadeHow.DIALS:
        raise NotDone("Begin it, and go through the dials step by step.")
    if work.machine is not None and work.machine.one_clamp:
        raise NotDone("Pattern and new key take turns in its clamp: begin it, and go through the exchange.")
    piece = begin_by_hand(press, tag, work)
    finish_by_hand(press, tag, piece, deburred=True)
    return piece


@action
def walk_on(tag: Tag, piece: Piece, step: int) -> bool:
    """The step of that number, from 1, at the dials is done; returns whether it was not said before.

    Raises NotDone for a key that is not being cut by dials or not to the bitting in force, and for a step not next.
    """
    check_open(tag)
    piece.refresh_from_db()
    if piece.state != PieceState.BEGUN or not piece.steps:
        raise NotDone("No key is being cut by dials.")
    if piece.is_of_old_bitting:
        raise NotDone("The bitting was settled anew since this key was begun: end it, and begin another.")
    if 1 <= step <= piece.walked:
        return False
    if step != piece.walked + 1 or step > len(piece.steps):
        raise NotDone("Another step is next: look at the dials.")
    piece.walked += 1
    piece.save(update_fields=["walked"])
    return True


@action
def walk_back(tag: Tag, piece: Piece, step: int) -> bool:
    """The step of that number, the last one done, was not done after all; returns whether it was not said before.

    Raises NotDone for a step that is not the last one done.
    """
    check_open(tag)
    piece.refresh_from_db()
    if piece.state != PieceState.BEGUN or not piece.steps:
        raise NotDone("No key is being cut by dials.")
    if step == piece.walked + 1:
        return False
    if step != piece.walked or step < 1:
        raise NotDone("Another step was done last: look at the dials.")
    piece.walked -= 1
    piece.save(update_fields=["walked"])
    return True


@action
def deburr(press: Press, tag: Tag, piece: Piece) -> None:
    """A made key was deburred. Raises NotDone for one that is not made."""
    check_open(tag)
    piece.refresh_from_db()
    if piece.state != PieceState.FINISHED:
        raise NotDone(f"{piece.called.capitalize()} is {piece.get_state_display()}.")
    if piece.deburred_at is None:
        piece.deburred_at = timezone.now()
        piece.save(update_fields=["deburred_at"])
        write_down(Event.PIECE_DEBURRED, press.by, tag, piece=piece.called, job=piece.job)


def _as_filed(tag: Tag, piece: Piece) -> dict[str, list[float]] | None:
    """What a filed key is to measure: as its looks say it was filed, else as the first one that works came out."""
    if piece.is_of_old_bitting:
        wanted = piece.settlement.values if piece.settlement is not None else {}
        return heights_as_filed(piece, wanted)
    wanted = heights_to_file(tag, piece)
    found = heights_as_filed(piece, wanted) or {track: list(values) for track, values in wanted.items()}
    return None if found == settled_heights(tag) else found


def _dial_steps(tag: Tag, machine: Machine | None) -> list[dict[str, Any]]:
    """What is done at the dials, kept with the key: a table or an offset that changes later changes nothing of it."""
    steps = steps_on(tag, machine) if machine is not None else ()
    if not steps:
        raise NotDone(f"{machine} has nothing that makes the cuts of such a key.")
    return [
        {
            "act": step.act.value, "track": step.place.track if step.place else "",
            "space": step.place.space if step.place else 0, "reading": step.reading, "lower": step.is_lower,
            "words": step.words,
        }
        for step in steps
    ]  # fmt: skip


def _pattern_values(tag: Tag, machine: Machine | None) -> dict[str, list[float]] | None:
    """What a traced key is to measure: its pattern, moved where the duplicator is; None unless all of that is known.

    A bitting that was restored says what the key once was, and nothing of what a duplicator makes of it.
    """
    if tag.settlement is None or machine is None:
        return None
    shift, depth = shift_on(machine), tag.family.depth
    moved = depth.from_machine(shift.by_mm) / tag.family.share_per_edge if shift is not None else 0.0
    wanted: dict[str, list[float]] = {}
    for reading in readings_of(tag):
        away = moved if reading.track.falls_when_deeper else -moved
        measured = [value + away for value in reading.as_is() if value is not None]
        if len(measured) < len(reading.track.spaces):
            return None
        wanted[reading.track.name] = measured
    return wanted


def _way_of(tag: Tag, work: HandWork) -> tuple[MadeHow, Machine | None]:
    """The way and its machine, each as it suits the tag."""
    if work.made_how not in BY_HAND:
        raise NotDone("Say how the key is made.", "made_how")
    made_how, machine = MadeHow(work.made_how), work.machine
    if why := why_not_made(tag):
        raise NotDone(why)
    settled = tag.settlement
    if not made_how.follows_pattern and (settled is None or settled.read_back_at is None):
        raise NotDone("Settle the bitting and read it back first: there is nothing to cut to.")
    if not made_how.needs_machine:
        return made_how, None
    if machine is None or (machine.kind in TRACES) != (made_how == MadeHow.TRACED):
        raise NotDone("Say which machine it is made on.", "machine")
    if is_practised(machine, tag):
        raise NotDone(practice_words(machine))
    shift = shift_on(machine)
    if shift is not None and shift.tag_id != tag.pk:
        raise NotDone(f"{machine} was moved on purpose for tag {shift.tag or 'another'}: put it back first.")
    steps = copy_steps(tag, machine)
    if undone := [each.step.label for each in steps if not each.holds and each.step not in WHILE_MADE]:
        raise NotDone(f"First, at {machine}: {undone[0]}.")
    return made_how, machine
