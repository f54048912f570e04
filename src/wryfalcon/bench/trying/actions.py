"""Noting on a trial sheet what each key did in the lock, and how the sheet is worked through."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from django.db.models import F, QuerySet
from django.utils import timezone

from keycore.codes.half_steps import half_step_value
from keycore.family import Family, Track
from keycore.kind import RestsOn
from keycore.proving.lock import play_of
from wryfalcon.accounts.models import User
from wryfalcon.action import action
from wryfalcon.bench.cutting.actions import new_job, next_key
from wryfalcon.bench.models import (
    ALL_TRACKS,
    MadeHow,
    Outcome,
    Piece,
    PieceState,
    Proof,
    ProvenBy,
    Settlement,
    SetUp,
    SheetEntry,
    Source,
    SourceKind,
    Tag,
    TrialOrder,
    TrialSheet,
)
from wryfalcon.bench.reading.actions import state_labels
from wryfalcon.bench.setting_up.actions import Chosen, set_up
from wryfalcon.bench.setting_up.queries import Moved, what_holds
from wryfalcon.bench.tags.actions import check_read
from wryfalcon.bench.trying.queries import KeyToTry, SheetLeft, last_line, out_of
from wryfalcon.codes.models import Series
from wryfalcon.library.models import Blank
from wryfalcon.log.actions import write_down
from wryfalcon.log.models import Event
from wryfalcon.refusal import NotDone, refuse_another_last

FROM_THE_SHEET = "from the trial sheet"
SPOILT_WORDS = "spoilt on the trial sheet"
TAKEN_BACK = "taken back on the trial sheet"
TRIED = (Outcome.NO_TURN, Outcome.TURNS, Outcome.SPOILED)


@dataclass(frozen=True)
class SheetSettings:
    """How a sheet is worked through."""

    order: str = TrialOrder.CHEAPEST
    half_steps: bool = False
    series: Series | None = None


@action
def work_through(actor: User, tag: Tag, track: str, manner: SheetSettings) -> TrialSheet:
    """Choose the order, half steps and the series of a sheet. Raises NotDone for a series of another family."""
    check_read(tag)
    series = manner.series
    if track == ALL_TRACKS and (series is not None or manner.half_steps):
        raise NotDone("A series and half steps are chosen on the sheet of each track.")
    is_its = series is None or (tag.family_record is not None and tag.family_record.reads(series.family_record))
    if series is not None and not (is_its and series.track == track):
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


@action
def send_try(actor: User, sheet: TrialSheet, left: SheetLeft, tried: str) -> SheetEntry:
    """A key of the list is to be cut by a machine: a card is made for it next, and then it is sent like any key.

    The card of the last try is made anew with what still holds of it. Raises NotDone while another is out, for a
    key that is not on the list, for a family of several tracks, or once the bitting is settled.
    """
    check_read(sheet.tag)
    sheet, tag = _kept(sheet), sheet.tag
    if tag.settlement is not None:
        raise NotDone("The bitting is settled: what is cut now is that.")
    if len(tag.family.tracks) > 1 and not sheet.is_of_all_tracks:
        raise NotDone("A key is one only once all its tracks are cut: try them on the sheet of all tracks.")
    if tag.family.kind.cutting is None:
        raise NotDone(f"Keys of kind {tag.family.kind.id} are not cut from here.")
    if out_of(sheet) is not None:
        raise NotDone("Another key of this sheet is out: say first what it did, or take it back.")
    trial = _on_list(sheet, left, tried)
    settlement = Settlement.objects.create(
        tag=tag, bitting=_labels_of(sheet, trial.places), is_try=True, values=_values_of(sheet, trial.places),
        edition=tag.family.edition, read_back_at=timezone.now(), by=actor,
    )  # fmt: skip
    entry = SheetEntry.objects.create(
        sheet=sheet, outcome=Outcome.SENT, blank=trial.blank, places=list(trial.places), to_cut=settlement, by=actor
    )
    tag.__dict__.pop("try_out", None)
    last = tag.set_ups.filter(settlement__is_try=True).order_by("-id").first()
    if last is not None:
        _card_again(actor, tag, last)
    write_down(Event.SHEET_NOTED, actor, tag, track=sheet.track, entry=entry.pk, outcome=entry.outcome)
    return entry


def _card_again(actor: User, tag: Tag, last: SetUp) -> None:
    """The last try's card for this one: what was checked of machine and wheel holds, the clamping is new."""
    holding = what_holds(tag, last)
    moved = {lapse.moved for lapse in holding.lapses} - {Moved.BITTING, Moved.CUTS, Moved.DEPTHS, Moved.PLACES}
    card = set_up(actor, tag, Chosen(last.machine, last.cutter, last.jaw_side, last.style))
    if not moved:
        card.ticks = [check.id for check in holding.checks if check.id in last.ticks and check.rests_on == RestsOn.TOOL]
        card.save(update_fields=["ticks"])


