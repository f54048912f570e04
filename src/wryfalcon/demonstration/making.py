"""Worn keys, made keys and measurements for the demonstration, all from seeds."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta
from random import Random

from django.db.models import Q

from keycore.family import Family
from keycore.units import Unit
from wryfalcon.accounts.models import User
from wryfalcon.bench.cutting.actions import plan_piece
from wryfalcon.bench.models import Piece, PieceState, ProofValue, Tag
from wryfalcon.bench.proving.actions import keep_proof
from wryfalcon.bench.reading.actions import Typed, add_value
from wryfalcon.bench.setting_up.actions import Chosen, set_up, tick
from wryfalcon.bench.setting_up.queries import hand_checks
from wryfalcon.bench.settling.actions import Choice, read_back, settle
from wryfalcon.library.models import FamilyRecord
from wryfalcon.machines.models import Cutter, Machine, MachineWork

Bitting = dict[str, list[str]]


def bitting_of(family: Family, random: Random) -> Bitting:
    """A bitting that the family allows, cut by cut within MACS."""
    found: Bitting = {}
    for track in family.tracks:
        steps = [random.randrange(len(track.depths))]
        limit = track.macs if track.macs is not None else len(track.depths)
        while len(steps) < len(track.spaces):
            steps.append(min(max(steps[-1] + random.randint(-limit, limit), 0), len(track.depths) - 1))
        for space, step in track.fixed:
            steps[space - 1] = step
        found[track.name] = [track.labels[step] for step in steps]
    return found


def type_values(actor: User, tag: Tag, track: str, values: Sequence[float | None]) -> None:
    """Type one row of caliper values, in the family's unit and order."""
    for space, value in enumerate(values, start=1):
        if value is not None:
            unit = tag.family.unit
            text = f"{value:.4f}" if unit == Unit.INCH else f"{value:.3f}"
            add_value(actor, tag, Typed(track, space, text, unit))


def settle_as(actor: User, tag: Tag, bitting: Bitting, chance: float | None = None) -> None:
    """Settle a tag on a bitting, restored, and read it back."""
    settle(actor, tag, Choice(bitting=bitting, chance=chance))
    again(tag)
    read_back(actor, tag)
    again(tag)


def again(tag: Tag) -> None:
    """Forget what a tag has looked up about itself."""
    for name in ("settlement", "set_up", "try_out"):
        tag.__dict__.pop(name, None)


def card_for(actor: User, tag: Tag, machine: Machine, done: Sequence[str] | None = None) -> None:
    """Make the card of a tag and tick its checks."""
    cutter = Cutter.objects.get(name=tag.family.setup["cutter"])
    jaw = tag.family.setup.get("jaw", "A")
    side = machine.jaw_sides.filter(Q(name=jaw, clamp=None) | Q(clamp__name=jaw)).first()
    cutting = tag.family.kind.cutting
    assert cutting is not None  # a family whose keys are cut from here
    set_up(actor, tag, Chosen(machine, cutter, side, next(iter(cutting.styles))))
    again(tag)
    tick(actor, tag, [check.id for check in hand_checks(tag.family)] if done is None else list(done))
    again(tag)


def finished_key(tag: Tag, at: datetime, key_number: int = 1) -> Piece:
    """A key that was cut some time ago."""
    card = tag.set_up
    assert card is not None
    piece = plan_piece(card, key_number)
    piece.state, piece.done, piece.blank_taken = PieceState.FINISHED, len(piece.cuts), True
    piece.blank = tag.blank
    piece.began_at, piece.finished_at = at - timedelta(minutes=2), at
    piece.save()
    Piece.objects.filter(pk=piece.pk).update(created_at=at)
    noted = MachineWork.objects.filter(machine=piece.machine, what="swapped").first()
    if noted is not None and noted.at > at:  # as the card was ticked, just before
        MachineWork.objects.filter(pk=noted.pk).update(at=at - timedelta(minutes=5))
    return piece


def measured(
    actor: User, tag: Tag, piece: Piece, random: Random, *, off_mm: float, scatter_mm: float = 0.006, repeats: int = 2
) -> None:
    """Measurements of a finished key that came out ``off_mm`` from what was wanted."""
    assert tag.settlement is not None
    of_mm = tag.family.depth.from_machine
    for track, values in tag.settlement.values.items():
        for space, wanted in enumerate(values, start=1):
            true = wanted + of_mm(off_mm + random.gauss(0, scatter_mm))
            for _ in range(repeats):
                read = true + of_mm(random.gauss(0, 0.006))
                ProofValue.objects.create(
                    piece=piece, track=track, space=space, value=round(read, 4), source="caliper", by=actor
                )


def proven(actor: User, tag: Tag, piece: Piece, *, passed: bool, reason: str = "") -> None:
    """Keep the verdict on a key."""
    keep_proof(actor, tag, piece, passed=passed, reason=reason)


def family_record(slug: str) -> FamilyRecord:
    """A family of the library."""
    return FamilyRecord.objects.in_force().get(slug=slug)
