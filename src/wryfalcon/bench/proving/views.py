"""Prove: measure the new key, see what the errors say, try it in its locks."""

from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.http import HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404
from django.urls import reverse
from django.views.decorators.http import require_safe

from keycore.coordinate import Coordinate
from keycore.proving.measured import MeasuredKey
from keycore.proving.verdict import COVERAGE
from keycore.units import Unit
from wryfalcon.accounts.permissions import Act, PersonRequest, needs
from wryfalcon.bench.cutting.touching_up import TouchedCut, touch_up_cuts
from wryfalcon.bench.models import Dimension, Felt, Lock, Piece, PieceState, Tag, WayUp
from wryfalcon.bench.proving.actions import (
    BEST_GRADE,
    add_proof_values,
    keep_proof,
    measure_over,
    read_caliper,
    try_in_lock,
    withdraw_proof_values,
)  # fmt: skip
from wryfalcon.bench.proving.forms import AT_TIP, ProofValueForm, TrialForm
from wryfalcon.bench.proving.presenters import proof_shown
from wryfalcon.bench.proving.queries import cuts_to_deepen, ground_of, mend_of, passed_keys, proof_of, proof_values
from wryfalcon.bench.proving.room import room_shown
from wryfalcon.bench.proving.side_by_side import beside_of, finish_of, keep_side_by_side
from wryfalcon.bench.reading.values import entries_posted
from wryfalcon.bench.reading.values import kept as values_kept
from wryfalcon.bench.stage import find_tag, key_of, open_tag, show_stage, stage_at, to_stage
from wryfalcon.drawings.cut_key import CutKey
from wryfalcon.drawings.errors import draw_errors
from wryfalcon.fields import LIST, NUMBER, PRESSED, WORD, posted, unit_typed
from wryfalcon.lengths import NotALength, parse_value, say_value
from wryfalcon.machines.line.press import press_of
from wryfalcon.machines.line.queries import last_order
from wryfalcon.numbers import whole_number
from wryfalcon.presses import press, wants_json
from wryfalcon.refusal import NotDone, SecondLook


@require_safe
@needs(Act.LOOK)
def prove_stage(request: PersonRequest, number: int) -> HttpResponse:
    """The new key beside its target."""
    tag = open_tag(request, number, of_a_copy=True)
    return _show(request, tag, whole_number(request.GET.get("piece")), whole_number(request.GET.get("cut")))


@press
@needs(Act.PROVE)
def type_proof_value(request: PersonRequest, number: int, piece: int) -> HttpResponse:
    """One value of the new key and Enter."""
    tag, kept = _find(request, number, piece)
    said, cuts = ProofValueForm.of(request), _all_cuts(tag)
    at, over_what = said["cut"], said["over"] if "over" in request.POST else None
    try:
        entries = entries_posted(said, unit_typed(request), cuts[at - 1 :] if at else [])
        found = add_proof_values(request.user, tag, kept, entries, over=over_what)
    except NotDone as refusal:
        if wants_json(request):
            raise
        return _show(request, tag, piece, at, refusal=refusal, typed=said["typed"])
    says = values_kept(request, entries, found)
    if wants_json(request):
        return JsonResponse({"kept": len(entries), "says": says})
    after = at + max(1, len(entries))
    return to_stage(tag, "prove", f"?piece={piece}&cut={after if after <= len(cuts) else 0}")


@press
@needs(Act.PROVE)
def over(request: PersonRequest, number: int, piece: int) -> HttpResponse:
    """What the cuts are measured over from now on."""
    tag, kept = _find(request, number, piece)
    said = posted(request, aid=WORD, aid_size=WORD)
    measure_over(tag, kept, said["aid"], said["aid_size"], unit_typed(request))
    return to_stage(tag, "prove", f"?piece={piece}")


@press
@needs(Act.PROVE)
def measure(request: PersonRequest, number: int, piece: int) -> HttpResponse:
    """Read the machine's caliper, or take the last measurement back."""
    tag, kept = _find(request, number, piece)
    said = posted(request, withdraw=PRESSED, last=NUMBER)
    if said["withdraw"]:
        withdraw_proof_values(request.user, tag, kept, said["last"])
    else:
        read_caliper(press_of(request), tag, kept)
    return to_stage(tag, "prove", f"?piece={piece}")


@press
@needs(Act.PROVE)
def try_key(request: PersonRequest, number: int, piece: int) -> HttpResponse:
    """Note how the key feels in one lock."""
    tag, kept = _find(request, number, piece)
    form = TrialForm(request.POST)
    if not form.is_valid():
        messages.error(request, "Choose how it felt from the list.")
        return to_stage(tag, "prove", f"?piece={piece}")
    lock = get_object_or_404(Lock, pk=form.cleaned_data["lock"], tag=tag)
    try_in_lock(request.user, tag, kept, lock, form.felt())
    return to_stage(tag, "prove", f"?piece={piece}")


