"""The bench itself, taking a job in, and declining one."""

from __future__ import annotations

from dataclasses import replace
from typing import Any
from urllib.parse import urlencode

from django.contrib import messages
from django.db import transaction
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.utils import timezone
from django.views.decorators.http import require_http_methods, require_safe

from wryfalcon.accounts.permissions import Act, PersonRequest, may, needs, needs_to_change
from wryfalcon.bench.models import Asked, Felt, OnBench, Picture, Tag, TagState
from wryfalcon.bench.reading.codes import find_code, read_code
from wryfalcon.bench.reading.queries import another_bitting
from wryfalcon.bench.stage import find_tag, key_of, open_tag, show_stage, to_stage
from wryfalcon.bench.tags.actions import TagDetails, change, decline, learn_family, take_in
from wryfalcon.bench.tags.come_back import is_copied_again
from wryfalcon.bench.tags.editions import go_over
from wryfalcon.bench.tags.forms import KeptLockFormSet, LockFormSet, TakeInForm, locks_of
from wryfalcon.bench.tags.queries import on_the_bench, stage_of
from wryfalcon.codes.models import Code
from wryfalcon.codes.queries.family import edition_to_make_by
from wryfalcon.drawings.paper import PHONE, laid_on
from wryfalcon.fields import NUMBER, PRESSED, WORD, posted
from wryfalcon.library.models import Blank, FamilyRecord
from wryfalcon.library.queries.guide import found_row
from wryfalcon.machines.line.queries import lines_of_machines
from wryfalcon.machines.models import Practice, Shift
from wryfalcon.numbers import whole_number
from wryfalcon.presses import press
from wryfalcon.refusal import NotDone

LATELY = 6


@require_safe
@needs(Act.LOOK)
def tags(request: PersonRequest) -> HttpResponse:
    """Open tags, what each waits for, and the machines in a line."""
    return render(
        request,
        "bench/tags/tags.html",
        {
            "open": on_the_bench(),
            "closed": _closed(),
            "machines": lines_of_machines(),
            "shifts": _shifts(),
            "practices": _practices(),
        },
    )


def _closed() -> list[Tag]:
    closed = Tag.objects.exclude(state=TagState.OPEN).select_related("customer")
    return list(closed.only("number", "title", "state", "customer__name")[:LATELY])


def _shifts() -> list[Shift]:
    moved = Shift.objects.filter(put_back_at=None).select_related("machine", "tag")
    return list(moved.only("at", "by_mm", "machine__name", "tag__number"))


def _practices() -> list[Any]:
    return list(Practice.objects.filter(ended_at=None).order_by().values("machine", "machine__name", "began_at"))


@require_http_methods(["GET", "HEAD", "POST"])
@needs(Act.TAKE_IN)
def new(request: PersonRequest) -> HttpResponse:
    """Take in a new tag."""
    code, made_by = _code_asked(request), None
    initial = _from_guide(request)
    if code:
        made_by = edition_to_make_by(code.series)
        initial = {"family": made_by.pk, "on_bench": OnBench.CODE, "title": f"From code {code}"}
    form = TakeInForm(request.POST or None, initial=initial)
    locks = LockFormSet(request.POST or None, prefix="locks")
    if request.method == "POST" and form.is_valid() and locks.is_valid():
        try:
            job = _completed(request, form.job(locks_of(locks)))
            read = code or _code_written(request, job, form.cleaned_data["code_on_it"])
            with transaction.atomic():
                tag = take_in(request.user, job if read is None else replace(job, family=_made_by(job, read)))
                if read is not None:
                    read_code(request.user, tag, read)
            return to_stage(tag, "settle" if read else _first_stage(tag))
        except NotDone as refusal:
            form.add_error(refusal.field if refusal.field in form.fields else None, refusal.says)
    form.fields["customer" if code else "title"].widget.attrs["autofocus"] = True
    bad = request.method == "POST"
    return render(
        request,
        "bench/tags/new.html",
        {
            "form": form,
            "locks": locks,
            "code": code,
            "asks_code": code is None and may(request.user, Act.READ_KEYS),
            "guide": request.GET.get("guide"),
            **_choices(made_by),
        },
        status=422 if bad else 200,
    )


