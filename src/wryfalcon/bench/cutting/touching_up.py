"""Touching a made key up after its trial: any cut, deeper only, by the machine that cut it or with a file."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import isfinite
from typing import Any

from django.utils import timezone

from keycore.cutting.intent import deeper
from keycore.family import Family
from wryfalcon.action import action
from wryfalcon.bench.cutting.actions import (
    card_of_the_same,
    check_recut,
    new_job,
    plan_piece,
    refuse_while_one_is_open,
    send_piece,
    told_more,
)
from wryfalcon.bench.models import Lock, MadeHow, Piece, PieceState, Tag
from wryfalcon.bench.proving.actions import check_cut, check_finished
from wryfalcon.bench.setting_up.presenters import practice_words
from wryfalcon.bench.setting_up.queries import is_practised, moved_since
from wryfalcon.bench.setting_up.told import turned_over
from wryfalcon.log.actions import write_down
from wryfalcon.log.models import Event
from wryfalcon.machines.line.orders import Press
from wryfalcon.refusal import NotDone

MOST_MM = 1.0


@dataclass(frozen=True)
class TouchedCut:
    """One cut to be taken deeper: by how much, family unit, why, and the lock that asked for it."""

    track: str
    space: int
    by: float
    reason: str = ""
    lock: Lock | None = None


@action
def touch_up_cuts(press: Press, tag: Tag, piece: Piece, cuts: Sequence[TouchedCut], *, by_file: bool) -> Piece:
    """Take some cuts of a made key deeper: on the machine that cut it, or with a file. What it is to measure moves too.

    Deepening a correct cut is a choice, not an error. Raises NotDone without a reason or a lock that asks for it, for a
    key that was touched up already, that is not known well enough, or whose machine moved since.
    """
    check_finished(tag, piece)
    check_recut(tag)
    piece = Piece.objects.select_related("machine", "tag", "settlement", "set_up").get(pk=piece.pk)
    refuse_while_one_is_open(tag)
    if Piece.objects.filter(onto=piece).exclude(state=PieceState.ABANDONED).exists():
        raise NotDone(f"{piece.called.capitalize()} was touched up already: go on with what came of that.")
    wanted = piece.wanted_values
    if not by_file and wanted is None:
        raise NotDone("What this key is to measure is not known: take it down with a file, and try.")
    _check(tag, cuts)
    values = _deepened(tag.family, wanted, cuts) if wanted is not None else None
    touched = [
        {
            "track": cut.track, "space": cut.space, "by": cut.by, "reason": cut.reason.strip()[:200],
            "lock": cut.lock.name if cut.lock else "",
        }
        for cut in cuts
    ]  # fmt: skip
    if by_file:
        fresh = Piece.objects.create(
            tag=tag, settlement=piece.settlement, key_number=piece.key_number, try_number=piece.try_number, onto=piece,
            made_how=MadeHow.FILED, maker=press.by, state=PieceState.BEGUN, began_at=timezone.now(), touched=touched,
            bitting=piece.wanted_bitting, values=values, job=new_job(tag, f"T{piece.pk}"),
        )  # fmt: skip
        write_down(Event.PIECE_BEGUN, press.by, tag, piece=fresh.called, job=fresh.job, how=MadeHow.FILED.label)
        return fresh
    fresh = _on_its_machine(press, tag, piece, cuts)
    fresh.touched, fresh.bitting, fresh.values = touched, piece.wanted_bitting, values
    fresh.save()
    write_down(Event.PIECE_SENT, press.by, tag, piece=fresh.called, job=fresh.job, onto=piece.job)
    send_piece(press, fresh)
    return fresh


def _on_its_machine(press: Press, tag: Tag, piece: Piece, cuts: Sequence[TouchedCut]) -> Piece:
    """The piece to be cut on the machine of its card, not sent yet: as it was told before, and deeper by so much."""
    card = piece.set_up
    if card is None or piece.machine is None:
        raise NotDone("No machine of ours cut this key: take it down with a file.")
    if moved := moved_since(card, piece.finished_at):
        card = card_of_the_same(tag, piece, moved)
    if is_practised(card.machine, tag):
        raise NotDone(practice_words(card.machine))
    by = {(cut.track, cut.space): _more(tag.family, cut) for cut in cuts}
    before = {(each["track"], each["space"], each["clamping"]): each["value"] for each in _last_cuts(piece)}
    back, before = turned_over(piece), {} if moved else before
    told = [
        {
            **command,
            "value": _told(command, before) + told_more(back, command, by[command["track"], command["space"]]),
        }
        for command in card.commands
        if (command["track"], command["space"]) in by
    ]
    return plan_piece(card, piece.key_number, piece.try_number, cuts=told, onto=piece)


def _last_cuts(piece: Piece) -> list[dict[str, Any]]:
    """What was last told of each cut: of a key that was touched up before, by that; else by its card."""
    told = list(piece.set_up.commands) if piece.set_up else []
    chain: list[Piece] = []
    at: Piece | None = piece
    while at is not None and at.onto is not None:
        chain, at = [at, *chain], at.onto
    return [*told, *(cut for each in chain for cut in each.cuts)]


def _told(command: dict[str, Any], before: dict[tuple[str, int, int], float]) -> float:
    return float(before.get((command["track"], command["space"], command["clamping"]), command["value"]))


def _more(family: Family, cut: TouchedCut) -> float:
    """What is added to a machine's depth for a cut to go so much deeper, mm or degrees."""
    return family.depth.to_machine(deeper(family.track(cut.track), cut.by))


def _deepened(family: Family, wanted: dict[str, list[float]], cuts: Sequence[TouchedCut]) -> dict[str, list[float]]:
    values = {name: list(each) for name, each in wanted.items()}
    for cut in cuts:
        values[cut.track][cut.space - 1] += deeper(family.track(cut.track), cut.by)
    return values


def _check(tag: Tag, cuts: Sequence[TouchedCut]) -> None:
    if not cuts:
        raise NotDone("Say which cut is to go deeper.", "at")
    if len({(cut.track, cut.space) for cut in cuts}) < len(cuts):
        raise NotDone("Each cut once.", "at")
    for cut in cuts:
        check_cut(tag, cut.track, cut.space)
        if not isfinite(cut.by) or not 0 < tag.family.depth.to_machine(cut.by) <= MOST_MM:
            raise NotDone("Say by how much, deeper only: cutting can only ever take metal off.", "by")
        if not cut.reason.strip() and cut.lock is None:
            raise NotDone("Say why, or which lock asks for it; it stays with the key.", "reason")
