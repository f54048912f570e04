"""From a code to the card, and a lock tried out on a trial sheet, without a mouse."""

from __future__ import annotations

from browser.smith import Smith
from wryfalcon.accounts.models import User
from wryfalcon.bench.models import Tag
from wryfalcon.demonstration.other_ways import hang_other_ways
from wryfalcon.demonstration.series import bring_in_series

MOST_KEYS = 15


def test_a_code_becomes_a_card_in_few_keys_beyond_the_code(smith: Smith) -> None:
    bring_in_series(User.objects.get(username="orla"))
    smith.log_in()
    pressed = 0

    def keys(*wanted: str) -> None:
        nonlocal pressed
        pressed += len(wanted)
        smith.press(*wanted)

    def go_on() -> None:
        keys("g")
        smith.page.wait_for_load_state("networkidle")

    keys("/")
    smith.page.keyboard.type("q123")
    keys("Enter")
    smith.sees("Quay lockers Q, Harbour five")
    go_on()
    smith.sees("Show the bittings")
    go_on()
    smith.sees("From code Q123 of Quay lockers Q.")
    keys(*"Quay")
    smith.fill("#id_authority", "lease seen")  # what the law may ask for is not counted
    keys("Enter")
    smith.sees("By a code: Q123, Quay lockers Q.")
    go_on()
    smith.sees("Read it back before anything is cut")
    go_on()
    smith.is_at(f"/tags/{Tag.objects.latest('number').number}/set-up")
    go_on()
    smith.sees("Set-up card")
    assert pressed <= MOST_KEYS


def test_a_trial_sheet_is_worked_through_by_keys_until_the_lock_turns(smith: Smith) -> None:
    people = {person.username: person for person in User.objects.all()}
    hang_other_ways(people)
    tag = Tag.objects.get(title__startswith="Boot locker")
    smith.log_in()
    smith.go(f"/tags/{tag}/tries")
    smith.sees("Blank 1 as")
    for tried in (3, 4):
        smith.go_on()
        smith.page.wait_for_selector(f"main section ul li:nth-child({tried})")
    smith.press("z")
    smith.page.wait_for_selector("main section ul li:nth-child(4)", state="detached")
    smith.press_button("It turns")
    smith.sees("It turns. The bitting is")
    smith.go_on()
    smith.sees("Tried in the lock")
