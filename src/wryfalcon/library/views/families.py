"""The library: families, each with its drawing and tables, and the blanks on their hooks."""

from __future__ import annotations

import json

from django.contrib import messages
from django.db.models import QuerySet
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils.http import urlencode
from django.views.decorators.http import require_http_methods, require_safe

from keycore.documents.family import assumed_of
from keycore.errors import InputError
from keycore.family import End
from keycore.units import Unit
from wryfalcon.accounts.permissions import Act, PersonRequest, needs
from wryfalcon.drawings.key import draw_key
from wryfalcon.drawings.kinds import is_drawable
from wryfalcon.drawings.paper import PHONE, laid_on
from wryfalcon.drawings.section import draw_section
from wryfalcon.fields import ENDS, FILE, GAUGES, LIST, PASTED, PRESSED, posted, unit_typed
from wryfalcon.library.actions.families import count_blank, import_family
from wryfalcon.library.forms import CountForm
from wryfalcon.library.keyway import Unknown, document_of, fit_unknown, which_keyway
from wryfalcon.library.models import Blank, FamilyRecord
from wryfalcon.library.presenters import count_words, track_tables
from wryfalcon.library.queries.families import with_blanks
from wryfalcon.library.queries.sections import same_section
from wryfalcon.numbers import whole_number
from wryfalcon.presses import press
from wryfalcon.requests import or_404

LARGEST_UPLOAD = 5_000_001
ABOUT = dict.fromkeys(("id", "name", "blank", "height", "thickness", "length"), "") | {
    "gauge": "shoulder", "numbered_from": "bow",
}  # fmt: skip
FEWEST_ROWS = 4  # keys that can be typed of an unknown family
AS_IN = {Unit.INCH: "0.223 0.361 0.502", Unit.MILLIMETRE: "5.65 9.20 12.75"}  # places as they are typed


@require_safe
@needs(Act.LOOK)
def families(request: PersonRequest) -> HttpResponse:
    """Every family."""
    return render(
        request,
        "library/families.html",
        {
            "families": with_blanks(_in_force()),
            "waiting": FamilyRecord.objects.checked().count(),
        },
    )


@require_safe
@needs(Act.LOOK)
def family(request: PersonRequest, slug: str) -> HttpResponse:
    """One family, drawn to scale."""
    record = _edition_asked(request, slug)
    found = record.family
    drawable = is_drawable(found)
    return render(
        request,
        "library/family.html",
        {
            "record": record,
            "family": found,
            "tracks": track_tables(record.document, found),
            "key": draw_key(found) if drawable else None,
            "used": record.tags.count(),
            "assumed": _assumed(record),
            "counted_from": found.kind.ends[found.numbered_from != End.BOW],
            "degrees": "" if found.depth.is_length else "°",
            "play_ways": ("high", "low") if found.depth.is_length else ("one way", "the other"),
            "same": same_section(record),
            "document": document_address(record),
            "editions": _but(slug, record.pk),
        },
    )


@require_safe
@needs(Act.LOOK)
def section(request: PersonRequest, slug: str) -> HttpResponse:
    """The blank's section seen from its tip, to sight down the blade beside a key that lies here."""
    record = _edition_asked(request, slug)
    same = same_section(record)
    rows = [record, *same]
    context = {"record": record, "sizes": draw_section(record.family), "same": same, "rows": rows}
    return render(request, "library/section.html", context)


@require_safe
@needs(Act.LOOK)
def preview(request: PersonRequest) -> HttpResponse:
    """The family chosen at take-in, so that its cuts can be counted against the key in hand."""
    record = FamilyRecord.objects.filter(pk=whole_number(request.GET.get("family"))).first()
    found = record.family if record else None
    with laid_on(PHONE):  # beside a form: a narrow sheet whatever the screen
        key = draw_key(found) if found is not None and is_drawable(found) else None
        cuts = count_words(found) if found is not None else ""
        return render(request, "library/_preview.html", {"record": record, "family": found, "key": key, "cuts": cuts})


@require_safe
@needs(Act.LOOK)
def family_document(request: PersonRequest, slug: str) -> HttpResponse:
    """The document word for word."""
    record = _edition_asked(request, slug)
    answer = HttpResponse(record.document, content_type="application/json")
    answer["Content-Disposition"] = f'attachment; filename="{record.slug}.json"'
    return answer


