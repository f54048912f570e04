"""Noting on a trial sheet what each key did in the lock, and how the sheet is worked through."""

from __future__ import annotations

from dataclasses import dataclass

from django.db import transaction

from wryfalcon.accounts.models import User
from wryfalcon.bench.actions.settle import overrule
from wryfalcon.bench.actions.take_in import check_open
from wryfalcon.bench.models import Outcome, SheetEntry, Tag, TrialOrder, TrialSheet
from wryfalcon.bench.queries.trial_sheet import SheetLeft
from wryfalcon.bench.refusal import NotDone
from wryfalcon.codes.models import Series
from wryfalcon.records.actions import write_down
from wryfalcon.records.models import Event

SHOWN_BY_TRIAL = "this key turned the lock, from the trial sheet"


@dataclass(frozen=True)
class Manner:
    """How a sheet is worked through."""

    order: str = TrialOrder.WITHIN
    half_steps: bool = False
    series: Series | None = None


@transaction.atomic
def work_through(actor: User, tag: Tag, track: str, manner: Manner) -> TrialSheet:
    """Choose the order, half steps and the series of a sheet. Raises NotDone for a series of another family."""
    check_open(tag)
    series = manner.series
    if series is not None and (series.family_record_id, series.track) != (tag.family_record_id, track):
        raise NotDone(f"{series} is a series of another key.")
    if manner.order not in TrialOrder.values:
        raise NotDone("There is no such order.")
    kept = {"order": manner.order, "half_steps": manner.half_steps, "series": series}
    sheet, _ = TrialSheet.objects.update_or_create(tag=tag, track=track, defaults=kept)
    write_down(
        Event.SHEET_CHANGED, actor, tag, track=track, order=manner.order, half_steps=manner.half_steps,
        series=str(series or ""),
    )  # fmt: skip
    return sheet


@transaction.atomic
def note_try(actor: User, sheet: TrialSheet, left: SheetLeft, tried: str, outcome: str) -> SheetEntry:
    """Note what a key of the list did. One that turns and stands for one bitting alone settles its cuts.

    Raises NotDone for a key that is no longer on the list.
    """
    check_open(sheet.tag)
    trial = next((each for each in left.trials if each.form_value == tried), None)
    if trial is None:
        raise NotDone("That key is not on the list any more: look at it again.")
    if outcome not in (Outcome.NO_TURN, Outcome.TURNS, Outcome.SPOILED):
        raise NotDone("Say what the key did in the lock.")
    sheet = _kept(sheet)
    entry = SheetEntry.objects.create(
        sheet=sheet, outcome=outcome, blank=trial.blank, places=list(trial.places), by=actor
    )
    write_down(Event.SHEET_NOTED, actor, sheet.tag, track=sheet.track, entry=entry.pk, outcome=outcome)
    if outcome == Outcome.TURNS and all(place % 2 == 0 for place in trial.places):
        for space, label in enumerate(trial.labels, start=1):
            overrule(actor, sheet.tag, (sheet.track, space), label, SHOWN_BY_TRIAL)
    return entry


@transaction.atomic
def note_cut(actor: User, sheet: TrialSheet, space: int, label: str, *, is_so: bool) -> SheetEntry:
    """Note that a cut is, or is not, a depth. Raises NotDone for a cut or depth that there is not."""
    check_open(sheet.tag)
    track = sheet.tag.family.track(sheet.track)
    if not 1 <= space <= len(track.spaces) or label not in track.labels:
        raise NotDone("Say which cut, and which depth it is or is not.")
    outcome = Outcome.IS if is_so else Outcome.IS_NOT
    entry = SheetEntry.objects.create(sheet=_kept(sheet), outcome=outcome, space=space, label=label, by=actor)
    write_down(Event.SHEET_NOTED, actor, sheet.tag, track=sheet.track, entry=entry.pk, outcome=outcome)
    return entry


@transaction.atomic
def take_last_back(actor: User, sheet: TrialSheet) -> None:
    """Take the last line of a sheet back, and what it settled. Raises NotDone when nothing is noted on it."""
    check_open(sheet.tag)
    entry = sheet.entries.filter(withdrawn=False).last() if sheet.pk else None
    if entry is None:
        raise NotDone("Nothing is noted on this sheet.")
    entry.withdrawn = True
    entry.save()
    if entry.outcome == Outcome.TURNS:
        sheet.tag.overrulings.filter(track=sheet.track, reason=SHOWN_BY_TRIAL, withdrawn=False).update(withdrawn=True)
    write_down(Event.SHEET_WITHDRAWN, actor, sheet.tag, track=sheet.track, outcome=entry.outcome)


def _kept(sheet: TrialSheet) -> TrialSheet:
    if sheet.pk is None:
        sheet.save()
    return sheet
