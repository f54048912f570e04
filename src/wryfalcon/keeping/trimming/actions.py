"""Trimming a machine by keys of known target: begun, measured, put in force, undone."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from itertools import pairwise
from math import isfinite

from django.utils import timezone

from keycore.errors import InputError
from keycore.family import Track
from keycore.kind import Surface
from keycore.rules import NO_RULES, breaks
from wryfalcon.accounts.models import User
from wryfalcon.action import action
from wryfalcon.bench.models import OnBench, Tag
from wryfalcon.bench.reading.actions import labels_typed
from wryfalcon.bench.settling.actions import Choice, settle
from wryfalcon.bench.tags.actions import TagDetails, take_in
from wryfalcon.keeping.course.queries import course_of, noise_of
from wryfalcon.keeping.trimming.queries import (
    CLAMPINGS,
    PlannedTestCut,
    best_test_key,
    can_be_cut,
    measured_beside,
    planned_cuts,
    trim_state,
)
from wryfalcon.lengths import figure
from wryfalcon.library.models import FamilyRecord
from wryfalcon.log.actions import write_down
from wryfalcon.log.models import Event
from wryfalcon.machines.fittings.queries import makes
from wryfalcon.machines.models import JawSide, Machine, MachineOffset, OffsetChange, Trim, TrimReading
from wryfalcon.refusal import NotDone, OnlyPartly

FARTHEST = 3.0  # mm: an offset beyond this is a typing mistake
SHOP = "The shop itself"
HOW_HELD = {
    Surface.GROOVE: "Choose the face of the clamp that its blade lies flat on: its axis across makes the walls.",
    Surface.HOLE: "Choose the machine’s own jaw, or the whole machine: another clamp’s axes do not drill holes.",
}


@dataclass(frozen=True)
class ClampingReadings:
    """One cut of a clamping as it was measured, family unit; None for what was not."""

    value: float | None
    position: float | None = None


NOT_MEASURED = ClampingReadings(None)


def cut_name(trim: Trim, cut: PlannedTestCut) -> str:
    """A cut of a test key as it is called: with its wall, where two are measured."""
    return f"{cut.track} {cut.space}" if trim.beside else str(cut.space)


@action
def begin_trim(
    actor: User,
    machine: Machine,
    record: FamilyRecord,
    *,
    side: JawSide | None = None,
    own: str = "",
    is_check: bool = False,
) -> Trim:
    """Begin a trim of the machine, or of one side of its clamps alone.

    The test bitting is ``own`` as typed, or the one that tells most. Raises NotDone for a family that
    cannot tell enough, or a bitting it does not allow.
    """
    family = record.family
    track, beside = family.tracks[0], measured_beside(family)
    if family.kind.surface in HOW_HELD and not makes(machine, side, family):
        raise NotDone(HOW_HELD[family.kind.surface])
    steps = _own_steps(track, own) if own.strip() else _best_steps(machine, record, track)
    trim = Trim.objects.create(
        machine=machine, gauge=family.gauge, family_record=record, track=track.name, steps=steps,
        beside=beside.name if beside is not None else "",
        steps_beside=_best_steps(machine, record, beside) if beside is not None else [],
        jaw_side=side, cutter=machine.fitted, is_check=is_check, by=actor,
    )  # fmt: skip
    write_down(Event.TRIM_BEGUN, actor, machine=str(machine), family=str(record), is_check=is_check)
    return trim


def _best_steps(machine: Machine, record: FamilyRecord, track: Track) -> list[int]:
    family = record.family
    noise = noise_of(machine, course_of(machine, family.gauge).fitted)
    try:
        return list(best_test_key(record.document, track.name, noise, CLAMPINGS).steps)
    except InputError as error:
        raise NotDone(f"{record} cannot be trimmed by: {error.reason}.") from None


def _own_steps(track: Track, typed: str) -> list[int]:
    try:
        labels = [label for label in labels_typed(track, typed) if label is not None]
    except NotDone as refusal:
        raise NotDone(f"The test bitting: {refusal.says}") from None
    if len(labels) != len(track.spaces):
        raise NotDone(f"A test bitting has {len(track.spaces)} cuts, in the family’s own order.")
    steps = list(track.steps(labels))
    steep = [found.spaces for found in breaks(track, NO_RULES, steps) if found.rule == "macs"]
    if steep:
        at = steep[0]
        raise NotDone(f"Cuts {at[0]} and {at[1]} of that test bitting differ by more than the family allows.")
    return steps


@action
def hang_test_key(actor: User, trim: Trim, clampings: int = CLAMPINGS) -> Tag:
    """Hang a tag for the test keys, its bitting settled: they are cut and measured as any key is."""
    _check_open(trim)
    if trim.tag is not None:
        raise NotDone(f"Tag {trim.tag} makes its test keys already.")
    if not can_be_cut(trim):
        raise NotDone("Such keys are not cut from here: cut them at the machine, and type what they measure.")
    record = trim.family_record
    job = TagDetails(
        title=f"Test keys for {trim.machine}", customer=SHOP, on_bench=OnBench.CODE, family=record,
        authority="the shop's own test key", quantity=clampings, note="Clamp each key anew.",
    )  # fmt: skip
    tag = take_in(actor, job)
    bitting = {track.name: [track.labels[0]] * len(track.spaces) for track in record.family.tracks}
    for cut in planned_cuts(trim):
        bitting[cut.track][cut.space - 1] = cut.label
    settle(actor, tag, Choice(bitting=bitting, reason="test key"))
    trim.tag = tag
    trim.save()
    return tag


@action
def try_caliper(actor: User, trim: Trim, known_size: float, known_read: float) -> None:
    """Keep what the caliper says of a known size; mm. Raises NotDone for what is no such reading."""
    _check_open(trim)
    if not 0 < known_size < 200 or abs(known_read - known_size) > 1:
        raise NotDone("That is no reading of that size: type both in the same unit.")
    trim.known_size, trim.known_read = known_size, known_read
    trim.save()
    write_down(Event.TRIM_MEASURED, actor, machine=str(trim.machine), known=known_size, read=known_read)


@action
def measure_clamping(
    actor: User, trim: Trim, clamping: int, cuts: Mapping[int, ClampingReadings], *, is_partly: bool = False
) -> None:
    """Keep what was measured of one clamping, by the number of the cut, in the place of what was kept of it before.

    Raises NotDone for nothing, for some cuts only unless that ``is_partly`` meant, or a cut far from its
    target: a misread, or another key.
    """
    _check_open(trim)
    family, planned = trim.family_record.family, planned_cuts(trim)
    given = {number: cut for number, cut in cuts.items() if cut.value is not None or cut.position is not None}
    if not given:
        raise NotDone("Type at least one cut.")
    for wanted in planned:
        values, value = family.track(wanted.track).values, given.get(wanted.number, NOT_MEASURED).value
        gap = max(abs(a - b) for a, b in pairwise(values))
        if value is not None and (not isfinite(value) or abs(value - wanted.value) > 3 * gap):
            raise NotDone(
                f"Cut {cut_name(trim, wanted)} is far from the {figure(family.depth, wanted.value)} it should be: "
                "measure it again, or is it another key?"
            )
    without = [cut_name(trim, wanted) for wanted in planned if wanted.number not in given]
    if without and not is_partly:
        which = f"Cut {without[0]} of this clamping is" if len(without) == 1 else f"Cuts {', '.join(without)} of it are"
        raise OnlyPartly(f"{which} not measured. Measure, or keep it as it is.")
    TrimReading.objects.filter(trim=trim, clamping=clamping).update(withdrawn=True)
    TrimReading.objects.bulk_create(
        TrimReading(
            trim=trim, clamping=clamping, track="" if wanted.track == trim.track else wanted.track,
            space=wanted.space, value=cut.value, position=cut.position, by=actor,
        )
        for wanted in planned
        if (cut := given.get(wanted.number)) is not None
    )  # fmt: skip
    write_down(Event.TRIM_MEASURED, actor, machine=str(trim.machine), clamping=clamping, cuts=len(given))


@action
def withdraw_clamping(actor: User, trim: Trim, clamping: int) -> None:
    """Take what was typed of a clamping back: it was not seated, or mistyped. Raises NotDone where nothing was."""
    _check_open(trim)
    if not TrimReading.objects.filter(trim=trim, clamping=clamping, withdrawn=False).update(withdrawn=True):
        raise NotDone(f"Nothing is kept of clamping {clamping}.")
    write_down(Event.TRIM_MEASURED, actor, machine=str(trim.machine), withdrew_clamping=clamping)


@action
def close_trim(actor: User, trim: Trim, seen: str, *, apply: bool) -> OffsetChange | None:
    """Close a trim; with ``apply`` the adjustment that was ``seen`` is put in force.

    Raises NotDone where there is none, and where the keys say something else by now.
    """
    _check_open(trim)
    state = trim_state(trim)
    fit = state.fit
    if apply and seen and seen != state.digest:
        raise NotDone("What the keys say has changed since this page was shown: look at it again.")
    if fit is None or not state.is_enough:
        raise NotDone("Measure the test keys first.")
    change = None
    if apply:
        if state.moved:
            raise NotDone(f"Since these keys were measured {state.moved}: they say nothing of the machine as it is.")
        if state.odd is not None:
            raise NotDone("The clampings disagree: a badly seated key looks just like a machine out of true.")
        if not state.can_apply:
            raise NotDone("There is nothing to adjust.")
        offset, _ = MachineOffset.objects.get_or_create(
            machine=trim.machine, gauge=trim.gauge, jaw_side=trim.jaw_side, family_record=None
        )
        adjust = fit.depth_adjust * state.to_values
        turned = (
            adjust if trim.machine.screw_lead and not state.is_of_walls else 0.0
        )  # then the number stays, the screw moves
        after = (offset.value + adjust - turned, offset.space + fit.space_adjust)
        change = change_offset(actor, offset, *after, why="trimmed by measured keys", trim=trim, turned=turned)
    trim.verdict, trim.closed_at = fit.advice.value, timezone.now()
    if trim.is_check:
        trim.verdict = "true" if state.is_true else "untrue"
    trim.save()
    write_down(Event.TRIM_CLOSED, actor, machine=str(trim.machine), verdict=trim.verdict, applied=apply)
    return change


@dataclass(frozen=True)
class MakerFigures:
    """The maker's own figures for an offset, mm; None leaves what is written."""

    value: float | None = None
    space: float | None = None


