"""Measuring a new key, trying it in its locks, and keeping the verdict."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict

from django.db import transaction

from keycore.proving.verdict import Verdict
from wryfalcon.accounts.models import User
from wryfalcon.bench.actions.read import Typed, all_or_none, check_looks, understood
from wryfalcon.bench.actions.take_in import check_open
from wryfalcon.bench.models import Felt, Lock, Piece, PieceState, Proof, ProofValue, Tag, Trial, WayUp
from wryfalcon.bench.queries.proving import proof_of
from wryfalcon.lengths import Understood
from wryfalcon.log.actions import write_down
from wryfalcon.log.models import Event
from wryfalcon.machines.actions.orders import Press, place_order
from wryfalcon.machines.models import Order
from wryfalcon.refusal import NotDone


@transaction.atomic
def add_proof_value(actor: User, tag: Tag, piece: Piece, typed: Typed) -> Understood:
    """Write one measurement of the new key down; another on the same cut is a repeat."""
    _check_finished(tag, piece)
    track = tag.family.track(typed.track)
    if not 1 <= typed.space <= len(track.spaces):
        raise NotDone(f"There is no cut {typed.space}, only 1 to {len(track.spaces)}.", "space")
    at_cut = piece.proof_values.filter(track=typed.track, space=typed.space)
    if typed.named and (before := at_cut.filter(key=typed.named).first()):
        return Understood(before.value, "")
    check_looks(typed, [value.typed or f"{value.value:.4f}" for value in at_cut.filter(withdrawn=False)])
    entry = understood(tag, track, typed)
    kept = ProofValue.objects.create(
        piece=piece, track=typed.track, space=typed.space, value=entry.value,
        source="typed", typed=typed.text.strip()[:24], key=typed.named, by=actor,
    )  # fmt: skip
    write_down(Event.PROVED, actor, tag, piece=piece.called, job=piece.job, value=kept.pk)
    return entry


def add_proof_values(actor: User, tag: Tag, piece: Piece, entries: Sequence[Typed]) -> list[Understood]:
    """Write several measurements down, all or none. Raises NotDone with what to type instead."""
    return all_or_none(entries, lambda typed: add_proof_value(actor, tag, piece, typed))


@transaction.atomic
def read_caliper(press: Press, tag: Tag, piece: Piece) -> Order:
    """Ask the machine's own caliper to read every cut once; what it reads is kept as it comes."""
    _check_finished(tag, piece)
    if piece.machine is None or piece.set_up is None or not piece.machine.is_simulated:
        raise NotDone("There is no caliper on the line of what made this key. Type the values instead.")
    places = [command["place"] for command in piece.set_up.commands]
    return place_order(press, piece.machine, "measure", job=piece.job, data={"places": places})


@transaction.atomic
def withdraw_proof_values(actor: User, tag: Tag, piece: Piece) -> None:
    """Take the last measurement back: one typed value, or one whole pass of the caliper."""
    check_open(tag)
    values = piece.proof_values.filter(withdrawn=False)
    last = values.last()
    if last is None:
        raise NotDone("There is nothing to take back.")
    passed = values.filter(source="caliper").order_by("-id")[: len(piece.set_up.commands) if piece.set_up else 0]
    gone = [last.pk] if last.source == "typed" else [value.pk for value in passed]
    ProofValue.objects.filter(pk__in=gone).update(withdrawn=True)
    write_down(Event.READING_WITHDRAWN, actor, tag, job=piece.job, values=len(gone))


@transaction.atomic
def try_in_lock(
    actor: User, tag: Tag, piece: Piece, lock: Lock, *, way_up: str, worked: bool, felt: dict[str, str]
) -> None:
    """Note how the key goes in, turns and comes out of one lock."""
    check_open(tag)
    if way_up not in WayUp or any(value not in Felt for value in felt.values()):
        raise NotDone("Choose how it felt from the list.")
    Trial.objects.update_or_create(piece=piece, lock=lock, way_up=way_up, worked=worked, defaults={**felt, "by": actor})
    write_down(
        Event.TRIED, actor, tag, piece=piece.called, job=piece.job, lock=lock.pk, way_up=way_up, worked=worked, **felt
    )


@transaction.atomic
def keep_proof(actor: User, tag: Tag, piece: Piece, *, passed: bool, reason: str) -> Proof:
    """Keep the verdict on a key. Passing a key that is not all inside needs a reason."""
    _check_finished(tag, piece)
    shown = proof_of(tag, piece)
    if shown is None or shown.unmeasured:
        raise NotDone("Measure every cut before the verdict is kept.")
    if passed and shown.verdict != Verdict.INSIDE and not reason.strip():
        raise NotDone(f"The key is {shown.verdict}. Say why it is good enough; the reason stays with it.", "reason")
    proof, _ = Proof.objects.update_or_create(
        piece=piece,
        defaults={
            "verdict": shown.verdict.value,
            "cuts": [
                {"track": cut.track, "space": cut.space, "error": cut.error, "verdict": cut.verdict.value}
                for cut in shown.cuts
                if cut.verdict is not None
            ],
            "causes": [asdict(cause) for cause in shown.causes],
            "passed": passed,
            "reason": reason.strip()[:200],
            "by": actor,
        },
    )
    write_down(Event.PROVED, actor, tag, piece=piece.called, job=piece.job, verdict=proof.verdict, passed=passed)
    return proof


def _check_finished(tag: Tag, piece: Piece) -> None:
    check_open(tag)
    piece.refresh_from_db(fields=["state"])
    if piece.state != PieceState.FINISHED:
        raise NotDone("This key is not finished yet.")
