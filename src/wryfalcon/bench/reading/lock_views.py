"""A lock that lies on the bench without a table: measured, it becomes a family of one, and its tag's."""

from __future__ import annotations

import json
from collections.abc import Mapping

from django.contrib import messages
from django.db import transaction
from django.http import HttpResponse
from django.shortcuts import render
from django.utils.text import slugify
from django.views.decorators.http import require_http_methods

from keycore.cutting.plan import plan_cuts
from keycore.documents.family import read_family
from keycore.documents.kinds import LockField, LockForm, lock_forms
from keycore.errors import InputError
from keycore.family import Family
from keycore.units import Unit
from wryfalcon.accounts.permissions import Act, PersonRequest, needs_to_change
from wryfalcon.bench.stage import open_tag, to_stage
from wryfalcon.bench.tags.actions import learn_family
from wryfalcon.drawings.key import KeyDrawing, draw_key
from wryfalcon.drawings.paper import PHONE, laid_on
from wryfalcon.fields import PASTED, PRESSED, posted, unit_typed
from wryfalcon.lengths import NotALength, parse_length
from wryfalcon.library.actions.families import count_blank, import_family
from wryfalcon.library.models import FamilyRecord
from wryfalcon.numbers import whole_number
from wryfalcon.refusal import NotDone


@require_http_methods(["GET", "HEAD", "POST"])
@needs_to_change(Act.SETTLE)
def measure_lock(request: PersonRequest, number: int) -> HttpResponse:
    """Type what was measured; see it drawn with its levers over it; keep it as the tag's family."""
    tag, form = open_tag(request, number, without_family=True), lock_forms()[0]
    usual = {each.name: each.usual for each in form.fields} | {"name": f"Lock of tag {tag}", "blank": ""}
    typed = posted(request, keep=PRESSED, **dict.fromkeys(usual, PASTED))
    said = usual | {name: typed[name] for name in usual.keys() & request.POST.keys()}
    family: Family | None = None
    error: InputError | NotDone | None = None
    if request.method == "POST":
        try:
            document = _document(form, said, unit_typed(request))
            family = read_family(document)
            if typed["keep"]:
                with transaction.atomic():
                    record = import_family(request.user, json.dumps(document).encode())
                    blank = record.blanks.first()
                    if blank is not None and not blank.left:
                        count_blank(request.user, blank, "bench", 1)  # the one that fitted lies here
                    learn_family(request.user, tag, record, blank)
                messages.success(request, f"{record.name} is in the library, measured and not published.")
                return to_stage(tag, "read")
        except (InputError, NotDone) as wrong:
            error = wrong
    with laid_on(PHONE):  # beside the form: a narrow sheet whatever the screen
        context = {
            "tag": tag, "said": said, "error": error, "key": _drawn(family) if family is not None else None,
            "fields": [(each.name, each.words, said.get(each.name, ""), each.is_count) for each in form.fields],
        }  # fmt: skip
        return render(request, "bench/reading/measure_lock.html", context, status=422 if error else 200)


def _document(form: LockForm, said: Mapping[str, str], unit: Unit) -> dict[str, object]:
    """The document of what was typed. Raises InputError naming the field, for the name of another family too."""
    name = said.get("name", "").strip()[:120]
    slug = slugify(name)[:80]
    if FamilyRecord.objects.filter(slug=slug).exists():
        raise InputError("name", "a family is called so already; another lock needs a name of its own")
    blank = said.get("blank", "").strip()[:40] or f"bit for {slug}"[:40]
    return form.build(slug, name, blank, {each.name: _measured(each, said, unit) for each in form.fields})


def _measured(field: LockField, said: Mapping[str, str], unit: Unit) -> tuple[float, ...]:
    """What was typed in a field, millimetres. Raises InputError naming it."""
    text = said.get(field.name, "")
    if field.is_count:
        return (float(whole_number(text.strip())),)
    words = text.replace(";", " ").replace(" mm", "mm").replace(" in", "in").split()
    try:
        found = tuple(parse_length(word, unit, Unit.MILLIMETRE).value for word in words)
    except NotALength as error:
        raise InputError(field.name, str(error)) from None
    if any(value < 0 for value in found):
        raise InputError(field.name, "a length is no less than nothing")
    if not found and field.is_optional:
        return ()
    if not found or (len(found) > 1 and not field.is_many):
        raise InputError(field.name, "lengths are wanted" if field.is_many else "one length is wanted")
    return found


def _drawn(family: Family) -> KeyDrawing:
    """The bit cut to its deepest everywhere, its levers over it: what fits is seen before anything is kept."""
    deepest = {track.name: [track.labels[-1]] * len(track.spaces) for track in family.tracks}
    return draw_key(family, plan_cuts(family, deepest).shape)
