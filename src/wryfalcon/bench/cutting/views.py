"""Cut: the machine at work, live; hold, go on, stop, turn the key over. The page only reads."""

from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import get_object_or_404
from django.views.decorators.http import require_safe

from keycore.cutting.commands import Move
from keycore.cutting.lay import lay_words
from wryfalcon.accounts.permissions import Act, PersonRequest, needs
from wryfalcon.bench.copying.brief import brief_of
from wryfalcon.bench.copying.presenters import brief_shown
from wryfalcon.bench.cutting.actions import (
    allowed_for,
    cut_key,
    end_piece,
    holding_of,
    next_of,
    operate,
    send_again,
    take_as_made,
    touch_up,
    why_not_ended,
)
from wryfalcon.bench.cutting.by_hand import (
    HandWork,
    begin_by_hand,
    deburr,
    finish_by_hand,
    make_by_hand,
    walk_back,
    walk_on,
)
from wryfalcon.bench.cutting.dial_walk import walk_of
from wryfalcon.bench.cutting.hand_card import hand_card
from wryfalcon.bench.cutting.presenters import HandWay, hand_ways, ways_shortly
from wryfalcon.bench.filing.presenters import SHOWED, filing_of, is_filed, looks_said
from wryfalcon.bench.filing.queries import heights_to_file, standing_heights
from wryfalcon.bench.models import MadeHow, Piece, PieceState, Tag
from wryfalcon.bench.piece_states import AT_MACHINE, OPEN, SENT_AGAIN, Operation
from wryfalcon.bench.setting_up.planning import height_of, place_of
from wryfalcon.bench.setting_up.presenters import lapse_words, practice_words
from wryfalcon.bench.setting_up.queries import Holding, clamping_checks, what_holds
from wryfalcon.bench.setting_up.told import next_lay, turned_over
from wryfalcon.bench.stage import find_tag, key_of, key_to_cut, open_tag, show_stage, stage_at, to_stage
from wryfalcon.bench.trying.presenters import try_words
from wryfalcon.bench.trying.queries import sheet_of_piece
from wryfalcon.drawings.cut_key import CutKey
from wryfalcon.drawings.kinds import look_of
from wryfalcon.drawings.sheet import FRONT, Sheet, px
from wryfalcon.fields import LIST, NUMBER, PRESSED, WORD, posted
from wryfalcon.machines.line.press import press_of
from wryfalcon.machines.line.queries import LineNow, OrderNow, last_order, line_of
from wryfalcon.machines.models import LineEvent, Machine
from wryfalcon.numbers import whole_number
from wryfalcon.presses import press

EVENTS_SHOWN = 8


@require_safe
@needs(Act.LOOK)
def cut_stage(request: PersonRequest, number: int) -> HttpResponse:
    """The keys of this tag and the one on the machine now, as the machine was last heard to tell it."""
    tag = open_tag(request, number, of_a_copy=True)
    wanted_piece = whole_number(request.GET.get("piece"))
    first = _current(_pieces_in_short(tag), wanted_piece)
    first = None if first is not None and first.is_by_hand else first
    # The order is read before everything that it may have changed: done, it shows all of that; open, we look again.
    machine = first.machine_id if first is not None else tag.set_up.machine_id if tag.set_up else None
    order = last_order(machine, first.job if first else "") if machine is not None else None
    pieces = _pieces(tag)
    piece = _current(pieces, wanted_piece)
    if piece is not None and tag.set_up is not None and piece.set_up_id == tag.set_up.pk:
        piece.set_up, piece.settlement = tag.set_up, tag.settlement  # read already, with what they rest on
    chosen = request.GET.get("way", "") or (HandWay(MadeHow.FILED).value if is_filed(tag) else "")
    wanted = request.GET.get("piece") and piece and piece.pk
    context = _context(tag, pieces, piece, order, chosen)
    if is_filed(tag):
        context |= _filing(tag, piece, request.GET.get("step", ""))
    return show_stage(request, tag, "cut", {**context, "asked_for": wanted})


@press
@needs(Act.CUT)
def cut_next(request: PersonRequest, number: int) -> HttpResponse:
    """Send the next key to the machine."""
    tag = find_tag(number)
    said = posted(request, expected=WORD, **{"one-more": PRESSED})
    cut_key(press_of(request), tag, said["expected"], one_more=said["one-more"])
    return to_stage(tag, "cut")