@press
@needs(Act.PROVE)
def lay_beside(request: PersonRequest, number: int, piece: int) -> HttpResponse:
    """Keep the dimensions of old key and new, and what was looked at."""
    tag, kept = _find(request, number, piece)
    sizes = {f"{what}-{whose}": WORD for what in Dimension.values for whose in ("old", "new")}
    said, unit = posted(request, finish=LIST, **sizes), unit_typed(request)
    try:
        dimensions = {
            what: (_size_mm(said[f"{what}-old"], unit), _size_mm(said[f"{what}-new"], unit))
            for what in Dimension.values
        }
    except NotALength as error:
        raise NotDone(f"{error} Nothing was kept.") from None
    keep_side_by_side(request.user, tag, kept, dimensions, said["finish"])
    return to_stage(tag, "prove", f"?piece={piece}")


@press
@needs(Act.CUT)
def take_off(request: PersonRequest, number: int, piece: int) -> HttpResponse:
    """Take a cut of a made key deeper, on its machine or with a file."""
    tag, kept = _find(request, number, piece)
    said = posted(request, at=WORD, by=WORD, reason=WORD, lock=NUMBER, file=PRESSED)
    track, _, space = said["at"].rpartition(":")
    by = _amount(tag, said["by"], unit_typed(request))
    lock = Lock.objects.filter(pk=said["lock"], tag=tag).first()
    cut = TouchedCut(track, whole_number(space), by, said["reason"], lock)
    touch_up_cuts(press_of(request), tag, kept, [cut], by_file=said["file"])
    return to_stage(tag, "cut")


def _amount(tag: Tag, text: str, unit: Unit) -> float:
    """How much is taken off, as it was typed: thousandths or hundredths where no point stands in it; family unit."""
    if tag.family_record is None:
        raise NotALength("What this key is to measure is not known.")
    small = text.strip()
    if not small:
        raise NotALength("Say by how much.")
    if small.isascii() and small.isdecimal():
        small = f"{int(small) * (0.001 if unit == Unit.INCH else 0.01):.4f}"
    lengths = Coordinate("length", unit=tag.family.unit)
    return parse_value(small, unit, lengths).value


def _size_mm(text: str, unit: Unit) -> float | None:
    """A size as it was typed, mm."""
    return parse_value(text, unit, Coordinate("length")).value if text.strip() else None


@press
@needs(Act.PROVE)
def keep_verdict(request: PersonRequest, number: int, piece: int) -> HttpResponse:
    """Keep the verdict: good enough, or not."""
    tag, kept = _find(request, number, piece)
    said = posted(request, passed=PRESSED, compared=PRESSED, reason=WORD)
    compared, passed = said["compared"], said["passed"] or said["compared"]
    keep_proof(request.user, tag, kept, passed=passed, reason=said["reason"], is_compared=compared)
    if not passed:
        return to_stage(tag, "prove", f"?piece={piece}")
    return to_stage(tag, "cut" if passed_keys(tag) < tag.quantity else "hand-over")


def _find(request: PersonRequest, number: int, piece: int) -> tuple[Tag, Piece]:
    """The piece that is meant; what is refused is said on its own page, whichever was made since."""
    tag = find_tag(number, of_a_copy=True)
    request.goes_back_to = stage_at(tag, "prove", f"?piece={piece}")
    return tag, get_object_or_404(Piece.objects.select_related("machine", "settlement", "set_up"), pk=piece, tag=tag)


def _all_cuts(tag: Tag) -> list[tuple[str, int]]:
    tracks = tag.family.tracks if tag.family_record is not None else ()
    return [(track.name, space) for track in tracks for space in range(1, len(track.spaces) + 1)]


def _finished(tag: Tag) -> list[Piece]:
    finished = Piece.objects.filter(tag=tag, state=PieceState.FINISHED).order_by("id")
    return list(finished.select_related("machine", "proof").defer("cuts", "proof__cuts", "proof__causes"))


