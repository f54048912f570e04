"""Five cuts in a door, nine on the key: a tool for two tracks, a lock of fewer cuts, the rest from all there is."""

from __future__ import annotations

import pytest
from django.test import Client

from conftest import BenchMachine
from web.jobs import People, asked, carded, finish, hang, on_the_line, pass_time, sent
from web.test_bench import words
from wryfalcon.bench.models import OnBench, Piece, PieceState, Source, SourceKind, Tag
from wryfalcon.bench.reading.actions import state_labels
from wryfalcon.bench.reading.queries import readings_of
from wryfalcon.bench.reading.source_actions import SourceSettings, add_source, describe_source
from wryfalcon.bench.tags.actions import Baseline
from wryfalcon.bench.trying.queries import SheetLeft
from wryfalcon.codes.models import Series
from wryfalcon.demonstration.faces import SLIPWAY
from wryfalcon.demonstration.making import family_record, type_values
from wryfalcon.demonstration.series import bring_in_series
from wryfalcon.refusal import NotDone

pytestmark = pytest.mark.django_db

DOOR = range(4, 9)


@pytest.fixture
def launch(people: People) -> Tag:
    lock = Baseline("locker door", "", "", "")
    return hang(people, family=family_record("slipway-nine"), on_bench=OnBench.LOCK, locks=[lock])


@pytest.fixture
def door(people: People, launch: Tag) -> Source:
    return add_source(people["tam"], launch, "A", SourceKind.GRID)


def test_the_tool_goes_down_the_odd_cuts_and_up_the_even_ones_of_that_lock_then_is_turned_back(
    smith: Client, people: People, launch: Tag, door: Source
) -> None:
    assert door.of_lock == "locker door"
    assert door.odd_first
    columns = smith.get(f"/tags/{launch}/read").context["columns"]
    assert [column.number for column in columns] == [5, 7, 4, 6, 8]
    said = words(smith, f"/tags/{launch}/read")
    assert "Track A, down: 5, 7" in said
    assert "Track A, up: 4, 6, 8" in said
    assert "Turn it back before you pull it out." in said
    smith.post(f"/tags/{launch}/read/{door.pk}/grid", {"tap": "1:2"})  # the door has no first cut
    assert not door.sightings.exists()
    assert "has no cut 1" in words(smith, f"/tags/{launch}/read")


def test_every_track_has_its_steps_and_the_last_is_always_left_to_the_hand(smith: Client, people: People) -> None:
    tag = hang(
        people, family=family_record("lamphouse-six"), on_bench=OnBench.LOCK, locks=[Baseline("door", "", "", "")]
    )
    grid = add_source(people["tam"], tag, "A", SourceKind.GRID)
    state_labels(people["tam"], tag, grid, {space: ["1"] for space in (3, 5)})
    page = smith.get(f"/tags/{tag}/read", {"source": grid.pk}).content.decode()
    assert page.count("data-done") == 1
    assert "Track B, down: 3, 5" in page
    assert "Track S, down: 1, 3" not in page  # the door has none of its side track
    describe_source(people["tam"], tag, grid, SourceSettings(odd_first=False))
    assert "Turn it back" not in smith.get(f"/tags/{tag}/read", {"source": grid.pk}).content.decode()


def test_a_lock_that_lacks_a_cut_that_was_read_is_not_taken(people: People, launch: Tag, door: Source) -> None:
    state_labels(people["tam"], launch, door, {3: ["1"]})
    describe_source(people["tam"], launch, door, SourceSettings(of_lock="console"))
    state_labels(people["tam"], launch, door, {1: ["1"]})
    with pytest.raises(NotDone, match="Cut 1 was read in it"):
        describe_source(people["tam"], launch, door, SourceSettings(of_lock="locker door"))
    with pytest.raises(NotDone, match="knows no such lock"):
        describe_source(people["tam"], launch, door, SourceSettings(of_lock="cellar"))


def test_pairs_seen_in_a_door_are_said_of_its_cuts_alone(smith: Client, people: People, launch: Tag) -> None:
    dial = add_source(people["tam"], launch, "A", SourceKind.TURNED)
    smith.post(
        f"/tags/{launch}/read/{dial.pk}/labels",
        {"labels": "calm>ahead swell>ahead swell>astern swell>ahead calm>astern"},
    )
    assert [(s.space, s.labels) for s in dial.sightings.order_by("space") if s.labels] == [
        (4, ["1"]), (5, ["3"]), (6, ["4"]), (7, ["3"]), (8, ["2"]),
    ]  # fmt: skip


def test_door_old_key_and_codes_together_leave_few_and_the_fewest_blanks_try_them(
    smith: Client, people: People, launch: Tag, door: Source
) -> None:
    bring_in_series(people["orla"])
    smith_ = people["tam"]
    state_labels(smith_, launch, door, {space: [SLIPWAY[space - 1]] for space in DOOR})
    track = launch.family.tracks[0]
    measured = [track.values[track.step(label)] - 0.02 for label in SLIPWAY[:3]]
    type_values(smith_, launch, "A", [*measured, *[None] * 6])
    (reading,) = readings_of(launch)
    assert reading.posterior is not None
    assert list(reading.labels[:8]) == list(SLIPWAY[:8])  # of both sources together
    assert reading.unread == [9]
    page = words(smith, f"/tags/{launch}/codes")
    assert "Slipway consoles S" in page
    assert "over 99 in 100" in page  # one code alone is left
    tries = words(smith, f"/tags/{launch}/tries")
    assert "The key is then 1 3 2 1 3 5 3 4" in tries
    series = Series.objects.get(slug="slipway-slipway-nine")
    smith.post(f"/tags/{launch}/tries/manner", {"track": "A", "series": series.pk, "order": "within"})
    tries = words(smith, f"/tags/{launch}/tries")
    assert f"The key is then {' '.join(SLIPWAY)} , over 99 in 100" in tries