@press
@needs(Act.CUT)
def operate_piece(request: PersonRequest, number: int, piece: int) -> HttpResponse:
    """One operation on the machine, sending again, or touching up."""
    tag = find_tag(number)
    kept = get_object_or_404(Piece.objects.select_related("machine", "tag", "set_up"), pk=piece, tag=tag)
    said, pressed = posted(request, operation=WORD, known=WORD, check=LIST), press_of(request)
    operation, known = said["operation"], said["known"]
    if operation == Operation.LOAD:
        send_again(pressed, tag, kept, known)
    elif operation == "touch-up":
        touch_up(pressed, tag, kept)
    else:
        operate(pressed, tag, kept, operation, known, said["check"])
    return to_stage(tag, "cut")


@press
@needs(Act.CUT)
def by_hand(request: PersonRequest, number: int) -> HttpResponse:
    """The next key is made by hand: begun, or begun, made and deburred in one press."""
    tag = find_tag(number, of_a_copy=True)
    said = posted(request, way=WORD, made=PRESSED, expected=WORD, **{"one-more": PRESSED})
    made_how, _, pk = said["way"].partition(":")
    machine = Machine.objects.filter(pk=whole_number(pk)).first()
    work, is_made = HandWork(made_how, machine, said["expected"], one_more=said["one-more"]), said["made"]
    (make_by_hand if is_made else begin_by_hand)(press_of(request), tag, work)
    return to_stage(tag, "prove" if is_made else "cut")


@press
@needs(Act.CUT)
def say_made(request: PersonRequest, number: int, piece: int) -> HttpResponse:
    """A key that was begun by hand is made, or a made one deburred."""
    tag = find_tag(number, of_a_copy=True)
    kept, pressed = get_object_or_404(Piece, pk=piece, tag=tag), press_of(request)
    request.goes_back_to = stage_at(tag, "cut", f"?piece={piece}")
    if posted(request, deburred=PRESSED)["deburred"]:
        deburr(pressed, tag, kept)
    else:
        finish_by_hand(pressed, tag, kept, deburred=True)
    return to_stage(tag, "prove", f"?piece={piece}")


@press
@needs(Act.CUT)
def walked(request: PersonRequest, number: int, piece: int) -> HttpResponse:
    """A step at the dials is done, or was not after all; one that was said before is noticed and changes nothing."""
    tag = find_tag(number)
    kept = get_object_or_404(Piece, pk=piece, tag=tag)
    request.goes_back_to = stage_at(tag, "cut", f"?piece={piece}")
    said = posted(request, step=NUMBER, back=NUMBER)
    is_back = "back" in request.POST
    if not (walk_back(tag, kept, said["back"]) if is_back else walk_on(tag, kept, said["step"])):
        messages.info(request, "That was said already; the step below is next.")
    return to_stage(tag, "cut", f"?piece={piece}")


@press
@needs(Act.CUT)
def end(request: PersonRequest, number: int, piece: int) -> HttpResponse:
    """End a key as spoilt or given up, or say that it is whole whatever its machine says."""
    tag = find_tag(number, of_a_copy=True)
    kept = get_object_or_404(Piece.objects.select_related("machine", "tag"), pk=piece, tag=tag)
    request.goes_back_to = stage_at(tag, "cut", f"?piece={piece}")
    said = posted(request, made=PRESSED, blank=WORD, why=WORD)
    if said["made"]:
        take_as_made(request.user, tag, kept)
        return to_stage(tag, "cut", f"?piece={piece}")
    end_piece(press_of(request), tag, kept, blank_used=said["blank"] != "good", why=said["why"])
    return to_stage(tag, "cut")


def _current(pieces: list[Piece], wanted: int) -> Piece | None:
    """The piece asked for, else the one under way, else the last."""
    asked = next((piece for piece in pieces if piece.pk == wanted), None)
    under_way = next((piece for piece in reversed(pieces) if piece.state in OPEN), None)
    return asked or under_way or (pieces[-1] if pieces else None)


