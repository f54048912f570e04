"""What a press asks is stored, delivered once, and said; hold and stop overtake everything."""

from __future__ import annotations

import json
from collections.abc import Iterator
from datetime import timedelta
from pathlib import Path
from threading import Event, Thread
from typing import Any
from uuid import uuid4

import pytest
from django.test import Client
from django.utils import timezone

from conftest import BenchMachine
from faulty_line import LosingLine
from web.jobs import People, asked, by, carded, followed, hang, last_answer, on_the_line, panel, sent, settled
from wryfalcon.bench import follower
from wryfalcon.bench.cutting.actions import cut_key, end_piece, operate, send_again
from wryfalcon.bench.following import PieceListener, follow_once
from wryfalcon.bench.handing_over.actions import hand_over
from wryfalcon.bench.models import Piece, Tag, TagState
from wryfalcon.bench.tags.actions import decline
from wryfalcon.library.models import Blank
from wryfalcon.machines.line.following import follow, is_cutting
from wryfalcon.machines.line.orders import WAKE, Press
from wryfalcon.machines.line.queries import line_of
from wryfalcon.machines.models import Line, LineEvent, Machine, MachineWork, Order, OrderState
from wryfalcon.refusal import NotDone

pytestmark = pytest.mark.django_db


@pytest.fixture
def line(people: People, bench_machine: BenchMachine) -> Iterator[LosingLine]:
    losing = LosingLine(bench_machine.port)
    yield losing
    losing.stop()


@pytest.fixture
def gannet(line: LosingLine, bench_machine: BenchMachine) -> Machine:
    machine = on_the_line(bench_machine)
    machine.port = line.port
    machine.save()
    return machine


@pytest.fixture
def tag(people: People, gannet: Machine) -> Tag:
    hung = hang(people, quantity=2)
    settled(people, hung)
    carded(people, hung, gannet)
    return hung


def pass_at(bench_machine: BenchMachine, piece: Piece, seconds: float = 60) -> Piece:
    panel(bench_machine.port, do="pass", seconds=seconds)
    return followed(piece)


def words(client: Client, path: str) -> str:
    return " ".join(client.get(path).content.decode().split())


def test_a_form_sent_twice_is_one_press(smith: Client, people: People, tag: Tag) -> None:
    piece = sent(people, tag)
    press = str(uuid4())
    for _ in range(3):
        smith.post(f"/tags/{tag}/cut/{piece.pk}", {"operation": "clamp", "press": press})
    assert Order.objects.filter(command="clamp").count() == 1
    followed(piece)
    smith.post(f"/tags/{tag}/cut/{piece.pk}", {"operation": "clamp", "press": press})
    assert Order.objects.filter(command="clamp").count() == 1


def test_a_press_is_said_asked_acknowledged_or_refused(
    smith: Client, people: People, tag: Tag, bench_machine: BenchMachine
) -> None:
    piece = sent(people, tag)
    operate(by(people), tag, piece, "clamp")
    assert "“It is clamped”: not delivered yet." in words(smith, f"/tags/{tag}/cut")
    followed(piece)
    assert "“It is clamped”: acknowledged." in words(smith, f"/tags/{tag}/cut")
    panel(bench_machine.port, do="lid", open=True)
    operate(by(people), tag, followed(piece), "start")
    followed(piece)
    assert "The machine says: the lid is open." in words(smith, f"/tags/{tag}/cut")


def test_what_is_not_delivered_in_two_seconds_is_said_large_and_after_ten_it_is_never_delivered(
    smith: Client, people: People, tag: Tag, line: LosingLine
) -> None:
    piece = asked(people, tag, sent(people, tag), "clamp")
    Machine.objects.filter(pk=piece.machine_id).update(port=1)
    order = operate(by(people), tag, piece, "start")
    piece.refresh_from_db()
    follow_once(piece.machine)  # type: ignore[arg-type]
    Order.objects.filter(pk=order.pk).update(asked_at=timezone.now() - timedelta(seconds=3))
    page = words(smith, f"/tags/{tag}/cut")
    assert "<strong>Start has not reached the machine.</strong>" in page
    assert smith.get(f"/tags/{tag}/cut").context["order"].is_wrong
    Order.objects.filter(pk=order.pk).update(asked_at=timezone.now() - timedelta(seconds=11))
    Machine.objects.filter(pk=piece.machine_id).update(port=line.port)
    piece.refresh_from_db()
    assert followed(piece).state == "clamped"  # nobody stands there any more: it does not start by itself
    assert last_answer(piece) == "expired"
    assert "Start was not delivered in time" in words(smith, f"/tags/{tag}/cut")


