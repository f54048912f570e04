"""A caliper on a cable: values faster than the page answers, answers late, lost, said twice, the page left midway."""

from __future__ import annotations

import time
from collections.abc import Callable
from random import Random
from typing import Any

import pytest
from playwright.sync_api import Page, Route, expect

from browser.smith import Smith
from web.jobs import hang
from wryfalcon.accounts.models import User
from wryfalcon.bench.models import Sighting, Tag
from wryfalcon.bench.reading.actions import add_values

VALUES = ["0.278", "0.2353", "0.2947", "0.2577", "0.3189"]
APART = 80  # ms


@pytest.fixture
def at_read(smith: Smith) -> tuple[Smith, Tag]:
    """The smith at an unread Harbour five key."""
    tag = hang({person.username: person for person in User.objects.all()})
    smith.log_in()
    smith.go(f"/tags/{tag}/read")
    smith.reach("#typed")
    return smith, tag


def send(page: Page, values: list[str], apart: int = APART) -> None:
    """As a caliper's cable sends them."""
    for value in values:
        page.keyboard.type(value)
        page.keyboard.press("Enter")
        page.wait_for_timeout(apart)


def kept(tag: Tag) -> list[tuple[int, str]]:
    found = Sighting.objects.filter(source__tag=tag, withdrawn=False).order_by("space", "pk")
    return [(s.space, s.typed) for s in found]


def settles(page: Page, tag: Tag, wanted: list[tuple[int, str]], seconds: float = 25) -> None:
    """Everything wanted is kept in time, and nothing else."""
    until = time.monotonic() + seconds
    while time.monotonic() < until and kept(tag) != wanted:
        page.wait_for_timeout(100)
    assert kept(tag) == wanted


def on_values(page: Page, act: Callable[[Route, int], None]) -> list[int]:
    """Do something else with each post of a value; returns the count, which grows."""
    count = [0]

    def handle(route: Route) -> None:
        count[0] += 1
        act(route, count[0])

    page.route("**/read/value", handle)
    return count


ALL = list(enumerate(VALUES, start=1))


def test_values_80_ms_apart_are_all_kept_each_at_its_cut(at_read: tuple[Smith, Tag]) -> None:
    smith, tag = at_read
    send(smith.page, VALUES)
    settles(smith.page, tag, ALL)
    expect(smith.page.locator("[data-queue] li")).to_have_count(0)
    smith.sees("Every cut has a value: choose one to measure it again")
    assert smith.page.evaluate("() => document.activeElement.id") == "typed"


def test_answers_up_to_two_seconds_late_lose_nothing(
    at_read: tuple[Smith, Tag], monkeypatch: pytest.MonkeyPatch
) -> None:
    smith, tag = at_read
    random = Random(5)

    def late(*given: Any) -> Any:
        done = add_values(*given)
        time.sleep(random.uniform(0, 2))
        return done

    monkeypatch.setattr("wryfalcon.bench.reading.views.add_values", late)
    send(smith.page, VALUES)
    assert smith.page.locator("[data-queue] li").count() > 0  # what is not acknowledged is shown
    settles(smith.page, tag, ALL)
    expect(smith.page.locator("[data-queue] li")).to_have_count(0, timeout=15000)


def test_a_request_and_an_answer_that_are_lost_are_said_again_and_kept_once(at_read: tuple[Smith, Tag]) -> None:
    smith, tag = at_read

    def lose(route: Route, number: int) -> None:
        if number == 2:
            route.abort()  # the request never arrives
        elif number == 4:
            route.fetch()  # it arrives, its answer does not
            route.abort()
        else:
            route.continue_()

    count = on_values(smith.page, lose)
    send(smith.page, VALUES)
    settles(smith.page, tag, ALL)
    assert count[0] == 7
    smith.complaints.clear()  # the browser says that two requests failed, as they did


def test_a_page_left_midway_goes_on_when_it_is_back(at_read: tuple[Smith, Tag]) -> None:
    smith, tag = at_read
    held: list[Route] = []
    on_values(smith.page, lambda route, number: route.continue_() if number == 1 else held.append(route))
    send(smith.page, VALUES)
    settles(smith.page, tag, ALL[:1])
    smith.page.unroute("**/read/value")
    smith.page.reload()
    settles(smith.page, tag, ALL)
    expect(smith.page.locator("[data-queue] li")).to_have_count(0)
    smith.complaints.clear()


def test_one_that_is_refused_stays_at_its_cut_and_the_others_go_on(at_read: tuple[Smith, Tag]) -> None:
    smith, tag = at_read
    send(smith.page, ["0.278", "nonsense", "0.2947"])
    settles(smith.page, tag, [(1, "0.278"), (3, "0.2947")])
    line = smith.page.locator("[data-queue] li[data-state=refused]")
    expect(line).to_contain_text("Cut 2: nonsense")
    expect(line).to_contain_text("is not a length")
    line.get_by_role("button", name="Type it again").click()
    smith.page.keyboard.press("Control+a")
    send(smith.page, ["0.2353"])
    settles(smith.page, tag, [(1, "0.278"), (2, "0.2353"), (3, "0.2947")])