LAMPHOUSE = {"A": "123212", "B": "212321", "S": "xyx"}


@pytest.fixture
def lamphouse(people: People) -> Tag:
    """A door that lacks the first cut of both walls: every other is read, and the side track."""
    door = [Baseline("door", "", "", "")]
    tag = hang(people, family=family_record("lamphouse-six"), on_bench=OnBench.LOCK, locks=door)
    for name in "AB":
        grid = add_source(people["tam"], tag, name, SourceKind.GRID)
        state_labels(people["tam"], tag, grid, {n: [LAMPHOUSE[name][n - 1]] for n in range(2, 7)})
    side = add_source(people["tam"], tag, "S", SourceKind.PARTS)
    state_labels(people["tam"], tag, side, {n: [LAMPHOUSE["S"][n - 1]] for n in range(1, 4)})
    return tag


def listed(smith: Client, tag: Tag) -> SheetLeft:
    found: SheetLeft = smith.get(f"/tags/{tag}/tries", {"track": ""}).context["left"]
    return found


def note(smith: Client, tag: Tag, outcome: str) -> str:
    trial = listed(smith, tag).next
    assert trial is not None
    smith.post(f"/tags/{tag}/tries/tried", {"track": "", "key": trial.form_value, "outcome": outcome})
    return " ".join(trial.labels)


def test_a_key_of_several_tracks_is_tried_whole_and_is_a_piece(smith: Client, people: People, lamphouse: Tag) -> None:
    page = words(smith, f"/tags/{lamphouse}/tries", track="A")
    assert "All tracks together" in page
    left = listed(smith, lamphouse)
    assert left.next is not None
    assert any(name.startswith("B ") for name, _ in left.next.cuts)
    note(smith, lamphouse, "no-turn")
    first = Piece.objects.get(tag=lamphouse)
    assert set(first.bitting or {}) == {"A", "B", "S"}
    assert (listed(smith, lamphouse).of_all or 0) == (left.of_all or 0) - 1
    note(smith, lamphouse, "turns")
    assert Source.objects.filter(tag=lamphouse, kind=SourceKind.TRIED, removed=False).count() == 3
    assert "It turns." in words(smith, f"/tags/{lamphouse}/tries", track="")
    smith.post(f"/tags/{lamphouse}/tries/take-back", {"track": ""})
    assert not Source.objects.filter(tag=lamphouse, kind=SourceKind.TRIED, removed=False).exists()
    assert Piece.objects.filter(tag=lamphouse, state=PieceState.ABANDONED).count() == 1


def test_what_a_track_s_own_sheet_learned_counts_for_all(smith: Client, lamphouse: Tag) -> None:
    before = listed(smith, lamphouse).of_all or 0
    learned = {"track": "A", "space": 1, "is": "is-not", "label": "3"}
    smith.post(f"/tags/{lamphouse}/tries/learned", learned)
    assert 0 < (listed(smith, lamphouse).of_all or 0) < before
    answer = smith.post(f"/tags/{lamphouse}/tries/learned", {**learned, "track": ""}, follow=True)
    assert "on the sheet of its own track" in answer.content.decode()
    answer = smith.post(
        f"/tags/{lamphouse}/tries/manner", {"track": "", "order": "within", "half_steps": "1"}, follow=True
    )
    assert "chosen on the sheet of each track" in answer.content.decode()


def test_a_try_of_all_tracks_is_cut_by_a_machine_and_its_outcome_noted(
    smith: Client, people: People, lamphouse: Tag, bench_machine: BenchMachine
) -> None:
    gannet = on_the_line(bench_machine)
    trial = listed(smith, lamphouse).next
    assert trial is not None
    a, b, side = (" ".join(part) for part in (trial.labels[:6], trial.labels[6:12], trial.labels[12:]))
    assert f"The key is then A {a}, B {b}, S {side}" in words(smith, f"/tags/{lamphouse}/tries", track="")
    alone = smith.post(f"/tags/{lamphouse}/tries/send", {"track": "A", "key": trial.form_value}, follow=True)
    assert "on the sheet of all tracks" in alone.content.decode()
    smith.post(f"/tags/{lamphouse}/tries/send", {"track": "", "key": trial.form_value})
    tag = Tag.objects.get(pk=lamphouse.pk)
    carded(people, tag, gannet)
    tag = Tag.objects.get(pk=lamphouse.pk)
    piece = pass_time(asked(people, tag, sent(people, tag), "clamp", "start"), 60)
    piece = pass_time(asked(people, tag, piece, "clamp", "start"), 60)
    finish(asked(people, tag, piece, "clamp", "start"))
    page = words(smith, f"/tags/{lamphouse}/tries", track="")
    assert "Try it: A" in page
    assert "?track=" in smith.get(f"/tags/{lamphouse}/cut").content.decode()
    smith.post(f"/tags/{lamphouse}/tries/out", {"track": "", "outcome": "no-turn"})
    assert all(key != trial.places for key in [each.places for each in listed(smith, lamphouse).trials])


def test_a_sheet_of_all_tracks_names_those_that_nothing_is_read_of(smith: Client, people: People) -> None:
    tag = hang(people, family=family_record("lamphouse-six"), on_bench=OnBench.LOCK)
    grid = add_source(people["tam"], tag, "A", SourceKind.GRID)
    state_labels(people["tam"], tag, grid, {2: ["1"]})
    assert "Nothing is read yet of B and S: find out more" in words(smith, f"/tags/{tag}/tries", track="")
