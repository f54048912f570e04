"""Measuring a new key, trying it in its locks, and keeping the verdict."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, dataclass

from keycore.units import Unit
from wryfalcon.accounts.models import User
from wryfalcon.action import action
from wryfalcon.bench.models import Felt, Lock, Piece, PieceState, Proof, ProofValue, ProvenBy, Tag, Trial, WayUp
from wryfalcon.bench.proving.caliper import looks_at
from wryfalcon.bench.proving.queries import Ground, ground_of, proof_of
from wryfalcon.bench.reading.actions import Typed, aid_of, all_or_none, check_looks, understood, understood_over
from wryfalcon.bench.reading.source_actions import aid_typed
from wryfalcon.bench.tags.actions import check_open
from wryfalcon.lengths import Understood
from wryfalcon.log.actions import write_down
from wryfalcon.log.models import Event
from wryfalcon.machines.line.orders import Press, place_order
from wryfalcon.machines.models import Order
from wryfalcon.refusal import NotDone, refuse_another_last

BEST_GRADE = 10


@action
def add_proof_value(actor: User, tag: Tag, piece: Piece, typed: Typed) -> Understood:
    """Write one measurement of the new key down; another on the same cut is a repeat."""
    check_finished(tag, piece)
    track = tag.family.track(typed.track)
    if not 1 <= typed.space <= len(track.spaces):
        raise NotDone(f"There is no cut {typed.space}, only 1 to {len(track.spaces)}.", "space")
    at_cut = piece.proof_values.filter(track=typed.track, space=typed.space)
    if typed.named and (before := at_cut.filter(key=typed.named).first()):
        return Understood(before.value, "")
    check_looks(typed, [value.typed or f"{value.value:.4f}" for value in at_cut.filter(withdrawn=False)], typed.space)
    aid = aid_of(tag, piece)
    entry = understood(tag, track, typed) if aid is None else understood_over(tag, track, typed, aid)
    lift_verdict(actor, tag, piece)
    kept = ProofValue.objects.create(
        piece=piece, track=typed.track, space=typed.space, value=entry.value,
        source="typed", typed=typed.text.strip()[:24], key=typed.named, by=actor,
    )  # fmt: skip
    write_down(Event.PROVED, actor, tag, piece=piece.called, job=piece.job, value=kept.pk)
    return entry


@action
def measure_over(tag: Tag, piece: Piece, aid: str, size: str, unit: Unit) -> None:
    """Say what the cuts of a made key are measured over from now on; what was typed before stands as it was read.

    Raises NotDone for a size that none has, or without one.
    """
    check_finished(tag, piece)
    chosen, across = aid_typed(tag.family, tag.family.tracks, aid, size, unit)
    if chosen and across is None:
        raise NotDone("Say its size: the sum rests on it.", "aid_size")
    piece.aid, piece.aid_size = chosen, across
    piece.save(update_fields=["aid", "aid_size"])


def add_proof_values(
    actor: User, tag: Tag, piece: Piece, entries: Sequence[Typed], *, over: str | None = None
) -> list[Understood]:
    """Write several measurements down, all or none. Raises NotDone with what to type instead.

    ``over`` is how the page that they were typed on had them measured: where that is another by now, none is read.
    """
    piece.refresh_from_db(fields=["aid", "aid_size"])
    if over is not None and over != piece.over:
        raise NotDone("Its cuts are measured otherwise by now: look at the page again, then type.", "typed")
    return all_or_none(entries, lambda typed: add_proof_value(actor, tag, piece, typed))


@action
def read_caliper(press: Press, tag: Tag, piece: Piece) -> Order:
    """Ask the machine's own caliper to read every cut once; what it reads is kept as it comes."""
    check_finished(tag, piece)
    if piece.machine is None or piece.set_up is None or not piece.machine.is_simulated:
        raise NotDone("There is no caliper on the line of what made this key. Type the values instead.")
    return place_order(press, piece.machine, "measure", job=piece.job, data={"places": looks_at(piece)})


@action
def withdraw_proof_values(actor: User, tag: Tag, piece: Piece, shown: int | None = None) -> None:
    """Take the last measurement back: one typed value, or one whole pass of the caliper.

    ``shown`` is the last that the page had. Raises NotDone where that is another by now, or there is none.
    """
    check_open(tag)
    values = piece.proof_values.filter(withdrawn=False)
    if shown:
        refuse_another_last(values, shown)
    last = values.last()
    if last is None:
        raise NotDone("There is nothing to take back.")
    passed = values.filter(source="caliper").order_by("-id")[: len(piece.set_up.commands) if piece.set_up else 0]
    gone = [last.pk] if last.source == "typed" else [value.pk for value in passed]
    ProofValue.objects.filter(pk__in=gone).update(withdrawn=True)
    lift_verdict(actor, tag, piece)
    write_down(Event.READING_WITHDRAWN, actor, tag, job=piece.job, values=len(gone))


