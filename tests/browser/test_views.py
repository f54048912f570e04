"""Every main view: accessible, no wider than the screen, at home on a desk, a tablet and a phone."""

from __future__ import annotations

from pathlib import Path

import pytest

from browser.smith import Smith
from shops import put_in_place
from wryfalcon.bench.models import Tag
from wryfalcon.codes.models import Series
from wryfalcon.library.models import FamilyRecord
from wryfalcon.machines.models import Cutter, Machine, Trim

VIEWS = {
    "bench": "/", "take in": "/tags/new", "taken in": "/tags/436/take-in", "read": "/tags/439/read",
    "settle": "/tags/439/settle", "overrule": "/tags/439/settle?again=1&cut=3", "read back": "/tags/438/settle",
    "set up": "/tags/437/set-up", "choose": "/tags/437/set-up?choose=1", "card": "/tags/437/set-up/card",
    "cut": "/tags/435/cut", "cutters": "/tags/437/cutters", "prove": "/tags/434/prove",
    "hand over": "/tags/434/hand-over", "library": "/library/", "family": "/library/theatre-six",
    "bring in": "/library/bring-in", "machines": "/machines/", "machine": "/machines/{machine}",
    "trim": "/machines/trims/{trim}", "touch": "/machines/{tern}/touch", "care": "/machines/{machine}/care",
    "particulars": "/machines/{machine}/particulars",
    "course": "/machines/{machine}/course", "over time": "/machines/{machine}/course?by=days",
    "duplicator": "/machines/{tern}/fitted", "fitted": "/machines/{machine}/fitted",
    "duplicates": "/machines/{tern}/duplicates", "wheel": "/machines/cutters/{wheel}",
    "side mill": "/machines/{fulmar}/touch", "test key": "/machines/trims/{trim}/paper",
    "why": "/tags/{made}/prove/{piece}/why", "hands": "/machines/hands",
    "depth keys": "/tags/441/read", "half a lock": "/tags/441/settle", "three sources": "/tags/442/read",
    "three settled": "/tags/442/settle", "pins": "/tags/443/read", "cut down": "/tags/444/read",
    "another source": "/tags/440/read?add=1", "real size": "/tags/442/real-size", "measured": "/library/measured",
    "series": "/codes/?code=m-1041", "bring a series": "/codes/bring-in", "one series": "/codes/{series}",
    "looks": "/codes/seen", "by bitting": "/codes/by-bitting?family={family}&bitting=2+3+1+2+4+3+?+?",
    "codes of a tag": "/tags/441/codes", "tries": "/tags/441/tries",
    "guide": "/library/guide?words=boats", "bring a guide": "/library/guide/bring-in",
    "which": "/library/which?positions=0.162+0.271+0.38+0.49+0.602+0.713", "records": "/records/",
    "find": "/records/find?q=hut", "bring back": "/records/bring-back",
    "editions": "/library/editions/", "an edition": "/library/editions/{edition}", "milled": "/library/gantry-eight",
    "milled, read": "/tags/449/read", "milled, settled": "/tags/449/settle?track=B", "milled, card": "/tags/450/set-up",
    "drilled": "/tags/451/set-up?choose=1", "filed": "/tags/452/cut", "faces": "/tags/450/real-size",
    "measure a lock": "/tags/445/measure-lock", "touched off": "/machines/{machine}/faces",
    "a door of fewer cuts": "/tags/453/read", "keys to try of a door": "/tags/453/tries",
    "an edge": "/tags/450/read?track=S", "all tracks": "/tags/449/tries?track=",
}  # fmt: skip


@pytest.fixture
def stock(transactional_db: None, demonstration_database: Path) -> None:
    """The whole demonstration."""
    put_in_place(demonstration_database)


@pytest.fixture
def demonstration(smith: Smith) -> Smith:
    """The whole demonstration shop, with its owner at the keyboard."""
    smith.log_in("orla")
    return smith


@pytest.mark.parametrize("quarter", range(4))
def test_every_main_view_is_accessible_and_fits_every_screen(demonstration: Smith, quarter: int) -> None:
    back = Tag.objects.filter(made_by__isnull=False).latest("pk")
    assert back.brought_back_from
    assert back.made_by
    keys = {
        "machine": Machine.objects.get(name="Old Gannet").pk, "tern": Machine.objects.get(name="The Tern").pk,
        "trim": Trim.objects.latest("pk").pk, "series": Series.objects.latest("pk").pk,
        "family": FamilyRecord.objects.get(slug="lighthouse-eight").pk,
        "fulmar": Machine.objects.get(name="The Fulmar").pk, "wheel": Cutter.objects.get(name="W-80").pk,
        "edition": FamilyRecord.objects.checked().get().pk,
        "made": back.brought_back_from.number, "piece": back.made_by.pk,
    }  # fmt: skip
    for name, path in list(VIEWS.items())[quarter::4]:
        demonstration.go(path.format(**keys))
        demonstration.looks_right(name)


