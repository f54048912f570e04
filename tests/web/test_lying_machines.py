"""Nothing that a machine says is believed because it said so: it is named on the page and kept."""

from __future__ import annotations

import json
from collections.abc import Iterator
from datetime import timedelta
from typing import Any

import pytest
from django.db import IntegrityError
from django.test import Client
from django.utils import timezone

from faulty_line import Liar, Listening, Twist
from web.jobs import People, by, carded, followed, hang, settled
from wryfalcon.bench.cutting.actions import cut_key, end_piece, send_again, take_as_made
from wryfalcon.bench.following import follow_once
from wryfalcon.bench.models import Piece, PieceState
from wryfalcon.library.models import Blank
from wryfalcon.machines.drivers.registry import client_name
from wryfalcon.machines.line.following import note_failed_turn
from wryfalcon.machines.line.queries import line_of
from wryfalcon.machines.models import DriverKind, LineEvent, Machine, Misreport
from wryfalcon.refusal import NotDone

pytestmark = pytest.mark.django_db


@pytest.fixture
def liar() -> Iterator[Liar]:
    machine = Liar()
    yield machine
    machine.stop()


@pytest.fixture
def gannet(people: People, liar: Liar) -> Machine:
    machine = Machine.objects.get(driver=DriverKind.BENCH)
    machine.port = liar.port
    machine.save()
    return machine


@pytest.fixture
def piece(people: People, gannet: Machine, liar: Liar) -> Piece:
    """A key that its machine has taken in and begun to cut, as it says."""
    tag = hang(people)
    settled(people, tag)
    carded(people, tag, gannet)
    made = cut_key(by(people), tag)
    for kind in ("loaded", "clamped", "started"):
        liar.tell(kind, made.job)
    has(liar, made, "cutting")
    return followed(made)


def has(liar: Liar, piece: Piece, state: str, cut: int = 0) -> None:
    liar.status |= {"state": state, "job": piece.job, "client": client_name(), "cut": cut, "of": len(piece.cuts)}


def said(machine: Machine) -> list[str]:
    return list(Misreport.objects.filter(machine=machine).order_by("id").values_list("says", flat=True))


def set_in(answer: dict[str, Any], path: str, value: Any) -> dict[str, Any]:
    *way, last = path.split(".")
    at: Any = answer
    for step in way:
        at = at[step]
    at[last] = value
    return answer


def without(path: str) -> Twist:
    def twist(answer: dict[str, Any]) -> dict[str, Any]:
        *way, last = path.split(".")
        at: Any = answer
        for step in way:
            at = at[step]
        del at[last]
        return answer

    return twist


NONSENSE: dict[str, tuple[Twist, str]] = {
    "a list": (lambda a: [a], "the answer: "),
    "a number": (lambda a: 7, "the answer: "),
    "null": (lambda a: None, "the answer: "),
    "no JSON": (lambda a: b"{]", "the answer: "),
    "nothing at all": (lambda a: b"", "the answer: "),
    "deep nesting": (lambda a: b"[" * 100_000, "the answer: "),
    "another version": (lambda a: {**a, "v": 1}, "v: "),
    "another question's answer": (lambda a: {**a, "id": "elsewhere"}, "another question than it was asked"),
    "no status": (without("status"), "status: field required"),
    "no log": (without("status.log"), "status.log: field required"),
    "no state": (without("status.state"), "status.state: "),
    "a state there is not": (lambda a: set_in(a, "status.state", "dancing"), "status.state: "),
    "text for a number": (lambda a: set_in(a, "status.cut", "3"), "status.cut: "),
    "not a number": (lambda a: json.dumps(set_in(a, "status.share", float("nan"))).encode(), "status.share: "),
    "a share of two": (lambda a: set_in(a, "status.share", 2.0), "status.share: "),
    "minus three cuts": (lambda a: set_in(a, "status.cut", -3), "status.cut: "),
    "more cuts than there are": (lambda a: set_in(a, "status.cut", 9), "9 of 5 cuts are done"),
    "a time that is none": (lambda a: set_in(a, "time", "yesterday"), "time: "),
    "entries that are none": (lambda a: set_in(a, "result.events", {"n": 1}), "events: "),
    "a log that goes on and does not": (lambda a: set_in(a, "result.more", True), "goes on, and tells nothing"),
    "a log that ends elsewhere": (lambda a: set_in(a, "status.last", 99), "its log ends at 99"),
}


