"""Cut: the machine at work, live; hold, go on, stop, turn the key over."""

from __future__ import annotations

from typing import Any

from django.http import HttpResponse
from django.shortcuts import get_object_or_404
from django.views.decorators.http import require_GET, require_POST

from keycore.units import Unit, convert
from wryfalcon.accounts.permissions import Act, PersonRequest, needs
from wryfalcon.bench.actions.cut import cut_key, operate_run, record_finish, send_again, touch_up
from wryfalcon.bench.models import Tag
from wryfalcon.bench.views.stage import attempt, find_tag, key_of, show_stage, to_stage, whole_number
from wryfalcon.drawings.sheet import Sheet, px
from wryfalcon.machines.actions.runs import OPERATIONS
from wryfalcon.machines.drivers import driver_of
from wryfalcon.machines.following import OVER, Contact, catch_up, look_at
from wryfalcon.machines.models import Run, RunState

ALLOWED = {
    RunState.LOADED: ("clamp", "stop"),
    RunState.CLAMPED: ("start", "clamp", "stop"),
    RunState.CUTTING: ("hold", "stop"),
    RunState.HELD: ("resume", "stop"),
    RunState.TURN: ("clamp", "stop"),
    RunState.STALLED: ("home", "stop"),
    RunState.STOPPED: ("clamp",),
}
"""The operations that make sense in each state; the machine itself has the last word."""


@require_GET
@needs(Act.LOOK)
def cut_stage(request: PersonRequest, number: int) -> HttpResponse:
    """The keys of this tag and the one on the machine now, as the machine tells it."""
    tag = find_tag(number)
    runs = list(Run.objects.filter(set_up__tag=tag).select_related("machine", "set_up__settlement").order_by("id"))
    run = _current(runs, whole_number(request.GET.get("run")))
    contact = _ask(tag, run)
    if run and run.state == RunState.FINISHED:
        record_finish(None, tag, run)
    return show_stage(request, tag, "cut", _context(tag, runs, run, contact))


@require_POST
@needs(Act.CUT)
def cut_next(request: PersonRequest, number: int) -> HttpResponse:
    """Send the next key to the machine."""
    tag = find_tag(number)
    attempt(request, lambda: cut_key(request.user, tag))
    return to_stage(tag, "cut")


@require_POST
@needs(Act.CUT)
def operate(request: PersonRequest, number: int, run: int) -> HttpResponse:
    """One operation on the machine, sending again, or touching up."""
    tag = find_tag(number)
    kept = get_object_or_404(Run, pk=run, set_up__tag=tag)
    operation = request.POST.get("operation", "")
    if operation == "send-again":
        attempt(request, lambda: send_again(request.user, tag, kept))
    elif operation == "touch-up":
        attempt(request, lambda: touch_up(request.user, tag, kept))
    else:
        attempt(request, lambda: operate_run(request.user, tag, kept, operation))
    return to_stage(tag, "cut")


def _ask(tag: Tag, run: Run | None) -> Contact:
    """Catch up with the run under way; otherwise only ask how the machine is."""
    if run is not None and run.state not in OVER | {RunState.PLANNED}:
        return catch_up(run)
    machine = run.machine if run is not None else tag.set_up.machine if tag.set_up else None
    return look_at(machine) if machine is not None else Contact(None)


def _current(runs: list[Run], wanted: int) -> Run | None:
    """The run asked for, else the one under way, else the last."""
    asked = next((run for run in runs if run.pk == wanted), None)
    under_way = next((run for run in reversed(runs) if run.state not in OVER), None)
    return asked or under_way or (runs[-1] if runs else None)


def _context(tag: Tag, runs: list[Run], run: Run | None, contact: Contact) -> dict[str, Any]:
    values = tag.settlement.values if tag.settlement else {}
    live = run is not None and run.state not in OVER | {RunState.PLANNED}
    context: dict[str, Any] = {
        "runs": runs,
        "run": run,
        "live": live,
        "contact": contact,
        "operations": _operations(run, contact),
        "ready": tag.set_up is not None and tag.set_up.checked_at is not None,
        "machine": run.machine if run else tag.set_up.machine if tag.set_up else None,
        "unhomed": contact.status is not None and contact.status.state == "unhomed",
        "keys_made": len({r.key_number for r in runs if r.state == RunState.FINISHED}),
        "key": key_of(tag, values),
    }
    if run is not None:
        context |= _progress(tag, run, contact)
    return context


def _operations(run: Run | None, contact: Contact) -> list[tuple[str, str]]:
    if run is None:
        return []
    allowed = list(ALLOWED.get(RunState(run.state), ()))
    if run.state == RunState.CUTTING and not driver_of(run.machine).reports:
        allowed = ["finish", "hold", "stop"]
    return [(operation, OPERATIONS[operation]) for operation in allowed]


def _progress(tag: Tag, run: Run, contact: Contact) -> dict[str, Any]:
    """How far it is, the key as cut so far, and where the wheel stands."""
    share = contact.status.share if contact.status and contact.status.job == run.job else 0.0
    done, of = run.done, len(run.cuts)
    context: dict[str, Any] = {
        "progress": round(100 * (done + share) / of) if of else 0,
        "events": list(run.events.order_by("-number")[:8]),
        "key": key_of(tag, _so_far(tag, run)),
    }
    if done < of and run.state in (RunState.CUTTING, RunState.HELD, RunState.STALLED):
        context |= _wheel(tag, run, share)
    return context


def _so_far(tag: Tag, run: Run) -> dict[str, list[float]]:
    """The depth values of each side as far as it is cut; the blank's height where it is not."""
    assert tag.family.blank is not None
    wanted, commands = run.set_up.settlement.values, run.set_up.commands
    if run.touches_up_id is not None:
        return dict(wanted)
    sides: dict[str, list[float]] = {}
    for place, command in enumerate(commands):
        values = wanted[command["track"]]
        side = sides.setdefault(command["side"], [tag.family.blank.height] * len(values))
        if place < run.done:
            side[command["space"] - 1] = values[command["space"] - 1]
    return sides


def _wheel(tag: Tag, run: Run, share: float) -> dict[str, Any]:
    """Where the wheel stands on the drawing: along by its position, down by how far it is."""
    sheet, cut = Sheet.of(tag.family), run.cuts[run.done]
    along = convert(cut["position"], Unit.MILLIMETRE, tag.family.unit)
    value = convert(cut["value"], Unit.MILLIMETRE, tag.family.unit) * tag.family.share_per_edge
    full = sheet.edge_height
    return {"cutter_x": px(sheet.x(along)), "cutter_y": px(sheet.y(full - (full - value) * share))}
