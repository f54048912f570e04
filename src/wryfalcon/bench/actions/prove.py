"""Measuring a new key, trying it in its locks, and keeping the verdict."""

from __future__ import annotations

from dataclasses import asdict

from django.db import transaction

from keycore.proving.verdict import Verdict
from keycore.units import Unit, convert
from wryfalcon.accounts.models import User
from wryfalcon.bench.actions.read import Typed, understood
from wryfalcon.bench.actions.take_in import check_open
from wryfalcon.bench.models import Felt, Lock, Proof, ProofValue, Tag, Trial, WayUp
from wryfalcon.bench.queries.proving import proof_of
from wryfalcon.bench.refusal import NotDone
from wryfalcon.lengths import Entry
from wryfalcon.machines.drivers import MachineRefused, MachineUnreachable, driver_of
from wryfalcon.machines.models import Run, RunState
from wryfalcon.records.actions import write_down
from wryfalcon.records.models import Event


@transaction.atomic
def add_proof_value(actor: User, tag: Tag, run: Run, typed: Typed) -> Entry:
    """Write one measurement of the new key down; another on the same cut is a repeat."""
    _check_finished(tag, run)
    track = tag.family.track(typed.track)
    if not 1 <= typed.space <= len(track.spaces):
        raise NotDone(f"There is no cut {typed.space}, only 1 to {len(track.spaces)}.", "space")
    entry = understood(tag, track, typed)
    ProofValue.objects.create(
        run=run, track=typed.track, space=typed.space, value=entry.value,
        source="typed", typed=typed.text.strip()[:24], by=actor,
    )  # fmt: skip
    write_down(Event.PROVED, actor, tag, job=run.job, track=typed.track, space=typed.space, typed=typed.text[:24])
    return entry


def read_caliper(actor: User, tag: Tag, run: Run) -> int:
    """Read every cut once with the machine's own caliper. Returns how many values were read."""
    _check_finished(tag, run)
    driver, unit = driver_of(run.machine), tag.family.unit
    values = []
    try:
        for command in run.set_up.commands:
            value, position = driver.measure(run.job, command["side"], command["position"])
            values.append((command, convert(value, Unit.MILLIMETRE, unit), convert(position, Unit.MILLIMETRE, unit)))
    except MachineRefused as error:
        raise NotDone(f"The machine says: {error}.") from None
    except MachineUnreachable:
        raise NotDone("No answer from the machine's caliper. Type the values instead.") from None
    with transaction.atomic():
        for command, value, position in values:
            ProofValue.objects.create(
                run=run, track=command["track"], space=command["space"], value=value, position=position,
                source="caliper", by=actor,
            )  # fmt: skip
        write_down(Event.PROVED, actor, tag, job=run.job, read=len(values))
    return len(values)


@transaction.atomic
def withdraw_proof_values(actor: User, tag: Tag, run: Run) -> None:
    """Take the last measurement back: one typed value, or one whole pass of the caliper."""
    check_open(tag)
    values = run.proof_values.filter(withdrawn=False)
    last = values.last()
    if last is None:
        raise NotDone("There is nothing to take back.")
    passed = values.filter(source="caliper").order_by("-id")[: len(run.set_up.commands)]
    gone = [last.pk] if last.source == "typed" else [value.pk for value in passed]
    ProofValue.objects.filter(pk__in=gone).update(withdrawn=True)
    write_down(Event.READING_WITHDRAWN, actor, tag, job=run.job, values=len(gone))


@transaction.atomic
def try_in_lock(
    actor: User, tag: Tag, run: Run, lock: Lock, *, way_up: str, worked: bool, felt: dict[str, str]
) -> None:
    """Note how the key goes in, turns and comes out of one lock."""
    check_open(tag)
    if way_up not in WayUp or any(value not in Felt for value in felt.values()):
        raise NotDone("Choose how it felt from the list.")
    Trial.objects.update_or_create(run=run, lock=lock, way_up=way_up, worked=worked, defaults={**felt, "by": actor})
    write_down(Event.TRIED, actor, tag, job=run.job, lock=lock.name, way_up=way_up, worked=worked, **felt)


@transaction.atomic
def keep_proof(actor: User, tag: Tag, run: Run, *, passed: bool, reason: str) -> Proof:
    """Keep the verdict on a key. Passing a key that is not all inside needs a reason."""
    _check_finished(tag, run)
    shown = proof_of(tag, run)
    if shown is None or shown.unmeasured:
        raise NotDone("Measure every cut before the verdict is kept.")
    if passed and shown.verdict != Verdict.INSIDE and not reason.strip():
        raise NotDone(f"The key is {shown.verdict}. Say why it is good enough; the reason stays with it.", "reason")
    proof, _ = Proof.objects.update_or_create(
        run=run,
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
    write_down(Event.PROVED, actor, tag, job=run.job, verdict=proof.verdict, passed=passed, reason=proof.reason)
    return proof


def _check_finished(tag: Tag, run: Run) -> None:
    check_open(tag)
    if run.state != RunState.FINISHED:
        raise NotDone("This key is not finished yet.")
