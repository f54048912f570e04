"""One box that finds tags, customers, families, blanks and machines."""

from __future__ import annotations

from dataclasses import dataclass
from urllib.parse import urlencode

from django.db.models import Q
from django.urls import reverse

from keycore.codes.series import looked_up
from wryfalcon.bench.models import Customer, Tag
from wryfalcon.codes.models import Series
from wryfalcon.codes.queries.by_code import codes_called
from wryfalcon.library.models import Blank, FamilyRecord
from wryfalcon.machines.models import Machine

MOST = 12


@dataclass(frozen=True)
class Found:
    """One thing found: what it is, its name, a line about it, where it is."""

    kind: str
    name: str
    about: str
    url: str


def find(text: str, *, codes_too: bool = False) -> list[Found]:
    """What the text finds, likeliest kinds first; nothing for an empty text. Codes only for who may read keys."""
    text = text.strip()
    if not text:
        return []
    return [
        *_tags(text),
        *(_made_from(text) if codes_too else []),
        *(_codes(text) if codes_too else []),
        *_families(text),
        *_blanks(text),
        *_customers(text),
        *_machines(text),
    ]


def _tags(text: str) -> list[Found]:
    wanted = Q(title__icontains=text) | Q(customer__name__icontains=text)
    digits = text.lstrip("#0")
    if digits.isdecimal() and len(digits) < 9:
        wanted |= Q(number=int(digits))
    tags = Tag.objects.filter(wanted).select_related("customer")[:MOST]
    return [
        Found(
            "Tag",
            f"{tag} {tag.title}",
            f"{tag.customer}, {tag.get_state_display()}",
            reverse("bench:tag", args=[tag.number]),
        )
        for tag in tags
    ]


def _made_from(text: str) -> list[Found]:
    """The tags whose key was made from a code of that name, of whatever edition."""
    rules = Series.objects.values_list("printed", flat=True).distinct().order_by()
    names = {looked_up(text, printed) for printed in rules} - {""}
    read = Q(sources__code__looked_up__in=names, sources__removed=False)
    taken = Q(overrulings__code__looked_up__in=names, overrulings__withdrawn=False)
    made = Tag.objects.filter(read | taken).distinct()
    return [
        Found(
            "Tag", f"{tag} {tag.title}", f"{tag.customer}, made from the code", reverse("bench:tag", args=[tag.number])
        )
        for tag in made.select_related("customer")[:MOST]
    ]


def _codes(text: str) -> list[Found]:
    """The series that have a code of that name; its bitting is shown in their own room."""
    return [
        Found(
            "Code",
            found.code,
            f"{found.series}, {found.series.family_record}",
            f"{reverse('codes:series')}?{urlencode({'code': found.code})}",
        )
        for found in codes_called(text)[:MOST]
    ]


def _families(text: str) -> list[Found]:
    found = FamilyRecord.objects.in_force().filter(Q(name__icontains=text) | Q(slug__icontains=text))[:MOST]
    return [
        Found("Family", family.name, f"{family.kind}, {family.edition}", reverse("library:family", args=[family.slug]))
        for family in found
    ]


def _blanks(text: str) -> list[Found]:
    found = Blank.objects.filter(Q(code__icontains=text) | Q(hook__iexact=text)).prefetch_related("families")[:MOST]
    return [
        Found(
            "Blank", blank.code, f"hook {blank.hook}, {blank.left} left", reverse("library:family", args=[family.slug])
        )
        for blank in found
        for family in [each for each in blank.families.all() if each.is_in_force][:1]
    ]


def _customers(text: str) -> list[Found]:
    found = Customer.objects.filter(name__icontains=text)[:MOST]
    return [
        Found("Customer", customer.name, "all their tags", f"{reverse('records:history')}?customer={customer.pk}")
        for customer in found
    ]


def _machines(text: str) -> list[Found]:
    found = Machine.objects.filter(name__icontains=text)[:MOST]
    return [Found("Machine", machine.name, machine.note, reverse("machines:machines")) for machine in found]