@dataclass(frozen=True)
class TrialFelt:
    """How a key went in one lock: way up, at first or after working it, each part, and a grade if one is given."""

    way_up: str = WayUp.UP
    worked: bool = False
    enters: str = ""
    turns: str = ""
    leaves: str = ""
    grade: int | None = None
    at: tuple[str, int] | None = None  # track and space of the cut that shows a mark, or that was felt
    at_tip: bool = False


@action
def try_in_lock(actor: User, tag: Tag, piece: Piece, lock: Lock, felt: TrialFelt) -> None:
    """Note how the key goes in, turns and comes out of one lock. Raises NotDone for nothing, or what is no feel."""
    check_finished(tag, piece)
    parts = (felt.enters, felt.turns, felt.leaves)
    if felt.way_up not in WayUp or any(value not in Felt for value in parts):
        raise NotDone("Choose how it felt from the list.")
    if felt.grade is not None and not 0 <= felt.grade <= BEST_GRADE:
        raise NotDone(f"A grade is 0 to {BEST_GRADE}.")
    if felt.at is not None:
        check_cut(tag, *felt.at)
    if not any(parts) and felt.grade is None:
        raise NotDone("Say how it went in, turned or came out.")
    kept = {"enters": felt.enters, "turns": felt.turns, "leaves": felt.leaves, "grade": felt.grade, "by": actor}
    kept |= {"at_track": felt.at[0] if felt.at else "", "at_cut": felt.at[1] if felt.at else None}
    kept |= {"at_tip": felt.at_tip}
    Trial.objects.update_or_create(piece=piece, lock=lock, way_up=felt.way_up, worked=felt.worked, defaults=kept)
    lift_verdict(actor, tag, piece)
    write_down(
        Event.TRIED, actor, tag, piece=piece.called, job=piece.job, lock=lock.pk, way_up=felt.way_up,
        worked=felt.worked, enters=felt.enters, turns=felt.turns, leaves=felt.leaves,
    )  # fmt: skip


@action
def keep_proof(actor: User, tag: Tag, piece: Piece, *, passed: bool, reason: str, is_compared: bool = False) -> Proof:
    """Keep the verdict on a key, with what it rests on: measured, tried, both, or compared with its pattern.

    Raises NotDone where nothing was done to judge it by, or where what was done says otherwise and no reason is given.
    """
    check_finished(tag, piece)
    shown = proof_of(tag, piece)
    ground = ground_of(tag, piece, shown)
    proven_by = ground.proven_by(is_compared=is_compared)
    if passed and proven_by is None:
        raise NotDone(
            f"Nothing says yet that it is good: measure every cut, or try it in its lock{_or_beside(ground)}."
        )
    if not passed and proven_by is None and not reason.strip() and not (shown and shown.causes):
        raise NotDone("Say what is wrong with it; the reason stays with it.", "reason")
    if passed and proven_by != ProvenBy.COMPARED and not ground.is_good and not reason.strip():
        raise NotDone(f"{_against(ground)} Say why it is good enough; the reason stays with it.", "reason")
    is_whole = shown is not None and ground.is_measured
    proof, _ = Proof.objects.update_or_create(
        piece=piece,
        defaults={
            "proven_by": proven_by or ProvenBy.MEASURED,
            "verdict": shown.verdict.value if shown is not None and is_whole else "",
            "cuts": [
                {"track": cut.track, "space": cut.space, "error": cut.error, "verdict": cut.verdict.value}
                for cut in (shown.cuts if shown else ())
                if cut.verdict is not None
            ],
            "causes": [asdict(cause) for cause in shown.causes] if shown is not None and is_whole else [],
            "passed": passed,
            "reason": reason.strip()[:200],
            "by": actor,
        },
    )
    write_down(
        Event.PROVED, actor, tag, piece=piece.called, job=piece.job, proven_by=proof.get_proven_by_display(),
        verdict=proof.verdict, passed=passed,
    )  # fmt: skip
    return proof


def lift_verdict(actor: User | None, tag: Tag, piece: Piece) -> None:
    """Something new is known of a key: what was said of it before is said anew."""
    gone, _ = Proof.objects.filter(piece=piece).delete()
    if gone:
        write_down(Event.VERDICT_LIFTED, actor, tag, piece=piece.called, job=piece.job)


def _or_beside(ground: Ground) -> str:
    return ", or hold it against its pattern" if ground.has_pattern else ""


def _against(ground: Ground) -> str:
    """What speaks against a key."""
    if ground.trials and not ground.is_free:
        return "It did not go freely in every lock it was tried in."
    return f"The key is {ground.measured.verdict}." if ground.measured else ""


def check_cut(tag: Tag, track: str, space: int) -> None:
    """Raise NotDone for a cut that the family does not have."""
    spaces = {each.name: len(each.spaces) for each in tag.family.tracks} if tag.family_record is not None else {}
    if not 1 <= space <= spaces.get(track, 0):
        raise NotDone(f"There is no cut {space}.", "at")


def check_finished(tag: Tag, piece: Piece) -> None:
    """Raise NotDone for a closed tag, or a key that is not made yet."""
    check_open(tag)
    piece.refresh_from_db(fields=["state"])
    if piece.state != PieceState.FINISHED:
        raise NotDone("This key is not finished yet.")
