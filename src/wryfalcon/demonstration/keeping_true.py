"""How the shop keeps its machine true: a trim in the past, care, a study of hands, a trim under way."""

from __future__ import annotations

from datetime import datetime, timedelta
from math import radians, tan
from random import Random

from django.utils import timezone

from keycore.machines.wheel import TestCut
from wryfalcon.accounts.models import User
from wryfalcon.demonstration.making import bitting_of, family_record
from wryfalcon.keeping.tracing.actions import TracedKey, keep_duplicate
from wryfalcon.keeping.trimming.actions import (
    ClampingReadings,
    begin_trim,
    change_offset,
    close_trim,
    measure_clamping,
    try_caliper,
)
from wryfalcon.keeping.wheels.actions import look_at_wheel
from wryfalcon.machines.care.actions import keep_study, note_work
from wryfalcon.machines.models import Cutter, Duplicate, Machine, MachineWork, OffsetChange, Trim

COPIES = 9


def trimmed_once(tam: User, at: datetime, by_mm: float) -> None:
    """The trim half-way, brushing and cleaning since, and what hands and calipers are good for."""
    gannet = Machine.objects.get(name="Old Gannet")
    offset = gannet.offsets.get(gauge="shoulder")
    offset.value += by_mm
    offset.save()
    change = change_offset(tam, offset, offset.value - by_mm, offset.space, why="trimmed by measured keys")
    OffsetChange.objects.filter(pk=change.pk).update(at=at)
    for what, days in (("brushed", 0.2), ("cleaned", 4), ("tightened", 41), ("homed", 9)):
        work = note_work(tam, gannet, what)
        MachineWork.objects.filter(pk=work.pk).update(at=timezone.now() - timedelta(days=days))
    hand = Random(77)
    sizes = [7.62, 7.11, 8.05, 6.86, 7.37]
    bias = {"Orla": 0.004, "Tam": -0.003}
    readings = [[[s + b + hand.gauss(0, 0.012) for _ in range(3)] for s in sizes] for b in bias.values()]
    keep_study(tam, "bench caliper", list(bias), readings)


def check_some(tam: User) -> None:
    """The hand-fed machine checked with one key last week, the side mill trimmed by touch."""
    slip, fulmar, hand = Machine.objects.get(name="The Slip"), Machine.objects.get(name="The Fulmar"), Random(31)
    check = begin_trim(tam, slip, family_record("harbour-five"), is_check=True)
    try_caliper(tam, check, 7.0, 7.0)
    values = check.family_record.family.track(check.track).values
    cuts = {
        space: ClampingReadings(round(values[step] + hand.gauss(0, 0.0004), 4))
        for space, step in enumerate(check.steps, start=1)
    }
    measure_clamping(tam, check, 1, cuts)
    close_trim(tam, check, "", apply=False)
    week_ago = timezone.now() - timedelta(days=6)
    Trim.objects.filter(pk=check.pk).update(at=week_ago, closed_at=week_ago)
    touched = note_work(tam, fulmar, "touched", "after 3 tries")
    MachineWork.objects.filter(pk=touched.pk).update(at=week_ago)


def trace_some(tam: User) -> None:
    """Copies of the last weeks on the duplicator by the door, which wanders deep; a look at its wheel."""
    tern, record, hand = Machine.objects.get(name="The Tern"), family_record("harbour-five"), Random(12)
    track = record.family.tracks[0]
    touched = note_work(tam, tern, "touched", "after 4 tries")
    MachineWork.objects.filter(pk=touched.pk).update(at=timezone.now() - timedelta(days=46))
    for place in range(COPIES):
        labels = bitting_of(record.family, hand)[track.name]
        worn, seat = hand.uniform(-0.004, -0.001), hand.gauss(0, 0.0003)
        pattern = [round(track.values[step] + worn + hand.gauss(0, 0.0005), 4) for step in track.steps(labels)]
        off = -0.0002 * place + seat
        copy = [round(value + off + hand.gauss(0, 0.0004), 4) for value in pattern]
        kept = keep_duplicate(tam, tern, TracedKey(record, track.name, pattern, copy))
        at = timezone.now() - timedelta(days=45 - 5 * place, hours=hand.uniform(0, 5))
        Duplicate.objects.filter(pk=kept.pk).update(at=at)
    wheel = Cutter.objects.get(name="W-80")
    widths = [(depth, wheel.flat + 0.04 + 2 * depth * tan(radians(wheel.angle + 1.5) / 2)) for depth in (1.0, 2.0, 3.0)]
    look_at_wheel(tam, wheel, [TestCut(depth, round(width + hand.gauss(0, 0.01), 2)) for depth, width in widths])


def hang_a_trim(people: dict[str, User]) -> None:
    """A trim under way: the caliper tried, two clampings measured."""
    tam, random = people["tam"], Random(5)
    trim = begin_trim(tam, Machine.objects.get(name="Old Gannet"), family_record("pier-six"))
    try_caliper(tam, trim, 7.0, 7.002)
    family = trim.family_record.family
    track = family.track(trim.track)
    for clamping in (1, 2):
        seat = random.gauss(0, 0.0003)
        cuts = {
            space: ClampingReadings(round(track.values[step] + 0.0012 + seat + random.gauss(0, 0.0003), 4))
            for space, step in enumerate(trim.steps, start=1)
        }
        measure_clamping(tam, trim, clamping, cuts)