@pytest.mark.parametrize("what", NONSENSE)
def test_nonsense_is_named_on_the_page_kept_and_not_believed(
    smith: Client, piece: Piece, gannet: Machine, liar: Liar, what: str
) -> None:
    liar.twist, says = NONSENSE[what]
    assert followed(piece).state == "cutting"
    assert any(says in one for one in said(gannet)), said(gannet)
    page = smith.get(f"/tags/{piece.tag}/cut")
    assert page.status_code == 200
    assert "What the machine says cannot all be so" in page.content.decode()
    assert line_of(gannet).is_silent
    liar.twist = lambda answer: answer
    followed(piece)
    assert not line_of(gannet).is_silent
    smith.post(f"/machines/{gannet.pk}/misreports", {"back": f"/tags/{piece.tag}/cut"})
    assert "cannot all be so" not in smith.get(f"/tags/{piece.tag}/cut").content.decode()
    assert said(gannet)  # noted, and kept


@pytest.mark.parametrize(
    ("entry", "says"),
    [
        ({"n": 4, "at": "yesterday", "kind": "cut-done", "cut": 0}, "An entry of its log cannot be so: at"),
        ({"n": 4, "kind": "cut-done", "cut": "0"}, "An entry of its log cannot be so: cut"),
        ({"n": 4, "kind": ["cut-done"]}, "An entry of its log cannot be so: kind"),
        ({"n": 4, "kind": "cut-done", "cut": 3}, "It tells cut 4 of key 1 of tag 0401 after 0 of 5"),
        ({"n": 7, "kind": "cut-done", "cut": 0}, "It did not tell entries 4 to 6 of its log"),
    ],
)
def test_one_bad_entry_is_named_and_hides_no_other(
    piece: Piece, gannet: Machine, liar: Liar, entry: dict[str, Any], says: str
) -> None:
    liar.log.append({"at": liar.now(), "job": piece.job, **entry})
    liar.log.append({"n": entry["n"] + 1, "at": liar.now(), "job": piece.job, "kind": "held", "reason": "asked"})
    has(liar, piece, "held")
    assert followed(piece).state == "held"
    assert any(one.startswith(says) for one in said(gannet)), said(gannet)


def test_entries_told_twice_count_once(piece: Piece, gannet: Machine, liar: Liar) -> None:
    liar.tell("cut-done", piece.job, cut=0)
    liar.log.append(dict(liar.log[-1]))
    has(liar, piece, "cutting", 1)
    assert followed(piece).done == 1
    assert "It told entry 4 of its log twice" in said(gannet)
    assert LineEvent.objects.filter(job=piece.job, kind="cut-done").count() == 1


@pytest.mark.parametrize("cuts", [0, 3])
def test_a_key_finished_with_fewer_cuts_than_planned_is_looked_at(
    people: People, smith: Client, piece: Piece, gannet: Machine, liar: Liar, cuts: int
) -> None:
    for cut in range(cuts):
        liar.tell("cut-done", piece.job, cut=cut)
    liar.tell("finished", piece.job)
    has(liar, piece, "done", cuts)
    assert followed(piece).state == "unsure"
    assert f"It says that key 1 of tag 0401 is made, after {cuts} of 5 cuts" in said(gannet)
    page = smith.get(f"/tags/{piece.tag}/cut").content.decode()
    assert "count its cuts, then say what it is" in page
    if cuts:
        take_as_made(people["tam"], piece.tag, piece)
        assert Piece.objects.get(pk=piece.pk).state == PieceState.FINISHED
    else:
        end_piece(by(people), piece.tag, piece, blank_used=True, why="three cuts only")
        assert Piece.objects.get(pk=piece.pk).state == PieceState.SPOILT
    assert Blank.objects.get(code="DM-5").left == 62


def test_a_log_that_goes_back_is_named_and_what_it_told_before_stands(
    piece: Piece, gannet: Machine, liar: Liar
) -> None:
    liar.tell("cut-done", piece.job, cut=0)
    has(liar, piece, "cutting", 1)
    followed(piece)
    del liar.log[2:]
    liar.tell("held", piece.job)
    has(liar, piece, "held", 1)
    assert (followed(piece).state, piece.done) == ("held", 1)
    assert "Its log went to 4 and now ends at 3" in said(gannet)
    assert LineEvent.objects.filter(job=piece.job).count() == 4 + 3


@pytest.mark.parametrize(("found", "state"), [("tray", "finished"), ("aside", "aside"), ("unknown", "lost")])
def test_a_key_is_asked_after_when_the_log_is_another_one(
    piece: Piece, gannet: Machine, liar: Liar, found: str, state: str
) -> None:
    """What lies finished in the tray is recognised, and never cut again."""
    del liar.log[:]
    liar.tell("switched-on", then="idle")
    liar.status |= {"log": "second", "state": "unhomed", "job": None, "client": None, "cut": 0, "of": 0}
    liar.found = {"where": found, "cut": 5 if found == "tray" else 2, "of": 5}
    assert followed(piece).state == state
    assert piece.finished_at is None or state == "finished"
    assert "Its log is another one: it was exchanged, or has forgotten everything" in said(gannet)