@action
def change_offset(
    actor: User,
    offset: MachineOffset,
    value: float,
    space: float,
    *,
    why: str,
    trim: Trim | None = None,
    turned: float = 0.0,
    maker: MakerFigures | None = None,
) -> OffsetChange:
    """Put other offsets in force, mm, or keep what the screw was turned by; the old ones are kept.

    Raises NotDone without a reason, far out, or for what is in force already.
    """
    if not why.strip():
        raise NotDone("Say why: whoever stands at this machine next should know.")
    if offset.pk is None:  # of a sort that had none when it was asked for
        sort = {name: getattr(offset, name) for name in ("machine", "gauge", "jaw_side", "family_record")}
        offset = MachineOffset.objects.get_or_create(**sort)[0]
    before = (offset.value, offset.space, offset.maker_value, offset.maker_space, offset.why)
    maker = maker or MakerFigures()
    offset.maker_value = offset.maker_value if maker.value is None else maker.value
    offset.maker_space = offset.maker_space if maker.space is None else maker.space
    figures = (value, space, offset.maker_value, offset.maker_space)
    if not all(isfinite(each) and abs(each) <= FARTHEST for each in figures):
        raise NotDone(f"An offset of more than {FARTHEST:g} mm is a typing mistake.")
    if (*figures, why.strip()[:200]) == before and not turned:
        raise NotDone("That is in force already, for the same reason.")
    change = OffsetChange.objects.create(
        offset=offset, value_before=offset.value, space_before=offset.space, value_after=round(value, 4),
        space_after=round(space, 4), why=why.strip()[:200], trim=trim, turned=turned, by=actor,
    )  # fmt: skip
    offset.value, offset.space, offset.why = change.value_after, change.space_after, change.why
    offset.save()
    write_down(
        Event.OFFSETS_CHANGED, actor, machine=str(offset.machine), offset=str(offset), why=change.why,
        before=[change.value_before, change.space_before], after=[change.value_after, change.space_after],
    )  # fmt: skip
    return change


@action
def undo_change(actor: User, change: OffsetChange) -> OffsetChange:
    """Put the offsets back that a change replaced. Raises NotDone unless it is the last one of its offset."""
    last = change.offset.changes.filter(undone=False).first()
    if last != change:
        raise NotDone("Only the last change can be undone; later ones build on it.")
    back = change_offset(
        actor, change.offset, change.value_before, change.space_before, why=f"undone: {change.why}"[:200],
        turned=-change.turned,
    )  # fmt: skip
    OffsetChange.objects.filter(pk__in=[change.pk, back.pk]).update(undone=True)
    return back


def _check_open(trim: Trim) -> None:
    if trim.closed_at is not None:
        raise NotDone("That trim is closed; begin a new one.")