def _on_list(sheet: TrialSheet, left: SheetLeft, tried: str) -> KeyToTry:
    if last_line(sheet) != left.rests_on:
        raise NotDone("Something was noted on this sheet meanwhile: look at it again.")
    trial = next((each for each in left.trials if each.form_value == tried), None)
    if trial is None:
        raise NotDone("That key is not on the list any more: look at it again.")
    return trial


@action
def note_out(actor: User, sheet: TrialSheet, outcome: str) -> SheetEntry:
    """Note what the key that a machine cut did in the lock. Raises NotDone before it is made."""
    check_read(sheet.tag)
    entry, tag = out_of(sheet), sheet.tag
    if outcome not in TRIED:
        raise NotDone("Say what the key did in the lock.")
    if entry is None or entry.piece is None or entry.piece.state != PieceState.FINISHED:
        raise NotDone("That key is not made yet: cut it first, or take it back.")
    entry.outcome = outcome
    entry.save(update_fields=["outcome"])
    if outcome == Outcome.SPOILED:
        entry.piece.state, entry.piece.ended_at = PieceState.SPOILT, timezone.now()
        entry.piece.why_ended = SPOILT_WORDS
        entry.piece.save()
    _judge(actor, entry.piece, outcome)
    write_down(Event.SHEET_NOTED, actor, tag, track=sheet.track, entry=entry.pk, outcome=outcome)
    _take_as_source(actor, sheet, entry)
    return entry


@action
def note_try(actor: User, sheet: TrialSheet, left: SheetLeft, tried: str, outcome: str) -> SheetEntry:
    """Note what a key of the list did: a blank begun for it is off its hook.

    One that turns and stands for one bitting alone is a source of the bitting, tried in the lock, and is
    itself the next key of the tag. Raises NotDone for a key that is no longer on the list.
    """
    check_read(sheet.tag)
    trial = _on_list(sheet, left, tried)
    if outcome not in TRIED:
        raise NotDone("Say what the key did in the lock.")
    if out_of(sheet) is not None:
        raise NotDone("Another key of this sheet is out: say first what it did, or take it back.")
    sheet, tag = _kept(sheet), sheet.tag
    before = _on_blank(sheet, trial.blank).select_related("piece").last()
    if before is None:
        _count_blank(tag.blank_id, -1)
    piece = _tried(actor, sheet, trial, outcome, before.piece if before is not None else None)
    entry = SheetEntry.objects.create(
        sheet=sheet, outcome=outcome, blank=trial.blank, places=list(trial.places), piece=piece, by=actor
    )
    write_down(Event.SHEET_NOTED, actor, tag, track=sheet.track, entry=entry.pk, outcome=outcome)
    _take_as_source(actor, sheet, entry)
    return entry


def _take_as_source(actor: User, sheet: TrialSheet, entry: SheetEntry) -> None:
    """A key that turns and stands for one bitting alone says what the bitting is."""
    if entry.outcome != Outcome.TURNS or any(place % 2 for place in entry.places):
        return
    tag = sheet.tag
    for track, labels in _labels_of(sheet, entry.places).items():
        source = Source.objects.create(
            tag=tag, track=track, kind=SourceKind.TRIED, name=FROM_THE_SHEET, counted_from=tag.family.numbered_from
        )
        write_down(Event.SOURCE_ADDED, actor, tag, track=track, source=source.pk)
        state_labels(actor, tag, source, {space: [label] for space, label in enumerate(labels, start=1)})


