"""The way of a tag through its stages, by the keyboard: what every kind of key has in common."""

from __future__ import annotations

from collections.abc import Sequence

from playwright.sync_api import expect

from browser.smith import Smith


def hang(smith: Smith, title: str, authority: str, family: str, lock: tuple[str, str]) -> None:
    """Take a key in; its lock by name, and how the old key turns in it."""
    smith.press("n")
    smith.is_at("/tags/new")
    smith.fill("#id_title", title)
    smith.fill("#id_customer", "Saltmarsh Players")
    smith.fill("#id_authority", authority)
    smith.choose("#id_family", family)
    smith.fill("#id_locks-0-name", lock[0])
    smith.choose("#id_locks-0-turns", lock[1])
    smith.press_button("Hang the tag")
    smith.sees("Cut 1 of 5")
    smith.remember_tag()


def type_values(smith: Smith, values: Sequence[str]) -> None:
    """One value and Enter for each cut."""
    for place, value in enumerate(values, start=1):
        smith.sees(f"Cut {place} of {len(values)}, counted from the bow")
        smith.reach("#typed")
        smith.page.keyboard.type(value)
        smith.press("Enter")
    last = values[-1].removesuffix("°")
    expect(smith.page.get_by_label("Values typed")).to_contain_text(last)


def settle_and_read_back(smith: Smith, bitting: str) -> None:
    """Settle what is as good as certain, and read it back."""
    smith.go_on()
    smith.sees("99 in 100 for the whole bitting")
    smith.go_on()
    smith.sees("Read it back before anything is cut")
    smith.sees(bitting)
    smith.go_on()
    smith.is_at(f"{smith.tag}/set-up")


def make_the_card(smith: Smith, checks: int) -> None:
    """Set up as proposed, and do so many checks by hand."""
    smith.go_on()
    smith.sees("Set-up card")
    for _ in range(checks):
        smith.press("Tab")
        smith.reach("input[name=tick]:not(:checked)")
        smith.press("Space")
    smith.go_on()
    smith.is_at(f"{smith.tag}/cut")


def cut(smith: Smith) -> None:
    """Home the machine if it asks for it, clamp, start, and wait for the key."""
    if smith.page.get_by_text("Home the machine").count():
        smith.press_button("Home the machine")
        smith.sees("Send key 1")
    for then in ("at the machine, to be clamped", "clamped, ready to start", "5 of 5 cuts"):
        smith.go_on()
        smith.sees(then)
    smith.sees("Made. Deburr lightly")


def measure(smith: Smith, readings: int) -> None:
    """Read the machine's caliper so many times."""
    smith.go_on()
    smith.sees("Key 1")
    for reading in range(1, readings + 1):
        smith.press_button("Read the machine's caliper")
        expect(smith.page.locator("td[data-readings]").first).to_have_text(str(reading), timeout=15_000)
