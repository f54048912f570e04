"""What goes wrong at the machine, seen and put right on the page."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, Page, Route, expect
from pytest_django.live_server_helper import LiveServer

from browser.smith import Smith
from conftest import BenchMachine
from web.jobs import carded, hang, settled
from wryfalcon.accounts.models import User
from wryfalcon.bench.models import Piece, Tag
from wryfalcon.demonstration.making import family_record
from wryfalcon.demonstration.shop import PASSWORD
from wryfalcon.machines.drivers.bench import BenchDriver
from wryfalcon.machines.fittings.actions import fit_cutter
from wryfalcon.machines.models import Cutter, Machine, Order

BOTH_EDGES = {"A": ["2", "3", "1", "2", "4", "3", "2", "1"]}


@pytest.fixture
def bench_machine() -> Iterator[BenchMachine]:
    """Slow enough for a hand to reach it in the middle of a side."""
    machine = BenchMachine(seconds_per_cut=0.5, clock="wall")
    yield machine
    machine.stop()


@pytest.fixture
def line(bench_machine: BenchMachine) -> BenchDriver:
    return BenchDriver("127.0.0.1", bench_machine.port, 2)


@pytest.fixture
def tag(smith: Smith, line: BenchDriver) -> Tag:
    """A double-edge key, set up on a homed machine, the smith on its Cut page."""
    people = {person.username: person for person in User.objects.all()}
    hung = hang(people, family=family_record("lighthouse-eight"))
    settled(people, hung, BOTH_EDGES)
    carded(people, hung, Machine.objects.get(name="Old Gannet"))
    smith.log_in()
    smith.go(f"/tags/{hung}/cut")
    smith.sees("Home the machine")
    smith.go_on()
    smith.sees("Send key 1")
    smith.go_on()
    smith.sees("at the machine, to be clamped")
    return hung


def start(smith: Smith) -> None:
    smith.go_on()
    smith.sees("clamped, ready to start")
    smith.go_on()


def test_the_spindle_is_not_started_by_going_on_blindly(smith: Smith, tag: Tag) -> None:
    """A press just after the page changed does nothing, nor does a key held down; a second one, read, starts it."""
    smith.page.keyboard.press("g")  # clamped
    start_button = smith.page.locator("#do-start")
    start_button.wait_for()
    for _ in range(3):
        smith.page.keyboard.press("g")
    expect(smith.page.locator("#told")).to_contain_text("read it, then press g again")
    smith.page.wait_for_timeout(400)
    piece = Piece.objects.get()
    assert not Order.objects.filter(job=piece.job, command="start").exists()
    smith.page.wait_for_timeout(1100)
    smith.page.evaluate(
        "() => document.body.dispatchEvent(new KeyboardEvent('keydown', {key: 'g', repeat: true, bubbles: true}))"
    )
    smith.page.wait_for_timeout(200)
    assert not Order.objects.filter(job=piece.job, command="start").exists()
    smith.page.keyboard.press("g")
    smith.sees("Hands clear of the wheel")
    assert Order.objects.filter(job=piece.job, command="start").count() == 1


def test_a_wheel_changed_in_another_window_is_said_and_the_card_checked_again(smith: Smith, tag: Tag) -> None:
    """The key waits at the machine; nothing is started by the stale page, and the checks are gone through again."""
    gannet, people = Machine.objects.get(name="Old Gannet"), {person.username: person for person in User.objects.all()}
    smith.go_on()
    smith.sees("clamped, ready to start")
    fit_cutter(people["tam"], gannet, Cutter.objects.get(name="W-80"))
    smith.go_on()
    smith.sees("Old Gannet has W-80 fitted now, not W-100 broad.")
    assert not Order.objects.filter(command="start").exists()
    smith.go_on()  # Go through its checks again
    smith.sees("Before the spindle starts")
    assert smith.page.locator("[name=tick]:checked").count() == 5
    smith.page.locator("[name=tick][value=cutter]").check()
    smith.go_on()
    smith.sees("clamped, ready to start")
    smith.go_on()
    smith.sees("Hands clear of the wheel")


def test_turning_the_key_over_is_a_step_of_its_own(smith: Smith, tag: Tag) -> None:
    start(smith)
    smith.sees("Turn it over as said here")
    smith.sees("8 of 16 cuts")
    start(smith)
    smith.sees("16 of 16 cuts")
    smith.sees("Deburr lightly")


def test_an_opened_lid_is_said_and_the_cut_goes_on_after_it_is_closed(
    smith: Smith, tag: Tag, line: BenchDriver
) -> None:
    start(smith)
    smith.sees("Hands clear of the wheel")
    line.panel(do="lid", open=True)
    smith.sees("The lid is open.")
    smith.sees("Held")
    smith.go_on()
    smith.sees("The machine says: the lid is open.")
    line.panel(do="lid", open=False)
    smith.go_on()
    smith.sees("Turn it over")


def test_a_stalled_cutter_says_hands_away_and_is_homed_before_it_goes_on(
    smith: Smith, tag: Tag, line: BenchDriver
) -> None:
    line.panel(do="inject", fault="stall")
    start(smith)
    smith.sees("The cutter is stalled. Spindle off, hands away")
    smith.go_on()
    smith.sees("Held. Close the lid")
    smith.go_on()
    smith.sees("Turn it over")


def test_hold_and_stop_leave_what_is_cut_and_the_run_can_be_taken_up(smith: Smith, tag: Tag, line: BenchDriver) -> None:
    line.panel(do="inject", fault="caliper_sd", value=0.001)
    start(smith)
    smith.sees("Hands clear of the wheel")
    smith.press_button("Stop")
    smith.sees("Stopped. What is cut stays cut")
    start(smith)
    smith.sees("Turn it over")


def test_a_lost_line_is_said_and_nothing_is_lost(smith: Smith, tag: Tag, bench_machine: BenchMachine) -> None:
    start(smith)
    smith.sees("Hands clear of the wheel")
    Machine.objects.filter(port=bench_machine.port).update(port=1)
    smith.sees("It goes on by itself; this page catches up")
    Machine.objects.filter(port=1).update(port=bench_machine.port)
    smith.sees("Turn it over")
    smith.sees("8 of 16 cuts")


def test_what_is_half_typed_stays_while_the_page_looks_again(smith: Smith, tag: Tag) -> None:
    smith.press_button("End key 1")
    smith.fill("#why", "slipped in")
    with smith.page.expect_response(lambda answer: answer.request.headers.get("x-poll") == "1"):
        pass
    with smith.page.expect_response(lambda answer: answer.request.headers.get("x-poll") == "1"):
        smith.page.keyboard.type(" the jaw")
    smith.sees("at the machine, to be clamped")
    assert smith.page.input_value("#why") == "slipped in the jaw"
    smith.press_button("Give it up, the blank is still good")
    smith.sees("given up before it was cut: slipped in the jaw")
    smith.sees("Send key 1")


def test_everything_plain_works_without_scripts(shop: LiveServer, browser: Browser) -> None:
    """No JavaScript at all: log in, take in, type, settle, read back."""
    context = browser.new_context(java_script_enabled=False)
    page = context.new_page()
    page.goto(f"{shop.url}/")
    page.fill("#id_username", "tam")
    page.fill("#id_password", PASSWORD)
    page.click("button:has-text('Log in')")
    page.goto(f"{shop.url}/tags/new")
    page.fill("#id_title", "Stage door")
    page.fill("#id_customer", "Saltmarsh Players")
    page.select_option("#id_family", label="Harbour five")
    page.click("text=Hang the tag")
    for value in ("0.2779", "0.2353", "oops", "0.2947", "0.2577", "0.3189"):
        page.fill("#typed", value)
        page.press("#typed", "Enter")
        if value == "oops":
            expect(page.locator("#typed-wrong")).to_contain_text("is not a length")
    _settle_without_scripts(page)
    context.close()


def _settle_without_scripts(page: Page) -> None:
    page.get_by_role("link", name="Settle", exact=True).last.click()
    page.check("input[name=intent][value=compensate]")
    page.fill("#deeper_by", "3 thou")
    page.get_by_text("Take single cuts deeper").click()
    page.fill("#deeper_space-1", "5")
    page.fill("#deeper_reason-1", "the tip catches")
    page.click("text=Settle on 3 5 2 4 1")
    expect(page.locator("#main")).to_contain_text("Compensate, all cuts 3.0 thou deeper")
    expect(page.locator("#main")).to_contain_text("Cut 5 taken 1 step deeper: the tip catches")
    page.click("text=Read back, it agrees")
    expect(page.locator("#main")).to_contain_text("On which machine")


def focused(page: Page) -> str:
    return str(page.evaluate("() => document.activeElement.id"))


def test_stop_is_in_hand_while_metal_is_cut_and_has_a_key_of_its_own(smith: Smith, tag: Tag) -> None:
    """After Start the hand is on Stop and stays there however often the page looks again; what changed is said once."""
    page = smith.page
    smith.go_on()
    smith.sees("clamped, ready to start")
    page.evaluate(
        """() => { const says = document.querySelector('#says'); window.heard = [];
           new MutationObserver(() => window.heard.push(says.textContent)).observe(says, {childList: true}) }"""
    )
    page.locator("#do-start").focus()
    page.keyboard.press("Enter")
    smith.sees("Hands clear of the wheel")
    page.wait_for_function("() => document.activeElement.matches('[data-stop]')")
    for _ in range(6):
        page.wait_for_timeout(400)
        assert page.evaluate("() => document.activeElement.matches('[data-stop]')"), focused(page)
    heard = page.evaluate("() => window.heard")
    assert len(heard) == len(set(heard)) <= 6, heard
    page.locator("body").click(position={"x": 5, "y": 5})
    page.keyboard.press("x")
    smith.sees("stopped")
    assert Order.objects.filter(command="stop").count() == 1


def test_a_page_that_looks_again_gets_nothing_where_nothing_changed(smith: Smith, tag: Tag) -> None:
    page, statuses = smith.page, list[int]()
    page.wait_for_timeout(1500)  # what was asked is answered
    page.on("response", lambda answer: statuses.append(answer.status) if answer.url.endswith("/cut") else None)
    page.evaluate("() => { document.querySelector('#stage').dataset.mine = 'still here' }")
    page.wait_for_timeout(7500)
    assert 204 in statuses, statuses
    page.evaluate("() => { document.querySelector('#stage').dataset.mine = 'still here' }")
    page.wait_for_timeout(3500)
    assert page.locator("#stage").get_attribute("data-mine") == "still here"


def test_a_press_shows_that_it_was_taken_and_is_taken_once(smith: Smith, tag: Tag) -> None:
    page, posts = smith.page, list[str]()

    def slowly(route: Route) -> None:
        if route.request.method == "POST":
            posts.append(route.request.url)
            page.wait_for_timeout(600)
        route.continue_()

    page.route("**/tags/new/copy", slowly)
    smith.go("/tags/new/copy")
    page.locator("#id_blank").select_option(index=1)
    page.locator("#id_title").fill("A shed")
    page.locator("#id_customer").fill("Saltmarsh Players")
    page.locator("#id_authority").fill("known")
    page.evaluate(
        """() => { const go = document.querySelector('[data-go]'); go.click();
           window.busy = go.getAttribute('aria-busy'); go.click(); }"""
    )
    page.wait_for_url("**/cut*")
    assert len(posts) == 1
    assert Tag.objects.filter(title="A shed").count() == 1