def _judge(actor: User, piece: Piece, outcome: str) -> None:
    """A key that does not turn is proven not to be one."""
    if outcome == Outcome.NO_TURN:
        Proof.objects.create(
            piece=piece, proven_by=ProvenBy.TRIED, cuts=[], causes=[], passed=False, reason="does not turn", by=actor
        )


def _tried(actor: User, sheet: TrialSheet, trial: KeyToTry, outcome: str, before: Piece | None) -> Piece | None:
    """The key that was tried: a piece like any other, cut by hand, onto the one before where that is its blank.

    None where the family has further tracks than the sheet's: a key is one only once all of them are cut.
    """
    tag, now = sheet.tag, timezone.now()
    if len(tag.family.tracks) > 1 and not sheet.is_of_all_tracks:
        return None
    is_plain = all(place % 2 == 0 for place in trial.places)
    number, tries = (before.key_number, before.try_number) if before is not None else next_key(tag)
    piece = Piece.objects.create(
        tag=tag, key_number=number, try_number=tries, onto=before, made_how=MadeHow.FILED, maker=actor,
        state=PieceState.SPOILT if outcome == Outcome.SPOILED else PieceState.FINISHED, blank_taken=before is None,
        blank=tag.blank if before is None else None,
        bitting=_labels_of(sheet, trial.places) if is_plain else None, values=_values_of(sheet, trial.places),
        why_ended=SPOILT_WORDS if outcome == Outcome.SPOILED else "", began_at=now,
        finished_at=None if outcome == Outcome.SPOILED else now, ended_at=now if outcome == Outcome.SPOILED else None,
        job=new_job(tag, f"S{number}"),
    )  # fmt: skip
    write_down(Event.PIECE_TAKEN_AS_MADE, actor, tag, piece=piece.called, job=piece.job)
    _judge(actor, piece, outcome)
    return piece


