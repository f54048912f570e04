"""Queries that are written once answer what Django's own answer, to whatever they are given."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import pytest
from django.db import connection
from django.db.models import Count, Exists, F, OuterRef, Q, QuerySet
from django.test.utils import CaptureQueriesContext

from wryfalcon.accounts.models import User
from wryfalcon.demonstration.making import family_record
from wryfalcon.library.models import Blank, FamilyRecord
from wryfalcon.machines.models import Cutter, JawSide, Machine, MachineOffset, MachineWork
from wryfalcon.prepared import STANDS_IN, WORD, prepared

pytestmark = pytest.mark.usefixtures("people")


def _same(rows: list[Any], others: list[Any]) -> bool:
    """Whether these are the same rows with the same columns loaded."""
    kept = [{k: v for k, v in row.__dict__.items() if k != "_state"} for row in rows]
    return kept == [{k: v for k, v in row.__dict__.items() if k != "_state"} for row in others]


def _sides(machine: Machine, name: str) -> QuerySet[JawSide]:
    return machine.jaw_sides.select_related("clamp").exclude(name=name).order_by("-pk")


def test_rows_and_what_they_lead_to_are_those_of_the_queryset() -> None:
    ahead = prepared(_sides)
    for machine in Machine.objects.all():
        for name in ("A", "B", "nothing of that name", "it's; --"):
            found, plain = ahead(machine, name), list(_sides(machine, name))
            assert _same(found, plain)
            with CaptureQueriesContext(connection) as asked:
                assert [(each.machine, each.clamp) for each in found] == [(each.machine, each.clamp) for each in plain]
            assert not asked.captured_queries, "what was joined, or was given, is not asked for again"


def test_the_first_row_is_the_first_of_the_order_or_of_the_table() -> None:
    @prepared
    def cutters(machine: Machine) -> QuerySet[Cutter]:
        return machine.cutters.order_by("-flat")

    @prepared
    def blanks(code: str) -> QuerySet[Blank]:
        return Blank.objects.filter(code=code).order_by()

    for machine in Machine.objects.all():
        assert cutters.first(machine) == machine.cutters.order_by("-flat").first()
    for blank in Blank.objects.all():
        assert blanks.first(blank.code) == Blank.objects.filter(code=blank.code).order_by("pk").first()
    for code in ("none is called so", "", f"{WORD}{STANDS_IN}"):
        assert blanks.first(code) is None


@pytest.mark.parametrize("number", [-1, 0, 2**61 - 1, 2**61, 2**63, 10**40])
def test_no_number_from_an_address_is_too_large_to_ask_for(number: int) -> None:
    @prepared
    def numbered(number: int) -> QuerySet[Machine]:
        return Machine.objects.filter(pk=number)

    assert numbered(1) == list(Machine.objects.filter(pk=1))
    assert numbered(number) == []


def test_truths_nothing_and_tuples_have_their_own_sql() -> None:
    @prepared
    def works(machines: tuple[int, ...], whats: tuple[str, ...], is_noted: bool) -> QuerySet[MachineWork]:
        found = MachineWork.objects.filter(machine__in=machines, what__in=whats)
        return found if is_noted else found.none()

    @prepared
    def made_by(person: User | None) -> QuerySet[MachineOffset]:
        return MachineOffset.objects.filter(machine__fitted=None) if person is None else MachineOffset.objects.all()

    @prepared
    def families(slugs: tuple[str, ...]) -> QuerySet[FamilyRecord]:
        return FamilyRecord.objects.filter(slug__in=slugs).order_by("slug")

    pks = tuple(Machine.objects.values_list("pk", flat=True))
    whats = tuple(MachineWork.objects.values_list("what", flat=True))
    for few in (pks[:1], pks[:2], pks):
        noted = works(few, ("cutter", "wheel", *whats[:1]), True)
        assert noted == list(MachineWork.objects.filter(machine__in=few, what__in=("cutter", "wheel", *whats[:1])))
        assert works(few, ("cutter",), False) == []
    assert made_by(None) == list(MachineOffset.objects.filter(machine__fitted=None))
    for slugs in ((), ("pier-six",), ("pier-six", "theatre-six"), ("theatre-six", "theatre-six", "no such family")):
        assert [each.slug for each in families(slugs)] == sorted({*slugs} - {"no such family"})
    assert len(families((*map(str, range(99)), "pier-six"))) == 1


def test_moments_are_asked_for_to_the_microsecond(people: dict[str, User]) -> None:
    @prepared
    def since(machine: Machine, moment: datetime | None) -> QuerySet[MachineWork]:
        works = MachineWork.objects.filter(machine=machine)
        return works if moment is None else works.filter(at__gt=moment)

    machine = Machine.objects.first()
    assert machine is not None
    works = [MachineWork.objects.create(machine=machine, what="jaw", by=people["orla"]) for _ in range(3)]
    at = [work.at for work in works]
    everywhere = [moment.astimezone(ZoneInfo("Asia/Kathmandu")) for moment in at]
    for moments in (at, everywhere):
        assert [len(since(machine, moment)) for moment in moments] == [2, 1, 0]
    assert {*since(machine, at[0] - timedelta(microseconds=1))} == {*works}
    assert {*works} <= {*since(machine, None)}


def test_annotations_columns_and_what_is_left_out() -> None:
    @prepared
    def machines(what: str) -> QuerySet[Machine]:
        noted = MachineWork.objects.filter(machine=OuterRef("pk"), what=what)
        counted = Machine.objects.annotate(
            sides=Count("jaw_sides", filter=~Q(jaw_sides__name="A")), is_noted=Exists(noted)
        )
        return counted.select_related("fitted").only("name", "fitted__name")

    @prepared
    def names(machine: Machine) -> QuerySet[JawSide, tuple[int, float, str]]:
        return machine.jaw_sides.values_list("pk", F("slot_depth") * 2, "name")

    @prepared
    def codes(family: FamilyRecord) -> QuerySet[Blank, str]:
        return family.blanks.order_by("code").values_list("code", flat=True)

    @prepared
    def by_name(machine: Machine) -> QuerySet[Cutter, Any]:
        return machine.cutters.values("flat", twice=F("flat") * 2, called=F("name"))

    for what in ("cutter", "wheel", "trim"):
        assert _same(machines(what), list(machines.build(what)))
    for machine in Machine.objects.all():
        assert names(machine) == list(machine.jaw_sides.values_list("pk", F("slot_depth") * 2, "name"))
        assert by_name(machine) == list(by_name.build(machine))
    record = family_record("pier-six")
    assert codes(record) == list(record.blanks.order_by("code").values_list("code", flat=True))


def test_what_cannot_be_written_ahead_is_refused_when_it_is_first_asked() -> None:
    @prepared
    def dates(name: str) -> QuerySet[Cutter, Any]:
        return Cutter.objects.filter(name=name).values_list("name", named=True)

    @prepared
    def of_a_width(flat: float) -> QuerySet[Cutter]:
        return Cutter.objects.filter(flat=flat)

    for ahead, given in ((dates, "Slotter"), (of_a_width, 0.5)):
        with pytest.raises(TypeError):
            ahead(given)  # type: ignore[operator]


def test_a_function_that_looks_into_what_it_is_given_is_said_and_answered_all_the_same(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    @prepared
    def looks_into_it(name: str) -> QuerySet[Cutter]:
        return Cutter.objects.filter(name=name.capitalize())

    @prepared
    def takes_another_path(pk: int) -> QuerySet[Cutter]:
        return Cutter.objects.all() if pk < 10 else Cutter.objects.filter(pk=pk)

    cutter, said = Cutter.objects.first(), []
    assert cutter is not None
    monkeypatch.setattr("wryfalcon.prepared.log.error", lambda *words: said.append(words))
    for _ in range(2):
        assert looks_into_it(cutter.name.lower()) == [cutter]
        assert takes_another_path(3) == list(Cutter.objects.all())
    assert len(said) == 2, "once for each"


def test_it_asks_once_and_sees_what_changed_since() -> None:
    @prepared
    def called(name: str) -> QuerySet[Machine]:
        return Machine.objects.filter(name=name).prefetch_related("jaw_sides")

    machine = Machine.objects.exclude(jaw_sides=None).first()
    assert machine is not None
    called(machine.name)
    with CaptureQueriesContext(connection) as asked:
        (found,) = called(machine.name)
        assert {*found.jaw_sides.all()} == {*JawSide.objects.filter(machine=machine)}
    assert len(asked) == 3, "the machine, its jaws, and the jaws that they are held against"
    Machine.objects.filter(pk=machine.pk).update(name="Renamed")
    assert called(machine.name) == []
    assert called("Renamed") == [machine]