def test_what_was_meant_in_millimetres_is_asked(at_read: tuple[Smith, Tag]) -> None:
    smith, tag = at_read
    send(smith.page, ["6.35", "2353"])
    smith.page.get_by_role("button", name="Yes, 6.35 mm").click()
    settles(smith.page, tag, [(1, "6.35mm"), (2, "2353")])
    assert round(Sighting.objects.get(space=1).value or 0, 4) == 0.25
    assert Sighting.objects.get(space=2).value == 0.2353


def test_a_value_more_than_there_are_cuts_is_no_silent_second_look(at_read: tuple[Smith, Tag]) -> None:
    smith, tag = at_read
    send(smith.page, [*VALUES, "0.3188"])
    settles(smith.page, tag, ALL)
    line = smith.page.locator("[data-queue] li[data-state=refused]")
    expect(line).to_contain_text("Every cut has a value already")
    smith.sees("Every cut has a value: choose one to measure it again")
    expect(smith.page.locator("input[name=source]").first).not_to_have_value("")  # the page has looked again
    smith.page.wait_for_timeout(1000)
    expect(line).to_contain_text("Every cut has a value already")  # of the source that the first value began
    smith.page.reload()
    line.get_by_role("button", name="Leave it out").click()
    expect(line).to_have_count(0)
    assert kept(tag) == ALL
    smith.complaints.clear()


def test_a_stale_tab_asks_before_a_second_look(at_read: tuple[Smith, Tag]) -> None:
    smith, tag = at_read
    other = smith.page.context.new_page()
    other.goto(f"{smith.url}/tags/{tag}/read")
    send(smith.page, ["0.278"])
    settles(smith.page, tag, ALL[:1])
    other.locator("#typed").focus()
    send(other, ["0.279"])
    expect(other.locator("[data-queue]")).to_contain_text("0.278 already: is 0.279 a second look?")
    assert kept(tag) == ALL[:1]
    other.get_by_role("button", name="Yes, a second look").click()
    settles(smith.page, tag, [(1, "0.278"), (1, "0.279")])


@pytest.mark.parametrize("apart", [" ", "\n", "\t", "\r\n"])
def test_all_values_are_pasted_at_once(at_read: tuple[Smith, Tag], apart: str) -> None:
    smith, tag = at_read
    smith.page.evaluate(
        """text => {
          const data = new DataTransfer(); data.setData('text', text);
          const event = new ClipboardEvent('paste', {clipboardData: data, bubbles: true, cancelable: true});
          if (document.activeElement.dispatchEvent(event)) document.activeElement.value = text;
        }""",
        apart.join(VALUES),
    )
    smith.press("Enter")
    settles(smith.page, tag, ALL)


def test_one_letter_alone_marks_the_cut_and_a_value_typed_on_is_a_value(at_read: tuple[Smith, Tag]) -> None:
    """One key press in its lane: nicked; what is typed next goes to the same cut."""
    smith, tag = at_read
    smith.page.keyboard.press("n")
    settles(smith.page, tag, [(1, "")])
    expect(smith.page.get_by_label("Values typed")).to_contain_text("nicked")
    send(smith.page, ["0.278"])
    settles(smith.page, tag, [(1, ""), (1, "0.278")])
    smith.sees("counts")


@pytest.mark.parametrize(("letter", "where"), [("l", "/library/"), ("m", "/machines/")])
def test_one_letter_alone_that_is_a_press_is_that_press_and_freezes_nothing(
    at_read: tuple[Smith, Tag], letter: str, where: str
) -> None:
    smith, tag = at_read
    send(smith.page, VALUES[:2])
    smith.page.keyboard.type(letter)
    smith.page.wait_for_url(f"**{where}")
    settles(smith.page, tag, [(1, VALUES[0]), (2, VALUES[1])])


def test_letters_can_be_switched_off_and_their_sheet_has_a_control(at_read: tuple[Smith, Tag]) -> None:
    smith, tag = at_read
    page = smith.page
    page.get_by_role("button", name="keys", exact=True).click()
    page.locator("#letters-on").uncheck()
    page.get_by_role("button", name="Close").click()
    page.locator("h1, h2").first.click()
    for letter in "lmrn?":
        page.keyboard.press(letter)
    page.wait_for_timeout(300)
    assert page.url.endswith(f"/tags/{tag}/read")
    page.reload()
    page.keyboard.press("Escape")
    page.locator("h1, h2").first.click()
    page.keyboard.press("l")
    page.wait_for_timeout(300)
    assert page.url.endswith(f"/tags/{tag}/read")


def test_a_new_tag_is_a_key_away_on_every_page(at_read: tuple[Smith, Tag]) -> None:
    smith, _ = at_read
    smith.go("/library/")
    smith.page.keyboard.press("n")
    smith.page.wait_for_url("**/tags/new")
