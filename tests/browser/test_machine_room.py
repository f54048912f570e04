"""A machine trimmed, a copy compared and a wheel measured, without a mouse."""

from __future__ import annotations

import pytest

from browser.smith import Smith
from wryfalcon.machines.models import Cutter, CutterLook, Duplicate, Machine, MachineOffset, Trim

WORN, COPY = ".303 .283 .323 .263 .284", ".299 .279 .319 .259 .280"


def test_a_machine_is_trimmed_by_two_clampings_of_a_test_key(smith: Smith) -> None:
    gannet = Machine.objects.get(name="Old Gannet")
    smith.log_in()
    smith.go(f"/machines/{gannet.pk}")
    smith.choose("#family", "Harb")
    smith.press_button("Trim it by measured keys")
    smith.sees("Nothing is measured yet.")
    trim = Trim.objects.get()
    smith.fill("#known", "7 mm")
    smith.fill("#read", "7.00 mm")
    smith.press("Enter")
    smith.sees("It said 0.27559 in of 0.27559 in")
    values = trim.family_record.family.track(trim.track).values
    for clamping, off in ((1, 0.0031), (2, 0.0029)):
        smith.sees(f"3. Measure clamping {clamping}")
        for space, step in enumerate(trim.steps, start=1):
            smith.fill(f"[name=v{space}]", f"{values[step] + off:.4f}")
            smith.press("Enter")  # goes to the next cut, after the last to the button
        smith.press("Enter")
    smith.sees("It cuts 0.0030 in shallow. Depth: add \N{MINUS SIGN}0.0031 in to the offset, deeper.")
    smith.go_on()
    smith.sees("trimmed by measured keys")
    own = MachineOffset.objects.get(machine=gannet, gauge="shoulder")
    assert own.value == pytest.approx(0.012 - 0.08)
    with smith.page.expect_navigation():
        smith.press_button("Put the old ones back")
    own.refresh_from_db()
    assert own.value == pytest.approx(0.012)
    assert not smith.complaints


def test_a_copy_is_compared_and_a_mistyped_one_loses_nothing(smith: Smith) -> None:
    tern = Machine.objects.get(name="The Tern")
    smith.log_in()
    smith.go(f"/machines/{tern.pk}/duplicates")
    smith.choose("#key", "Harbour f")
    smith.fill("#pattern", WORN)
    smith.fill("#copy", COPY.replace(".319", "319x"))
    smith.press("Enter")
    smith.sees("is not a length")
    assert smith.page.locator("#pattern").input_value() == WORN
    smith.fill("#copy", COPY)
    smith.press("Enter")
    smith.sees("Uncover the cuts")
    smith.press_button("Uncover the cuts")
    smith.sees("bitting 2 3 1 4 3")
    assert Duplicate.objects.get().machine == tern
    assert not smith.complaints


def test_a_wheel_is_measured_from_the_keyboard(smith: Smith) -> None:
    wheel = Cutter.objects.get(name="W-80")
    smith.log_in()
    smith.go(f"/machines/cutters/{wheel.pk}")
    smith.reach("#cuts")
    smith.page.keyboard.type("1.00 mm 2.69 mm\n2.00 mm 4.37 mm")
    smith.press_button("Work it out and keep it")
    smith.sees("from 2 cuts")
    assert CutterLook.objects.get().angle == pytest.approx(80.1, abs=0.2)
    assert not smith.complaints