def test_a_lost_key_that_lies_made_in_the_tray_is_recognised_when_it_is_sent_again(
    people: People, piece: Piece, liar: Liar
) -> None:
    liar.status |= {"state": "idle", "job": None, "client": None, "cut": 0, "of": 0}
    assert followed(piece).state == "lost"
    liar.found = {"where": "tray", "cut": 5, "of": 5}
    send_again(by(people), piece.tag, piece)
    assert followed(piece).state == "finished"
    with pytest.raises(NotDone, match="Key 1 is made: it is not sent again"):
        send_again(by(people), piece.tag, piece)


def test_a_tray_that_cannot_be_so_is_not_believed(piece: Piece, gannet: Machine, liar: Liar) -> None:
    liar.status |= {"state": "idle", "job": None, "client": None, "cut": 0, "of": 0}
    liar.found = {"where": "tray", "cut": 4, "of": 4}
    assert followed(piece).state == "unsure"
    assert "It has key 1 of tag 0401 made with 4 cuts, not 5" in said(gannet)


def test_a_key_in_the_clamp_beside_another_is_looked_at(piece: Piece, gannet: Machine, liar: Liar) -> None:
    liar.status |= {"state": "cutting", "job": "another", "client": client_name(), "cut": 1, "of": 3}
    liar.found = {"where": "clamp", "cut": 0, "of": 5}
    assert followed(piece).state == "unsure"
    assert "It says that it has key 1 of tag 0401, and another key" in said(gannet)


def test_a_key_that_was_thought_lost_and_is_in_the_clamp_goes_on(piece: Piece, gannet: Machine, liar: Liar) -> None:
    Piece.objects.filter(pk=piece.pk).update(state="lost")
    has(liar, piece, "held", 2)
    liar.found = {"where": "clamp", "cut": 2, "of": 5}
    assert (followed(piece).state, piece.done) == ("held", 2)


def test_status_and_log_that_disagree_are_named(piece: Piece, gannet: Machine, liar: Liar) -> None:
    has(liar, piece, "cutting", 2)
    followed(piece)
    has(liar, piece, "done", 0)
    followed(piece)
    assert said(gannet) == [
        "It says 2 of 5 cuts are done, its log 0 of 5",
        "It says that it is done, its log that the key is cutting",
    ]


def test_a_clock_that_is_wrong_is_named_and_its_times_put_right(piece: Piece, gannet: Machine, liar: Liar) -> None:
    liar.clock = 3 * 3600.0
    for cut in range(5):
        liar.tell("cut-done", piece.job, cut=cut)
    liar.tell("finished", piece.job)
    has(liar, piece, "done", 5)
    assert followed(piece).finished_at is not None
    assert abs(piece.finished_at - timezone.now()) < timedelta(seconds=30)  # type: ignore[operator]
    assert "Its clock is 3 h ahead of ours" in said(gannet)


def test_an_entry_dated_after_now_is_named(piece: Piece, gannet: Machine, liar: Liar) -> None:
    liar.tell("held", piece.job)
    liar.log[-1]["at"] = "2199-01-01T00:00:00+00:00"
    has(liar, piece, "held")
    assert followed(piece).state == "held"
    assert "It dates entry 4 of its log after now" in said(gannet)


def test_a_long_log_is_read_to_its_end_in_one_turn(piece: Piece, gannet: Machine, liar: Liar) -> None:
    for _ in range(600):
        liar.tell("lid-opened")
        liar.tell("lid-closed")
    liar.tell("held", piece.job)
    has(liar, piece, "held")
    assert followed(piece).state == "held"
    assert LineEvent.objects.filter(machine=gannet).count() == 1204


def test_a_key_given_up_that_is_cut_all_the_same_takes_its_blank_and_is_a_key_again(
    people: People, piece: Piece, liar: Liar
) -> None:
    before = Blank.objects.get(code="DM-5").left
    liar.tell("stopped", piece.job)
    has(liar, piece, "stopped")
    followed(piece)
    end_piece(by(people), piece.tag, piece, blank_used=False, why="not needed")
    assert Blank.objects.get(code="DM-5").left == before + 1
    liar.tell("started", piece.job)
    liar.tell("cut-done", piece.job, cut=0)
    has(liar, piece, "cutting", 1)
    again = cut_key(by(people), piece.tag)  # meanwhile its second begins
    assert (followed(piece).state, piece.done, piece.called) == ("cutting", 1, "key 1, second try")
    assert again.called == "key 1"
    assert Blank.objects.get(code="DM-5").left == before