def test_hold_and_stop_overtake_what_was_asked_before(people: People, tag: Tag) -> None:
    piece = asked(people, tag, sent(people, tag), "clamp")
    start = operate(by(people), tag, piece, "start")
    stop = operate(by(people), tag, piece, "stop")
    followed(piece)
    start.refresh_from_db()
    stop.refresh_from_db()
    assert (start.state, stop.state) == (OrderState.OVERTAKEN, OrderState.ACKNOWLEDGED)
    assert piece.state == "stopped"
    assert not LineEvent.objects.filter(job=piece.job, kind="started").exists()


def test_a_stop_works_whatever_the_tags_state(people: People, tag: Tag, bench_machine: BenchMachine) -> None:
    piece = asked(people, tag, sent(people, tag), "clamp", "start")
    Tag.objects.filter(pk=tag.pk).update(state=TagState.CLOSED)  # by whatever way
    tag.refresh_from_db()
    with pytest.raises(NotDone, match="is closed"):
        operate(by(people), tag, piece, "clamp")
    operate(by(people), tag, piece, "stop")
    assert followed(piece).state == "stopped"


def test_a_stop_is_tried_until_it_is_answered(people: People, tag: Tag, line: LosingLine) -> None:
    piece = asked(people, tag, sent(people, tag), "clamp", "start")
    Machine.objects.filter(pk=piece.machine_id).update(port=1)
    piece.refresh_from_db()
    stop = operate(by(people), tag, piece, "stop")
    Order.objects.filter(pk=stop.pk).update(asked_at=timezone.now() - timedelta(minutes=20))
    followed(piece)
    Machine.objects.filter(pk=piece.machine_id).update(port=line.port)
    piece.refresh_from_db()
    assert followed(piece).state == "stopped"


@pytest.mark.parametrize("lost", ["load", "clamp", "start", "hold", "resume", "stop", "events"])
def test_a_lost_answer_loses_nothing_and_does_nothing_twice(
    people: People, tag: Tag, line: LosingLine, bench_machine: BenchMachine, lost: str
) -> None:
    """The machine did it, the answer never came: the log tells, and the order said again is the same order."""
    before = Blank.objects.get(code="DM-5").left
    line.loses, line.times = lost, 2
    piece = cut_key(by(people), tag)
    for command in ("", "clamp", "start", "hold", "resume", "stop", "clamp", "start"):
        if command:
            operate(by(people), tag, piece, command)
        for _ in range(4):
            followed(piece)
    assert pass_at(bench_machine, piece).state == "finished"
    kinds = list(LineEvent.objects.filter(job=piece.job).values_list("kind", flat=True))
    assert [kind for kind in kinds if kind not in ("cut-done", "lain")] == [
        "loaded", "clamped", "started", "held", "resumed", "stopped", "clamped", "started", "finished",
    ]  # fmt: skip
    assert not Order.objects.filter(state__in=(OrderState.ASKED, OrderState.SENT)).exists()
    assert Blank.objects.get(code="DM-5").left == before - 1


def test_a_key_cut_at_the_machine_while_its_answer_was_lost_catches_up(
    people: People, tag: Tag, line: LosingLine, bench_machine: BenchMachine
) -> None:
    """The answer to load is lost for good; somebody else's hand goes on with it there."""
    line.loses, line.times = "load", 99
    piece = cut_key(by(people), tag)
    for _ in range(2):
        followed(piece)
    assert piece.state == "loaded"
    asked(people, tag, piece, "clamp", "start")
    assert pass_at(bench_machine, piece).state == "finished"
    assert Piece.objects.get(pk=piece.pk).blank_taken