def _show(
    request: PersonRequest, tag: Tag, wanted: int, at: int, *, refusal: NotDone | None = None, typed: str = ""
) -> HttpResponse:
    pieces = _finished(tag)
    piece = next((r for r in pieces if r.pk == wanted), pieces[-1] if pieces else None)
    if piece is not None and tag.set_up is not None and piece.set_up_id == tag.set_up.pk:
        piece.set_up, piece.settlement = tag.set_up, tag.settlement  # read already, with what they rest on
    # Read before the values that it may have brought: done, it shows them; open, the page looks again.
    order = last_order(piece.machine_id, piece.job) if piece and piece.machine_id else None
    measured = proof_values(piece) if piece else []
    proof = proof_of(tag, piece, measured) if piece else None
    context: dict[str, Any] = {"pieces": pieces, "piece": piece, "proof": proof, "typed": typed}
    if piece is None:
        return show_stage(request, tag, "prove", {**context, "key": key_of(tag, {})})
    context |= _of_trials(tag, piece, proof)
    if proof is None:
        return show_stage(request, tag, "prove", {**context, "key": key_of(tag, piece.wanted_values or {})})
    if refusal is not None:
        context |= {
            "refusal": refusal.says, "suggest": refusal.suggest, "is_second": isinstance(refusal, SecondLook),
        }  # fmt: skip
    first_unread = next((i for i, cut in enumerate(proof.cuts, start=1) if cut.measured is None), 0)
    at = at if 1 <= at <= len(proof.cuts) else first_unread
    mend = mend_of(proof)
    context |= {
        "at": at,
        "at_cut": proof.cuts[at - 1] if at else None,
        "last_value": max((value.pk for value in measured), default=None),
        "known": ",".join(str(cut.repeats) for cut in proof.cuts),
        "has_caliper": piece.machine is not None and piece.machine.is_simulated and piece.set_up_id is not None,
        "order": order if order and order.order.command == "measure" else None,
        "live": order is not None and order.is_open,
        "shallow": cuts_to_deepen(tag, proof),
        "mend_at": f"bench:{mend}" if mend else "",
        "cut_before": at - 1 or len(proof.cuts),
        "is_cut_again": mend == "set-up",
        "rides": _ride_words(tag, proof),
        "aids": [("", "on the cut itself"), *((each.id, each.words) for each in tag.family.kind.aids)],
        "aid_working": next((each.working for each in tag.family.kind.aids if each.id == piece.aid), ""),
        "many_tracks": len(tag.family.tracks) > 1,
        "expanded": COVERAGE * proof.sd,
        **_drawn(tag, piece, proof),
    }
    return show_stage(request, tag, "prove", context, status=422 if refusal else 200)


def _ride_words(tag: Tag, proof: MeasuredKey) -> list[str]:
    """Which pins ride up beside their seats, as far as places were measured; none where cuts are no cones."""
    rides = tag.family.kind.cutting.rides if tag.family.kind.cutting else None
    worth = tag.family.tolerance.value / 2 if tag.family.tolerance else 0.0
    if rides is None:
        return []
    found = [
        (cut, up) for cut in proof.cuts
        if cut.space_error is not None and (up := rides(tag.family.track(cut.track), cut.space_error)) > worth
    ]  # fmt: skip
    return [
        f"Cut {cut.track} {cut.space} lies {say_value(tag.family.lengths, abs(cut.space_error or 0.0), fine=True)} off "
        f"along its row: its pin rides up by {say_value(tag.family.depth, up, fine=True)}."
        for cut, up in found
    ]


def _drawn(tag: Tag, piece: Piece, proof: MeasuredKey) -> dict[str, Any]:
    """The key as measured over its target, and the errors of the first track under it."""
    wanted, path = piece.wanted_values or {}, piece.set_up.style if piece.set_up else ""
    track = tag.family.tracks[0].name
    measured = {
        t.name: [cut.measured if cut.measured is not None else cut.wanted for cut in proof.of_track(t.name)]
        for t in tag.family.tracks
    }
    errors = [(c.space, c.error, c.verdict.value) for c in proof.of_track(track) if c.error is not None and c.verdict]
    return {
        "key": key_of(tag, measured, CutKey.of(wanted, path), style=path),
        "errors": draw_errors(tag.family, track, errors, COVERAGE * proof.sd),
    }


def _of_trials(tag: Tag, piece: Piece, proof: MeasuredKey | None) -> dict[str, Any]:
    """What the page needs to note trials, to take a cut deeper, and to keep the verdict."""
    ground, kind = ground_of(tag, piece, proof), tag.family.kind if tag.family_record else None
    return {
        "shown": proof_shown(ground),
        "kept": getattr(piece, "proof", None),
        "felt": [choice for choice in Felt.choices if choice[0]],
        "try_at": reverse("bench:try-key", args=[tag.number, piece.pk]),
        "felt_parts": [
            ("enters", "Goes in"),
            ("turns", kind.turning_words if kind else "Turns"),
            ("leaves", "Comes out"),
        ],
        "works_words": kind.works_words if kind else "Goes freely",
        "ways_up": WayUp.choices,
        "both_ways": tag.family_record is None or tag.family.goes_both_ways,
        "beside": beside_of(tag, piece),
        "taking": room_shown(tag, piece, ground) if tag.family_record and tag.family.can_be_recut else None,
        "finish": [(look, words, look in piece.finish) for look, words in finish_of(tag).items()],
        "marks": _marks(tag),
        "grades": [(grade, str(grade)) for grade in range(BEST_GRADE + 1)],
    }


def _marks(tag: Tag) -> list[tuple[str, str]]:
    """Where a key may show that it rubs or snags: each of its cuts, and its tip."""
    if tag.family_record is None:
        return [(AT_TIP, "its tip")]
    several = len(tag.family.tracks) > 1
    places = [(f"{track}:{space}", f"cut {f'{track} ' if several else ''}{space}") for track, space in _all_cuts(tag)]
    return [*places, (AT_TIP, "its tip")]