def _labels_of(sheet: TrialSheet, places: Sequence[int]) -> dict[str, list[str]]:
    """A key of a sheet as labels by track; a half step as the shallower of its depths."""
    family = sheet.tag.family
    return {
        name: [family.track(name).labels[place // 2] for place in part] for name, part in sheet.parts(places).items()
    }


def _values_of(sheet: TrialSheet, places: Sequence[int]) -> dict[str, list[float]]:
    """The depth values that it is cut to, by track, family unit."""
    family = sheet.tag.family
    return {
        name: [_depth_of(family, family.track(name), place) for place in part]
        for name, part in sheet.parts(places).items()
    }


def _depth_of(family: Family, track: Track, place: int) -> float:
    """What a place of the sheet is cut to: a depth, or the half step beyond it; family unit."""
    half = half_step_value(track, play_of(family), place // 2) if place % 2 else None
    return track.values[place // 2] if half is None else half


def _on_blank(sheet: TrialSheet, blank: int | None) -> QuerySet[SheetEntry]:
    return sheet.entries.filter(blank=blank, withdrawn=False)


def _count_blank(blank: int | None, by: int) -> None:
    if blank is not None:
        Blank.objects.filter(pk=blank, left__gte=max(0, -by)).update(left=F("left") + by)


@action
def note_cut(actor: User, sheet: TrialSheet, space: int, label: str, *, is_so: bool) -> SheetEntry:
    """Note that a cut is, or is not, a depth. Raises NotDone for a cut or depth that there is not."""
    check_read(sheet.tag)
    if sheet.is_of_all_tracks:
        raise NotDone("Say it on the sheet of its own track: it counts here too.")
    track = sheet.tag.family.track(sheet.track)
    if not 1 <= space <= len(track.spaces) or label not in track.labels:
        raise NotDone("Say which cut, and which depth it is or is not.")
    outcome = Outcome.IS if is_so else Outcome.IS_NOT
    entry = SheetEntry.objects.create(sheet=_kept(sheet), outcome=outcome, space=space, label=label, by=actor)
    write_down(Event.SHEET_NOTED, actor, sheet.tag, track=sheet.track, entry=entry.pk, outcome=outcome)
    return entry


@action
def take_last_back(actor: User, sheet: TrialSheet, shown: int | None = None) -> None:
    """Take the last line of a sheet back, and what it settled.

    ``shown`` is the last that the page had. Raises NotDone where that is another by now, or nothing is noted.
    """
    check_read(sheet.tag)
    if shown and sheet.pk:
        refuse_another_last(sheet.entries.filter(withdrawn=False), shown)
    entry = sheet.entries.filter(withdrawn=False).select_related("piece").last() if sheet.pk else None
    if entry is None:
        raise NotDone("Nothing is noted on this sheet.")
    if entry.to_cut_id is not None and entry.piece is not None:
        _take_outcome_back(actor, entry)
        return
    entry.withdrawn = True
    entry.save()
    if entry.to_cut_id is None and entry.blank is not None and not _on_blank(sheet, entry.blank).exists():
        taken = entry.piece.blank_id if entry.piece is not None else sheet.tag.blank_id
        _count_blank(taken, +1)
    if entry.outcome == Outcome.TURNS:
        _put_source_away(sheet)
    if entry.piece is not None:
        _take_piece_back(entry.piece)
    write_down(Event.SHEET_WITHDRAWN, actor, sheet.tag, track=sheet.track, outcome=entry.outcome)


def _put_source_away(sheet: TrialSheet) -> None:
    tried = sheet.tag.sources.filter(kind=SourceKind.TRIED, removed=False)
    (tried if sheet.is_of_all_tracks else tried.filter(track=sheet.track)).update(removed=True)


def _take_outcome_back(actor: User, entry: SheetEntry) -> None:
    """A key that a machine made is made, whatever was noted of it: what it did is to be said again.

    Raises NotDone where nothing was noted of it yet, or once it was measured, tried further or proven.
    """
    assert entry.piece is not None
    piece, sheet = entry.piece, entry.sheet
    if entry.outcome == Outcome.SENT:
        raise NotDone(
            f"{piece.called.capitalize()} is {piece.get_state_display()}: end it under Cut, or say what it did."
        )
    _check_untouched(piece)
    if entry.outcome == Outcome.TURNS:
        _put_source_away(sheet)
    if entry.outcome == Outcome.SPOILED and piece.why_ended != SPOILT_WORDS:
        raise NotDone(f"{piece.called.capitalize()} was ended under Cut: its blank is gone.")
    write_down(Event.SHEET_WITHDRAWN, actor, sheet.tag, track=sheet.track, outcome=entry.outcome)
    Proof.objects.filter(piece=piece).delete()
    piece.state, piece.why_ended, piece.ended_at = PieceState.FINISHED, "", None
    piece.save()
    entry.outcome = Outcome.SENT
    entry.save(update_fields=["outcome"])


def _check_untouched(piece: Piece) -> None:
    """Raise NotDone for a key that was measured, tried further or proven since."""
    is_proven = Proof.objects.filter(piece=piece, passed=True).exists()
    if is_proven or piece.proof_values.exists() or piece.trials.exists():
        raise NotDone(f"{piece.called.capitalize()} was measured or tried since: end it under Cut first.")


def _take_piece_back(piece: Piece) -> None:
    """It was not tried so after all. Raises NotDone once that key was measured, tried further or proven."""
    _check_untouched(piece)
    Proof.objects.filter(piece=piece).delete()
    piece.state, piece.why_ended, piece.ended_at = PieceState.ABANDONED, TAKEN_BACK, timezone.now()
    piece.blank_taken = False
    piece.save()


def _kept(sheet: TrialSheet) -> TrialSheet:
    """The sheet, kept; another may have kept the same since the page was made."""
    return sheet if sheet.pk is not None else TrialSheet.objects.get_or_create(tag=sheet.tag, track=sheet.track)[0]