def test_a_follower_that_died_between_sending_and_hearing_repeats_the_same_order(
    people: People, tag: Tag, bench_machine: BenchMachine
) -> None:
    piece = asked(people, tag, sent(people, tag), "clamp", "start")
    started = Order.objects.get(command="start")
    asked(people, tag, piece, "hold")
    Order.objects.filter(pk=started.pk).update(state=OrderState.SENT, data={})  # it died before it wrote the answer
    assert followed(piece).state == "held"  # and the machine does not start again
    started.refresh_from_db()
    assert started.state == OrderState.ACKNOWLEDGED


def test_a_press_on_a_page_that_did_not_show_the_stop_is_refused(
    smith: Client, people: People, tag: Tag, gannet: Machine
) -> None:
    piece = asked(people, tag, sent(people, tag), "clamp")
    shown = Line.objects.get(machine=gannet)
    asked(people, tag, piece, "stop", "clamp")
    stale = f"{shown.log}:{shown.last_event}"
    smith.post(f"/tags/{tag}/cut/{piece.pk}", {"operation": "start", "press": str(uuid4()), "seen": stale})
    assert followed(piece).state == "clamped"
    assert last_answer(piece) == "refused: something happened at it meanwhile: look at it again"


@pytest.mark.parametrize("seen", ["", ":", "x", "log:", "log:-1", "log:9999999999999999999999", "a" * 5000 + ":3"])
def test_odd_fields_of_a_press_are_passed_over(smith: Client, people: People, tag: Tag, seen: str) -> None:
    piece = sent(people, tag)
    for press in ("", "not-an-id", "0" * 36, "\x00"):
        smith.post(f"/tags/{tag}/cut/{piece.pk}", {"operation": "hold", "press": press, "seen": seen})
    followed(piece)
    assert set(Order.objects.filter(command="hold").values_list("state", flat=True)) == {"acknowledged"}


@pytest.mark.parametrize("state", ["loaded", "cutting", "lost"])
def test_a_tag_with_a_key_at_a_machine_is_not_closed(people: People, tag: Tag, state: str) -> None:
    piece = sent(people, tag)
    Piece.objects.filter(pk=piece.pk).update(state=state)
    for close in (lambda: hand_over(people["tam"], tag, "all of them"), lambda: decline(people["tam"], tag, "no")):
        with pytest.raises(NotDone, match="finish it or end it under Cut"):
            close()
    Piece.objects.filter(pk=piece.pk).update(state="loaded")
    piece.refresh_from_db()
    end_piece(by(people), tag, piece, blank_used=False, why="not wanted any more")
    hand_over(people["tam"], tag, "none wanted")
    assert Tag.objects.get(pk=tag.pk).state == TagState.CLOSED
    assert followed(piece).state == "abandoned"
    assert LineEvent.objects.filter(job=piece.job, kind="stopped").exists()  # the machine lets go of it


def test_a_key_is_sent_again_by_one_tab_only(people: People, tag: Tag) -> None:
    piece = sent(people, tag)
    Piece.objects.filter(pk=piece.pk).update(state="lost")
    piece.refresh_from_db()
    tab = Piece.objects.get(pk=piece.pk)
    send_again(by(people), tag, piece)
    send_again(by(people), tag, tab)  # before the first is delivered: the same wish
    followed(piece)
    with pytest.raises(NotDone, match="it is not sent again"):
        send_again(by(people), tag, Piece.objects.get(pk=piece.pk))
    assert Piece.objects.filter(tag=tag).count() == 1


def test_homing_is_noted_when_the_machine_says_so_with_its_time_and_who_asked(
    smith: Client, people: People, gannet: Machine
) -> None:
    MachineWork.objects.all().delete()
    smith.post(f"/machines/{gannet.pk}/home")
    assert not MachineWork.objects.exists()
    follow_once(gannet)
    work = MachineWork.objects.get(what="homed")
    assert work.by == people["tam"]
    assert work.at == LineEvent.objects.filter(kind="homed").latest("pk").at


def test_an_unfollowed_machine_is_said_to_be_so(smith: Client, people: People, tag: Tag, gannet: Machine) -> None:
    Line.objects.update(asked_at=timezone.now() - timedelta(minutes=1))
    assert "Nothing speaks to the machines now" in words(smith, f"/tags/{tag}/cut")
    assert "not followed" in words(smith, "/")