def test_no_page_ever_speaks_to_a_machine(smith: Client, piece: Piece, liar: Liar) -> None:
    before = liar.connections
    for path in (
        "/",
        "/machines/",
        f"/machines/{piece.machine_id}",
        f"/tags/{piece.tag}/cut",
        f"/tags/{piece.tag}/prove",
    ):
        assert smith.get(path).status_code == 200
    for path in (f"/tags/{piece.tag}/cut/{piece.pk}", f"/machines/{piece.machine_id}/home"):
        smith.post(path, {"operation": "hold"})
    assert liar.connections == before


def test_a_machine_that_dribbles_is_given_one_limit_for_its_whole_answer(people: People, settings: Any) -> None:
    class Dribbler(Listening):
        def answer(self, line: bytes) -> bytes:
            return b"{" * 40

        def parts(self, answer: bytes) -> Iterator[bytes]:  # type: ignore[override]
            for place in range(len(answer)):
                yield answer[place : place + 1]
                done.wait(0.05)

    import threading

    done = threading.Event()
    settings.MACHINE_SECONDS_TO_ANSWER = 0.2
    dribbler = Dribbler()
    gannet = Machine.objects.get(driver=DriverKind.BENCH)
    Machine.objects.filter(pk=gannet.pk).update(port=dribbler.port)
    gannet.refresh_from_db()
    follow_once(gannet)
    done.set()
    assert line_of(gannet).problem == "no whole answer in time"
    dribbler.stop()


def another(name: str, log: list[dict[str, Any]]) -> Twist:
    """One answer as from a log of another name, its entries those of that log."""

    def twist(answer: dict[str, Any]) -> dict[str, Any]:
        last = log[-1]["n"] if log else 0
        return {
            **answer,
            "status": {**answer["status"], "log": name, "last": last},
            "result": {"events": log, "more": False},
        }

    return twist


@pytest.mark.parametrize("names", [["garbled"], ["garbled", "garbled", "third"], ["garbled", "garbled", "garbled"]])
def test_a_log_name_that_comes_back_goes_on_where_it_was(
    piece: Piece, gannet: Machine, liar: Liar, names: list[str]
) -> None:
    answers = [another(name, []) for name in names]
    liar.twist = lambda answer: answers.pop(0)(answer) if answers else answer
    for _ in range(3):
        follow_once(gannet)
    liar.tell("cut-done", piece.job, cut=0)
    has(liar, piece, "cutting", 1)
    assert followed(piece).done == 1
    told = LineEvent.objects.filter(machine=gannet).values_list("log", "number")
    assert list(told) == [("first", number) for number in (1, 2, 3, 4)]
    assert not line_of(gannet).is_silent


def test_another_machine_on_the_port_for_a_while_is_followed_by_its_own_name(
    piece: Piece, gannet: Machine, liar: Liar
) -> None:
    mine, theirs = liar.log, [{"n": 1, "at": liar.now(), "kind": "switched-on", "job": None}]
    for log, name in ((theirs, "theirs"), (mine, "first"), (theirs, "theirs"), (mine, "first")):
        liar.log, liar.status["log"] = log, name
        follow_once(gannet)
    rows = LineEvent.objects.filter(machine=gannet).order_by("pk").values_list("log", "number")
    assert list(rows) == [("first", 1), ("first", 2), ("first", 3), ("theirs", 1)]
    assert any("Its log is another one" in one for one in said(gannet))


def test_a_log_that_was_begun_again_and_comes_back_goes_on_under_its_newest_name(
    piece: Piece, gannet: Machine, liar: Liar
) -> None:
    whole = list(liar.log)
    liar.log = []
    liar.tell("switched-on")
    follow_once(gannet)  # shorter under the same name: first/1
    liar.log, liar.status["log"] = whole, "theirs"
    follow_once(gannet)
    liar.log, liar.status["log"] = [], "first"
    liar.tell("switched-on")
    liar.tell("homed")
    follow_once(gannet)
    rows = LineEvent.objects.filter(machine=gannet, log__startswith="first/").values_list("log", "number")
    assert list(rows) == [("first/1", 1), ("first/1", 2)]


def test_a_turn_that_fails_says_on_the_page_what_failed(smith: Client, piece: Piece, gannet: Machine) -> None:
    note_failed_turn(gannet, IntegrityError("UNIQUE constraint failed"))
    page = smith.get(f"/tags/{piece.tag}/cut").content.decode()
    assert "What it said could not be taken in: IntegrityError: UNIQUE constraint failed" in " ".join(page.split())
    assert "Nothing speaks to the machines" not in page
    assert line_of(gannet).words == "not taken in"
    follow_once(gannet)
    assert not line_of(gannet).problem