def _by_hand(tag: Tag, pieces: list[Piece], piece: Piece | None, chosen: str) -> dict[str, Any]:
    """The ways to make the next key by hand, and the hand card of the one chosen or under way."""
    if not tag.is_open:
        return {}
    if piece is not None and piece.is_begun:
        way = HandWay(MadeHow(piece.made_how), piece.machine)
        return {"hand": hand_card(tag, way, piece), "walk": walk_of(piece)}
    is_copy = tag.is_copied and not tag.is_read_back
    if any(made.state in OPEN for made in pieces) or not (is_copy or chosen or tag.set_up is None):
        return {}
    ways = hand_ways(tag)
    way = next((each for each in ways if each.value == chosen), None) or _as_before(tag, ways)
    found: dict[str, Any] = {"hand_ways": ways, "hand": hand_card(tag, way, None) if is_copy or chosen else None}
    found["other_ways"] = ways_shortly(ways)
    if is_copy and (brief := brief_of(tag, way.machine)) is not None:
        found["brief"] = brief_shown(tag, brief, way.machine)
    return found


def _as_before(tag: Tag, ways: list[HandWay]) -> HandWay:
    """A key that came back is made again where it was made, as far as anything was said; else the first way."""
    made = tag.made_by
    again = [way for way in ways if made is not None and (way.made_how, way.machine) == (made.made_how, made.machine)]
    return again[0] if again else ways[0]


def _context(tag: Tag, pieces: list[Piece], piece: Piece | None, order: OrderNow | None, chosen: str) -> dict[str, Any]:
    is_driven = piece is not None and not piece.is_by_hand
    machine = piece.machine if piece is not None and is_driven else tag.set_up.machine if tag.set_up else None
    line = line_of(machine) if machine is not None and machine.has_line else None
    number, tries = next_of(pieces)
    following = Piece(key_number=number, try_number=tries)
    is_try = tag.settlement is None and tag.to_cut is not None
    holding, is_unhomed = _holding(tag, pieces, piece), line is not None and line.is_unhomed
    context: dict[str, Any] = {
        "pieces": pieces,
        "piece": piece,
        "line": line,
        "order": order,
        "live": (piece is not None and piece.state in AT_MACHINE) or (order is not None and order.is_open),
        "soon": (piece is not None and piece.state == PieceState.CUTTING) or (order is not None and order.is_open),
        "operations": _operations(tag, piece, line),
        "ready": tag.set_up is not None and tag.set_up.checked_at is not None,
        "machine": machine,
        "has_open": any(made.state in OPEN for made in pieces),
        "next_key": "the next try" if is_try else following.called,
        "expected": "" if is_try else f"{number}.{tries}",
        **_by_hand(tag, pieces, piece, chosen),
        "is_copy": tag.is_copied and not tag.is_read_back,
        "leads_by_hand": is_filed(tag) or (tag.is_copied and not tag.is_read_back),
        "to_prove": piece is not None and piece.state == PieceState.FINISHED and not hasattr(piece, "proof"),
        "of_sheet": sheet_of_piece(piece) if piece is not None else None,
        "is_one_more": number > tag.quantity and not is_try,
        "key": key_to_cut(tag),
        "tries": try_words(tag),
        "holding": holding,
        "practice": practice_words(machine) if holding is not None and machine is not None else "",
        "lapses": lapse_words(holding) if holding is not None else [],
        "can_send": holding is not None and holding.is_checked and not holding.is_practised and not is_unhomed,
    }
    is_by_hand = piece is not None and piece.is_by_hand
    is_under_way = piece is not None and piece.state in OPEN
    context["shows_machine"] = (context["ready"] or context["has_open"]) and not (is_by_hand and is_under_way)
    context["needs_card"] = not (
        context["shows_machine"] or context["is_copy"] or is_by_hand or not tag.is_open or is_filed(tag)
    )
    if piece is not None:
        context |= {
            "exchange_left": piece.is_begun and any(not each.is_done for each in context["hand"].exchange),
            "is_driven": is_driven,
            "clamping_checks": clamping_checks(tag, piece) if is_driven else (),
            "can_end": not why_not_ended(piece, pieces, line),
            "to_be_looked_at": piece.state_row.to_be_looked_at,
            "send_again": piece.state in SENT_AGAIN and piece.state != PieceState.PLANNED,
            "lies": _lies(piece) if is_driven else "",
            "is_sent": order is not None and order.is_open and order.order.command == Operation.LOAD,
            **_progress(tag, piece, line),
        }
    return context


def _lies(piece: Piece) -> str:
    """How the key is to lie once it is clamped next, in words; "" where nothing is to be clamped now."""
    lay = next_lay(piece) if Operation.CLAMP in piece.state_row.allows else None
    return lay_words(lay) if lay is not None else ""