@pytest.mark.parametrize(("state", "limit"), [("cutting", 8), ("idle", 34)])
def test_while_metal_is_cut_silence_is_said_sooner_than_of_a_machine_at_rest(
    people: People, tag: Tag, gannet: Machine, state: str, limit: int
) -> None:
    sent(people, tag)
    line = Line.objects.get(machine=gannet)
    for seconds, is_followed in ((limit - 1, True), (limit + 1, False)):
        heard = timezone.now() - timedelta(seconds=seconds)
        Line.objects.update(status={**line.status, "state": state}, heard_at=heard, asked_at=heard)
        assert line_of(gannet).is_followed is is_followed
    heard = timezone.now() - timedelta(seconds=5)
    Line.objects.update(heard_at=heard, asked_at=heard)
    assert line_of(gannet).is_silent is (state == "cutting")
    assert is_cutting(gannet) is (state == "cutting")


def test_what_is_asked_is_told_by_a_file_once_it_is_kept(
    people: People, tag: Tag, tmp_path: Path, settings: Any, django_capture_on_commit_callbacks: Any
) -> None:
    settings.VAR = tmp_path
    with django_capture_on_commit_callbacks() as told:
        cut_key(by(people), tag)
        assert not (tmp_path / WAKE).exists()
    for each in told:
        each()
    assert (tmp_path / WAKE).exists()