@press
@needs(Act.TAKE_IN)
def fill_from_maker(request: PersonRequest) -> HttpResponse:
    """The form of a new tag, filled from the tag whose number was typed: a key came back. Nothing is kept."""
    said = posted(request, **dict.fromkeys(TakeInForm.base_fields, WORD))
    number = whole_number(said["brought_back"].strip().lstrip("#"))
    maker = Tag.objects.select_related("customer", "family_record", "blank").filter(number=number).first()
    initial: dict[str, object] = dict(said)
    locks = LockFormSet(prefix="locks")
    if maker is not None:
        initial |= {"on_bench": OnBench.RETURNED_KEY, "family": maker.family_record_id, "blank": maker.blank_id}
        initial["is_copied"] = is_copied_again(maker, timezone.now())
        initial["customer"] = initial["customer"] or maker.customer.name
        initial["title"] = initial["title"] or f"{maker.title}, brought back"
        locks = LockFormSet(prefix="locks", initial=[{"name": lock.name} for lock in maker.locks.all()])
    form = TakeInForm(initial=initial)
    choices = _choices(maker.family_record if maker is not None else None)
    context = {
        "form": form, "locks": locks, "maker": maker, "brought_back": said["brought_back"],
        "asks_code": may(request.user, Act.READ_KEYS), **choices,
    }  # fmt: skip
    return render(request, "bench/tags/_new_form.html", context)


@require_http_methods(["GET", "HEAD", "POST"])
@needs_to_change(Act.TAKE_IN)
def take_in_stage(request: PersonRequest, number: int) -> HttpResponse:
    """What was taken in, and changing it."""
    tag = open_tag(request, number, without_family=True)
    baseline = _baseline(tag)
    form = TakeInForm.of(tag, request.POST or None)
    locks = KeptLockFormSet(request.POST or None, prefix="locks", initial=baseline)
    if request.method == "POST" and form.is_valid() and locks.is_valid():
        try:
            if says := change(request.user, tag, form.job(locks_of(locks))):
                messages.info(request, says)
            return redirect("bench:tag", number=tag.number) if tag.settlement else to_stage(tag, _first_stage(tag))
        except NotDone as refusal:
            form.add_error(refusal.field if refusal.field in form.fields else None, refusal.says)
    query = urlencode({"tag": tag.number, "words": tag.title})
    context = {
        "form": form,
        "locks": locks,
        **_choices(tag.family_record),
        "guide_query": query,
    }
    if tag.on_bench == OnBench.PICTURE:
        heard = dict(tag.answers.values_list("asked", "text"))
        context["questions"] = [(asked, asked.label, heard.get(asked, "")) for asked in Asked]
        context["has_picture"] = Picture.objects.filter(tag=tag).exists()
    with laid_on(PHONE):  # beside the form: a narrow sheet whatever the screen
        context["key"] = key_of(tag, {})
        return show_stage(request, tag, "take-in", context, status=422 if request.method == "POST" else 200)


def _completed(request: PersonRequest, job: TagDetails) -> TagDetails:
    """What a row of the guide says goes with it; a key that comes back soon after it was traced opens as a copy.

    Unless its form was filled and said otherwise.
    """
    said = posted(request, guide=NUMBER, filled=PRESSED)
    row = found_row(said["guide"])
    if row is not None and row.family is not None and row.family == job.family:
        job = replace(job, guide=row.entry.handling)
    number = whole_number(job.brought_back.strip().lstrip("#"))
    maker = Tag.objects.filter(number=number).first() if number and not said["filled"] else None
    if maker is None:
        return job
    return replace(job, is_copied=job.is_copied or is_copied_again(maker, timezone.now()))


def _first_stage(tag: Tag) -> str:
    """Where a tag goes on from Take in."""
    if tag.is_copied:
        return "cut"
    return "read" if tag.family_record_id is not None else "take-in"


@require_safe
@needs(Act.LOOK)
def at_its_stage(request: PersonRequest, number: int) -> HttpResponse:
    """Go to the stage a tag stands at."""
    tag = find_tag(number, without_family=True)
    return to_stage(tag, stage_of(tag).stage)