def _filing(tag: Tag, piece: Piece | None, step: str) -> dict[str, Any]:
    """The steps of a key that is filed, drawn as it stands before the bitting that it is to have."""
    filing = filing_of(tag, piece, step)
    found: dict[str, Any] = {"filing": filing, "showed": SHOWED}
    if filing is not None and filing.last is not None and piece is not None:
        found["key"] = key_of(tag, standing_heights(tag, piece), CutKey.of(heights_to_file(tag, piece), ""))
    elif piece is not None and piece.is_made:
        found["looks_said"] = looks_said(tag, piece)
    return found


def _holding(tag: Tag, pieces: list[Piece], piece: Piece | None) -> Holding | None:
    """Of the card that what is to be done next rests on: that of the piece under way, else the tag's own."""
    if not tag.is_open:
        return None
    under_way = OPEN - {PieceState.PLANNED}  # one planned by an earlier card is given up when the next is sent
    if piece is not None and piece.state in under_way:
        return holding_of(tag, piece)
    is_busy = any(made.state in under_way for made in pieces)
    return what_holds(tag, tag.set_up) if tag.set_up is not None and not is_busy else None


def _operations(tag: Tag, piece: Piece | None, line: LineNow | None) -> list[Operation]:
    """What is offered: all that makes sense, and stop whenever the machine has this key in its hands."""
    if piece is None or line is None:
        return []
    offered: list[Operation] = [] if not tag.is_open else [o for o in allowed_for(piece) if o != Operation.LOAD]
    if line.is_unhomed:
        offered = []  # home it first
    has_it = line.job == piece.job and line.status is not None and line.status.state not in ("done", "stopped")
    if has_it and Operation.STOP not in offered:
        offered.append(Operation.STOP)
    return offered


def _progress(tag: Tag, piece: Piece, line: LineNow | None) -> dict[str, Any]:
    """How far it is, the key as cut so far, and where the wheel stands."""
    status = line.status if line else None
    done, of = piece.done, len(piece.cuts)
    share = status.share if status and status.job == piece.job and status.cut == done else 0.0
    context: dict[str, Any] = {
        "progress": round(100 * (done + share) / of) if of else 0,
        "events": _events(piece.machine, piece.job),
        "key": key_of(tag, **_so_far(tag, piece), track=piece.cuts[done]["track"] if done < of else None),
    }
    if done < of and piece.state_row.wheel_is_in:
        context |= _tool(tag, piece, share)
    return context


def _events(machine: Machine | None, job: str) -> list[LineEvent]:
    return list(LineEvent.objects.filter(machine=machine, job=job).order_by("-id")[:EVENTS_SHOWN])


def _pieces_in_short(tag: Tag) -> list[Piece]:
    return list(Piece.objects.filter(tag=tag).order_by("id").only("state", "machine", "job", "made_how"))


def _pieces(tag: Tag) -> list[Piece]:
    every = Piece.objects.filter(tag=tag).order_by("id").select_related("machine", "proof")
    return list(every.defer("cuts", "proof__cuts", "proof__causes"))


def _so_far(tag: Tag, piece: Piece) -> dict[str, Any]:
    """How the key is drawn as far as it is cut: its values, the path, and what is not cut yet."""
    values = piece.wanted_values
    if values is None:
        return {"values": {}}
    style = piece.set_up.style if piece.set_up else ""
    if piece.onto_id is not None or piece.set_up is None:
        return {"values": values, "style": style}
    left = piece.set_up.commands[piece.done :]
    return {"values": values, "style": style, "uncut": [(cut["clamping"], place_of(cut)) for cut in left]}


def _tool(tag: Tag, piece: Piece, share: float) -> dict[str, Any]:
    """Where the tool stands on the drawing, share of the next cut done; nothing for a kind that is not drawn."""
    look, cut = look_of(tag.family.kind), piece.cuts[piece.done]
    if look is None:
        return {}
    family, value = tag.family, cut["value"]
    if (cut["clamping"], cut["track"]) in turned_over(piece):  # told from the other edge; drawn from the reference
        assert family.blank is not None
        face = family.track(cut["track"]).face
        measured = height_of(piece.set_up) if piece.set_up is not None and face == "back" else None
        value = family.lengths.to_machine(measured or family.blank.across(face)) - value
    move = Move(cut["clamping"], place_of(cut), cut["position"], value)
    face = tag.family.track(cut["track"]).face if tag.family.kind.is_of_faces else FRONT
    x, y = look.tool_at(Sheet.of(tag.family, face), move, share)
    return {"cutter_x": px(x), "cutter_y": px(y)}