def test_a_follower_that_seldom_looks_is_woken_by_that_file(
    gannet: Machine, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    woken, stop = Event(), Event()
    monkeypatch.setattr(follower, "LOOKS_FOR_ORDERS", 60.0)
    monkeypatch.setattr(follower, "followed_machines", lambda: [gannet])
    asked: list[set[int]] = [set(), {gannet.pk}]
    monkeypatch.setattr(follower, "machines_asked", lambda: asked.pop(0) if len(asked) > 1 else asked[0])

    def follow_one(pk: int, stopped: Event, wake: Event) -> None:
        if wake.wait(10) and not stopped.is_set():
            woken.set()

    monkeypatch.setattr(follower, "_follow_one", follow_one)
    thread = Thread(target=follower.follow_until, args=(stop, tmp_path))
    thread.start()
    assert not woken.wait(0.5)
    (tmp_path / WAKE).touch()
    assert woken.wait(2)
    stop.set()
    thread.join(5)
    assert not thread.is_alive()


def test_a_plan_file_machine_takes_the_same_road(people: People, settings, tmp_path) -> None:  # type: ignore[no-untyped-def]
    settings.CUT_PLAN_FOLDER = tmp_path
    slip = Machine.objects.get(name="The Slip")
    tag = hang(people)
    settled(people, tag)
    carded(people, tag, slip)
    piece = asked(people, tag, sent(people, tag), "clamp", "start", "hold", "resume")
    log = tmp_path / f"machine-{slip.pk}.jsonl"
    with log.open("ab") as file:
        file.write(b'{"number": 99, "at": "20')  # the application died while it wrote
    again = Order.objects.get(command="start")
    Order.objects.filter(pk=again.pk).update(state=OrderState.SENT)
    asked(people, tag, piece, "finish")
    assert (piece.state, piece.done) == ("finished", 5)
    again.refresh_from_db()
    assert again.state == OrderState.ACKNOWLEDGED
    numbers = [json.loads(entry).get("number") for entry in log.read_text().splitlines()][1:]
    assert numbers == list(range(1, len(numbers) + 1))
    assert pass_over(people, tag, piece)


def pass_over(people: People, tag: Tag, piece: Piece) -> bool:
    """Its blank is taken once, by the start that its log tells."""
    taken = Piece.objects.get(pk=piece.pk)
    return taken.blank_taken and taken.began_at is not None


def test_two_keys_of_a_tag_are_made_one_after_another(people: People, tag: Tag, bench_machine: BenchMachine) -> None:
    first = asked(people, tag, sent(people, tag), "clamp", "start")
    pass_at(bench_machine, first)
    assert cut_key(Press(people["tam"]), tag).called == "key 2"


def test_a_stale_form_begins_no_further_key(
    smith: Client, people: People, tag: Tag, bench_machine: BenchMachine
) -> None:
    """The answer to a press was lost and it is sent again; another tab still offers the key that is made by now."""
    form = {"press": str(uuid4()), "expected": "1.1"}
    for _ in range(2):
        smith.post(f"/tags/{tag}/cut/next", form)
    piece = followed(Piece.objects.get(tag=tag))
    asked(people, tag, piece, "clamp", "start")
    pass_at(bench_machine, piece)
    for press in (form["press"], str(uuid4())):
        answer = smith.post(f"/tags/{tag}/cut/next", {"press": press, "expected": "1.1"}, follow=True)
        assert Piece.objects.filter(tag=tag).count() == 1
    assert "Another key is next by now: look again." in answer.content.decode()
    assert "Send key 2 of 2" in words(smith, f"/tags/{tag}/cut")


def test_a_page_never_shows_an_order_done_and_the_key_as_it_was_before(people: People, tag: Tag) -> None:
    piece = sent(people, tag)
    seen: list[tuple[str, str]] = []
    operate(by(people), tag, piece, "clamp")

    class Watching(PieceListener):
        def answered(self, order: Order) -> None:
            seen.append((order.state, Piece.objects.get(pk=piece.pk).state))

    assert piece.machine is not None
    follow(piece.machine, Watching())
    assert seen == [("acknowledged", "clamped")]


def test_what_is_done_on_a_stale_page_undoes_nothing_that_happened_since(
    people: People, tag: Tag, bench_machine: BenchMachine
) -> None:
    piece = asked(people, tag, sent(people, tag), "clamp", "start")
    page, closing = Piece.objects.get(pk=piece.pk), Tag.objects.get(pk=tag.pk)
    panel(bench_machine.port, do="pass", seconds=0.12)
    asked(people, tag, piece, "stop")
    end_piece(by(people), tag, page, blank_used=True, why="slipped")
    kept = Piece.objects.get(pk=piece.pk)
    assert (kept.state, kept.done, kept.blank_taken) == ("spoilt", 2, True)
    with pytest.raises(NotDone, match="Key 1 is spoilt already"):
        end_piece(by(people), tag, page, blank_used=False, why="and once more")
    with pytest.raises(NotDone, match="it is not sent again"):
        send_again(by(people), tag, page)
    hand_over(people["tam"], tag, "none wanted")
    with pytest.raises(NotDone, match="is closed"):
        cut_key(by(people), closing)


def test_an_order_is_open_until_the_log_was_read_after_it(
    smith: Client, people: People, tag: Tag, line: LosingLine, bench_machine: BenchMachine
) -> None:
    """The line breaks between the answer and the log: the page goes on looking, and the next turn tells."""
    asked_for_log: list[str] = []

    def second_time() -> str:
        asked_for_log.append("")
        return "request lost" if len(asked_for_log) == 3 else ""  # the log, the key, and the log again

    line.chance = second_time
    piece = followed(cut_key(by(people), tag))
    assert (piece.state, last_answer(piece)) == ("planned", "sent")
    assert 'hx-trigger="every 400ms"' in words(smith, f"/tags/{tag}/cut")
    assert followed(piece).state == "loaded"
    assert last_answer(piece) == "acknowledged"
    assert LineEvent.objects.filter(job=piece.job, kind="loaded").count() == 1


def test_an_order_that_was_sent_and_never_answered_says_that_it_may_have_been_done(
    smith: Client, people: People, tag: Tag, line: LosingLine
) -> None:
    piece = asked(people, tag, sent(people, tag), "clamp")
    line.loses, line.times = "start", 99
    line.chance = lambda: "answer lost" if Order.objects.filter(command="start").exists() else ""
    order = operate(by(people), tag, piece, "start")
    Order.objects.filter(pk=order.pk).update(state=OrderState.SENT, sent_at=timezone.now())
    Order.objects.filter(pk=order.pk).update(asked_at=timezone.now() - timedelta(seconds=11))
    followed(piece)
    assert "<strong>No answer came to: Start.</strong> It may have been done" in words(smith, f"/tags/{tag}/cut")