def test_what_is_not_accessible_is_found(demonstration: Smith) -> None:
    demonstration.page.evaluate("() => document.querySelector('#main').insertAdjacentHTML('beforeend', '<button>')")
    with pytest.raises(AssertionError, match="button-name"):
        demonstration.looks_right("a button without a name")


def test_the_dark_theme_is_as_legible(demonstration: Smith) -> None:
    demonstration.press_button("dark")
    demonstration.page.wait_for_selector("html[data-theme=dark]")
    for name in ("bench", "settle", "prove"):
        demonstration.go(VIEWS[name])
        assert demonstration.page.evaluate("() => document.documentElement.dataset.theme") == "dark"
        demonstration.looks_right(f"{name}, dark")


def test_keys_go_everywhere(demonstration: Smith) -> None:
    for key, path in (("l", "/library/"), ("m", "/machines/"), ("r", "/records/"), ("b", "/"), ("n", "/tags/new")):
        demonstration.press(key)
        demonstration.is_at(path)
        demonstration.page.evaluate("() => document.activeElement?.blur()")
    demonstration.press("/")
    demonstration.page.keyboard.type("hut 14")
    demonstration.press("Enter")
    demonstration.sees("0434 Beach hut 14, winter key")
    demonstration.page.evaluate("() => document.activeElement?.blur()")
    demonstration.press("?")
    assert demonstration.page.locator("#shortcuts").is_visible()
    demonstration.press("Escape")
    assert not demonstration.page.locator("#shortcuts").is_visible()


def test_arrows_pick_a_cut_and_a_digit_overrules_it(demonstration: Smith) -> None:
    demonstration.go("/tags/439/settle")
    demonstration.press("ArrowRight")
    demonstration.sees("Overrule cut 1")
    demonstration.press("ArrowRight")
    demonstration.sees("Overrule cut 2")
    demonstration.press("6")
    assert demonstration.page.locator("#overrule-label").input_value() == "6"
    demonstration.page.keyboard.type("level with its neighbour")
    demonstration.press("Enter")
    demonstration.sees("with a cut overruled")
    demonstration.sees("level with its neighbour")
    assert "again=1" in demonstration.page.url
    demonstration.page.reload()
    demonstration.sees("with a cut overruled")


def test_the_unit_changes_with_a_key_and_stays(demonstration: Smith) -> None:
    demonstration.go("/tags/439/read")
    demonstration.sees("0.278")
    demonstration.page.evaluate("() => document.activeElement?.blur()")
    demonstration.press("u")
    demonstration.sees("7.06")
    demonstration.page.reload()
    demonstration.sees("Mean, mm")


def test_the_address_holds_the_truth_and_back_works(demonstration: Smith) -> None:
    demonstration.go("/tags/440/read")
    demonstration.reach("#typed")
    demonstration.page.keyboard.type("0.288")
    demonstration.press("Enter")
    demonstration.sees("Cut 2 of 4")
    demonstration.is_at("/tags/440/read?track=A&cut=2")
    demonstration.page.reload()
    demonstration.sees("Cut 2 of 4")
    demonstration.go("/library/")
    demonstration.page.go_back()
    demonstration.sees("Cut 2 of 4")


def test_a_lock_is_read_with_depth_keys_by_the_keyboard_alone(demonstration: Smith) -> None:
    """The last key of the round: one wafer flush; the two that the lock lacks are remembered."""
    demonstration.go("/tags/441/read")
    assert demonstration.page.locator("input[name=unsure]:checked").count() == 2
    demonstration.press("5")
    assert demonstration.page.locator("input[name=flush]:checked").get_attribute("value") == "5"
    demonstration.press("g")
    demonstration.sees("Every depth key has been looked at.")
    demonstration.press("g")
    demonstration.sees("Nothing was seen of cut 7, 8.")
    demonstration.reach("button[name=fill]")
    demonstration.press("Enter")
    demonstration.sees("cut 7, 8 filled in, not seen")
    assert demonstration.complaints == []


def test_a_tool_grid_is_tapped_and_a_wrong_way_round_is_turned(demonstration: Smith) -> None:
    demonstration.go("/tags/440/read?add=1")
    demonstration.reach("button[value=grid]")
    demonstration.press("Enter")
    demonstration.page.wait_for_selector("#lane-1-1")
    for tap in ("#lane-1-2", "#lane-2-4", "#lane-3-3", "#lane-4-1"):
        demonstration.reach(tap)
        demonstration.press("Enter")
        demonstration.page.wait_for_selector(f"{tap}[aria-pressed=true]")
    demonstration.go("/tags/442/settle")
    demonstration.sees("A machine's decode looks counted from the other end.")
    demonstration.reach("button[value=turn]")
    demonstration.press("Enter")
    demonstration.page.wait_for_selector("text=looks counted from the other end", state="detached")
    assert demonstration.complaints == []