@press
@needs(Act.TAKE_IN)
def learn(request: PersonRequest, number: int) -> HttpResponse:
    """A row of the fitting guide says of which family a tag's key is."""
    tag = find_tag(number, without_family=True)
    row = found_row(posted(request, guide=NUMBER)["guide"])
    family = row.family if row is not None else None
    if row is None or family is None:
        raise NotDone("That row names no family of this library.")
    learn_family(request.user, tag, family, row.blank, row.entry.handling)
    return to_stage(tag, "read")


@press
@needs(Act.TAKE_IN)
def decline_tag(request: PersonRequest, number: int) -> HttpResponse:
    """End a job as not one for us."""
    tag = find_tag(number, without_family=True)
    decline(request.user, tag, posted(request, why_declined=WORD)["why_declined"])
    return to_stage(tag, "take-in")


@press
@needs(Act.SETTLE)
def take_edition(request: PersonRequest, number: int) -> HttpResponse:
    """Make the tag's key by the edition of its family that is in force."""
    tag = find_tag(number)
    go_over(request.user, tag)
    tag = find_tag(number)
    says = f"By {tag.family.edition or 'the edition in force'} from now on."
    if tag.settlement is None:
        messages.success(request, says)
    elif doubt := another_bitting(tag):
        messages.error(request, f"{says} By this table what was read says {doubt}: settle it again.")
    else:
        messages.success(request, f"{says} The bitting stands; read it back again.")
    return to_stage(tag, stage_of(tag).stage)


def _from_guide(request: PersonRequest) -> dict[str, object]:
    """What a row of the fitting guide says of a new tag."""
    row = found_row(whole_number(request.GET.get("guide")))
    if row is None or row.family is None:
        return {}
    fits = row.blank is not None and row.family in row.blank.families.all()
    return {"title": row.entry.what, "family": row.family.pk, "blank": row.blank.pk if row.blank and fits else None}


def _code_asked(request: PersonRequest) -> Code | None:
    """The code a tag is hung from, for those who may read keys."""
    given = posted(request, code=WORD)["code"] if request.method == "POST" else request.GET.get("code")
    wanted = whole_number(given)
    if not wanted or not may(request.user, Act.READ_KEYS):
        return None
    return Code.objects.select_related("series__family_record").filter(pk=wanted).first()


def _code_written(request: PersonRequest, job: TagDetails, text: str) -> Code | None:
    """The code that is written on what lies there, of the family chosen, else of the only one that has it.

    None where none is written, or whoever asks may not read keys. Raises NotDone where no code lies on the bench, and
    as ``find_code``.
    """
    if not text.strip() or not may(request.user, Act.READ_KEYS):
        return None
    if job.on_bench != OnBench.CODE:
        raise NotDone("A code is looked up where one lies on the bench: say so there, or empty this.", "code_on_it")
    try:
        return find_code(text, job.family.slug if job.family is not None else "")
    except NotDone as refusal:
        raise NotDone(refusal.says, "code_on_it") from None


def _made_by(job: TagDetails, code: Code) -> FamilyRecord:
    return job.family or edition_to_make_by(code.series)


def _choices(made_by: FamilyRecord | None = None) -> dict[str, object]:
    """What the form chooses from, as plain rows: families in force, and the edition its key was made by before."""
    families = _families()
    if made_by is not None and not made_by.is_in_force:
        families.insert(0, (made_by.pk, made_by.named))
    return {
        "felt_choices": Felt.choices,
        "families": families,
        "blanks": [(pk, f"{code}, hook {hook}, {left} left") for pk, code, hook, left in _blanks()],
    }


def _families() -> list[tuple[int, str]]:
    return list(FamilyRecord.objects.in_force().values_list("pk", "name"))


def _blanks() -> list[tuple[int, str, str, int]]:
    return list(Blank.objects.values_list("pk", "code", "hook", "left"))


def _baseline(tag: Tag) -> list[Any]:
    return list(tag.locks.values("name", "enters", "turns", "leaves", "grade"))