@require_http_methods(["GET", "HEAD", "POST"])
@needs(Act.KEEP_LIBRARY)
def bring_in(request: PersonRequest) -> HttpResponse:
    """Import a family document, pasted or as a file; what is wrong is named and nothing is lost."""
    pasted, error = "", None
    if request.method == "POST":
        said = posted(request, document=PASTED, file=FILE, restricted=PRESSED)
        pasted, upload = said["document"], said["file"]
        raw = upload.read(LARGEST_UPLOAD) if upload else pasted.encode()
        try:
            record = import_family(request.user, raw, restricted=said["restricted"])
            if not record.is_in_force:
                return _to_what_waits(request, record)
            messages.success(request, f"{record.name} is in the library.")
            if assumed := len(_assumed(record)):
                says = "one thing is" if assumed == 1 else f"{assumed} things are"
                messages.warning(request, f"Its document leaves something out: {says} assumed, listed below.")
            return redirect("library:family", slug=record.slug)
        except InputError as wrong:
            error = wrong
            pasted = pasted or raw.decode("utf-8", "replace")[:200_000]
    context = {"pasted": pasted, "error": error}
    return render(request, "library/bring_in.html", context, status=422 if error else 200)


@require_safe
@needs(Act.LOOK)
def which(request: PersonRequest) -> HttpResponse:
    """Which keyway is it: the library ranked by the positions of a key's cuts and its blade."""
    asked = {"gauge": "", "positions": "", "height": "", "thickness": "", **request.GET.dict()}
    ranked, error = [], None
    if asked.get("positions", "").strip():
        try:
            ranked = which_keyway(asked, unit_typed(request))
        except InputError as wrong:
            error = wrong
    context = {
        "asked": asked, "ranked": ranked, "error": error, "any_fits": any(each.fit.fits for each in ranked),
        "gauges": GAUGES, "as_in": AS_IN[Unit(request.user.unit)],
    }  # fmt: skip
    return render(request, "library/which.html", context, status=422 if error else 200)


@require_http_methods(["GET", "HEAD", "POST"])
@needs(Act.KEEP_LIBRARY)
def measured(request: PersonRequest) -> HttpResponse:
    """A family nobody has published, fitted from a few of its keys and saved as measured."""
    said = posted(request, positions=LIST, depths=LIST, save=PRESSED, **dict.fromkeys(ABOUT, PASTED))
    unknown = Unknown(
        positions=said["positions"] or [""] * FEWEST_ROWS,
        depths=said["depths"] or [""] * FEWEST_ROWS,
        about=ABOUT | {name: said[name] for name in ABOUT.keys() & request.POST.keys()},
        unit=unit_typed(request),
    )
    fitted, error = None, None
    if request.method == "POST":
        try:
            fitted = fit_unknown(unknown)
            if said["save"]:
                document = json.dumps(document_of(fitted, unknown)).encode()
                record = import_family(request.user, document)
                if not record.is_in_force:
                    return _to_what_waits(request, record)
                messages.success(request, f"{record.name} is in the library, as measured and not published.")
                return redirect("library:family", slug=record.slug)
        except InputError as wrong:
            error = wrong
    rows = list(zip(unknown.positions, unknown.depths, strict=False))
    context = {
        "about": unknown.about, "rows": rows, "fitted": fitted, "error": error, "own": unknown.unit,
        "gauges": GAUGES, "ends": ENDS,
    }  # fmt: skip
    return render(request, "library/measured.html", context, status=422 if error else 200)


@press
@needs(Act.KEEP_LIBRARY)
def count(request: PersonRequest, pk: int) -> HttpResponse:
    """Say where a blank hangs and how many are left."""
    blank = get_object_or_404(Blank, pk=pk)
    said = CountForm.of(request)
    count_blank(request.user, blank, said["hook"], said["left"])
    record = blank.families.in_force().first()
    return redirect("library:family", slug=record.slug) if record else redirect("library:families")


def _to_what_waits(request: PersonRequest, record: FamilyRecord) -> HttpResponse:
    messages.success(request, f"{record.named} waits: look at what it changes, then put it in force.")
    return redirect("editions:one", pk=record.pk)


def document_address(record: FamilyRecord) -> str:
    """Where an edition's document is."""
    page = reverse("library:document", args=[record.slug])
    return page if record.is_in_force else f"{page}?{urlencode({'edition': record.edition})}"


def _edition_asked(request: PersonRequest, slug: str) -> FamilyRecord:
    """The edition of a family that the address names, without one that in force; 404 where there is none."""
    return or_404(_edition(slug, request.GET.get("edition")).first())


def _edition(slug: str, named: str | None) -> QuerySet[FamilyRecord]:
    editions = FamilyRecord.objects.filter(slug=slug)
    return editions.in_force() if named is None else editions.filter(edition=named)


def _but(slug: str, record: int) -> list[FamilyRecord]:
    return list(FamilyRecord.objects.filter(slug=slug).exclude(pk=record))


def _in_force() -> list[FamilyRecord]:
    return list(FamilyRecord.objects.in_force())


def _assumed(record: FamilyRecord) -> list[str]:
    """What its document leaves out and is assumed."""
    return assumed_of(record.family, json.loads(record.document))
