"""Cuts marked and compared by eye, passes of one hand, sources that cannot be weighed together: said, kept, undone."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import Any

import pytest
from django.test import Client

from keycore.reading.evidence import Compared, Measured
from specimens import STAGE_DOOR_KEY
from web.jobs import People, hang, read
from web.test_bench import words
from wryfalcon.bench.models import Sighting, Source, Tag
from wryfalcon.bench.reading.actions import Typed, add_value, compare_cuts, mark_cut
from wryfalcon.bench.reading.presenters import influence_words
from wryfalcon.bench.reading.queries import TrackReading, readings_of
from wryfalcon.bench.reading.source_actions import (
    SourceSettings,
    add_source,
    describe_source,
    remove_source,
    switch_source,
    turn_source,
)
from wryfalcon.library.actions.families import import_family
from wryfalcon.refusal import NotDone

pytestmark = pytest.mark.django_db


@pytest.fixture
def tag(people: People) -> Tag:
    return hang(people)


def reading_of(tag: Tag) -> TrackReading:
    return readings_of(tag)[0]


def type_in(people: People, tag: Tag, values: Sequence[float], *, first: int = 1, source: Source | None = None) -> None:
    for space, value in enumerate(values, start=first):
        add_value(people["tam"], tag, Typed("A", space, f"{value:.4f}", tag.family.unit), source)


def test_a_nicked_cut_is_marked_with_one_press_and_counts_less(smith: Client, people: People, tag: Tag) -> None:
    read(people, tag)
    before = reading_of(tag).posterior
    source = Source.objects.get()
    page = smith.post(f"/tags/{tag}/read/mark", {"source": source.pk, "cut": "2", "mark": "nicked"}, follow=True)
    assert "nicked" in page.content.decode()
    reading = reading_of(tag)
    share = reading.sources[0].counts_for(2)
    assert share is not None
    assert share < 0.5
    assert f"counts {100 * share:.0f} in 100" in words(smith, f"/tags/{tag}/read", source=str(source.pk))
    assert before is not None
    assert reading.posterior is not None
    assert reading.posterior.marginals[1].max() < before.marginals[1].max()
    smith.post(f"/tags/{tag}/read/mark", {"source": source.pk, "cut": "2", "mark": "sound"})
    assert reading_of(tag).posterior == before or reading_of(tag).sources[0].marks == {}
    smith.post(f"/tags/{tag}/read/withdraw", {"source": source.pk})  # the last look is taken back: nicked again
    assert reading_of(tag).sources[0].marks == {2: "nicked"}


def test_a_mark_before_anything_is_measured_begins_the_calipers(smith: Client, tag: Tag) -> None:
    smith.post(f"/tags/{tag}/read/mark", {"track": "A", "cut": "4", "mark": "burred"})
    assert Source.objects.get().kind == "calipers"
    assert reading_of(tag).posterior is None  # a mark alone says nothing of a depth
    smith.post(f"/tags/{tag}/read/mark", {"track": "A", "cut": "3", "mark": "dirty"})
    smith.post(f"/tags/{tag}/read/value", {"track": "A", "cut": "3", "typed": "0.2947", "known": "0"})
    assert reading_of(tag).sources[0].marks == {3: "dirty", 4: "burred"}  # the first value is read through the dirt


def test_a_mark_is_no_value_that_a_second_look_is_asked_of(smith: Client, tag: Tag) -> None:
    smith.post(f"/tags/{tag}/read/mark", {"track": "A", "cut": "1", "mark": "nicked"})
    page = smith.post(f"/tags/{tag}/read/value", {"track": "A", "cut": "1", "typed": "0.278", "known": "0"})
    assert page.status_code == 302


def test_odd_marks_are_refused_and_nothing_is_kept(smith: Client, people: People, tag: Tag) -> None:
    read(people, tag)
    source = Source.objects.get()
    for mark, cut in (("bent", "1"), ("nicked", "9"), ("", "1")):
        smith.post(f"/tags/{tag}/read/mark", {"source": source.pk, "cut": cut, "mark": mark})
    assert not Sighting.objects.exclude(mark="").exists()
    with pytest.raises(NotDone, match="is not read like that"):
        mark_cut(people["tam"], tag, add_source(people["tam"], tag, "A", "grid"), 1, "nicked")


def test_a_page_of_a_removed_source_or_another_tag_reaches_no_other_source(
    smith: Client, people: People, tag: Tag
) -> None:
    read(people, tag)
    kept = list(Sighting.objects.filter(withdrawn=False).values_list("pk", flat=True))
    gone = add_source(people["tam"], tag, "A", "calipers", "old copy")
    remove_source(people["tam"], tag, gone)
    theirs = add_source(people["tam"], hang(people), "A", "calipers")
    for source in (gone.pk, theirs.pk, 9_999):
        said = {"source": source, "track": "A", "cut": "2", "typed": "0.25", "known": "1", "mark": "nicked"}
        for post in ("mark", "value", "withdraw"):
            page = smith.post(f"/tags/{tag}/read/{post}", said, follow=True)
            assert "look at the page again" in page.content.decode()
    assert list(Sighting.objects.filter(withdrawn=False).values_list("pk", flat=True)) == kept


def test_what_was_read_through_dirt_is_put_away_when_the_cut_is_measured_again(people: People, tag: Tag) -> None:
    type_in(people, tag, [*STAGE_DOOR_KEY[:2], STAGE_DOOR_KEY[2] + 0.009, *STAGE_DOOR_KEY[3:]])
    source = Source.objects.get()
    mark_cut(people["tam"], tag, source, 3, "dirty")
    assert reading_of(tag).sources[0].marks == {3: "dirty"}
    type_in(people, tag, [STAGE_DOOR_KEY[2]], first=3)
    kept = reading_of(tag).sources[0]
    assert [sighting.value for sighting in kept.values[3]] == [STAGE_DOOR_KEY[2]]
    assert kept.marks == {}
    assert Sighting.objects.filter(space=3, withdrawn=True).count() == 2  # and stays in the record


def test_a_cut_that_reads_shallow_beside_its_fellows_is_to_be_cleaned(smith: Client, people: People, tag: Tag) -> None:
    values = list(STAGE_DOOR_KEY)
    values[3] += 0.0085
    type_in(people, tag, values)
    assert "Cut 4 reads shallow beside its fellows: clean it and measure again." in words(smith, f"/tags/{tag}/read")
    mark_cut(people["tam"], tag, Source.objects.get(), 4, "dirty")
    assert "beside its fellows" not in words(smith, f"/tags/{tag}/read")


def compared(people: People, tag: Tag, *pairs: tuple[int, int, str]) -> Source:
    source = add_source(people["tam"], tag, "A", "compared")
    for first, beside, looks in pairs:
        compare_cuts(people["tam"], tag, source, (first, beside), looks)
    return source


def test_cuts_are_compared_by_two_taps_and_a_third(smith: Client, people: People, tag: Tag) -> None:
    source = compared(people, tag)
    to = f"/tags/{tag}/read/{source.pk}/compare"
    page = smith.post(to, {"first": "1", "beside": "2", "compared": "shallower"}, follow=True).content.decode()
    assert "cut 1 is shallower than cut 2" in page  # the tie between the lanes
    smith.post(to, {"first": "2", "beside": "1", "compared": "level"})  # looked at again: the last look stands
    (pair,) = reading_of(tag).sources[0].pairs
    assert (pair.space, pair.beside, pair.compared) == (2, 1, "level")
    for wrong in ({"first": "1", "beside": "1"}, {"first": "1", "beside": "9"}, {"compared": "equal"}, {"first": "x"}):
        smith.post(to, {"first": "1", "beside": "3", "compared": "deeper", **wrong})
    assert len(reading_of(tag).sources[0].pairs) == 1
    assert reading_of(tag).unread == [3, 4, 5]


def test_a_comparison_takes_part_like_any_other_source(smith: Client, people: People, tag: Tag) -> None:
    """It turns, is switched off, is carried to another family of as many cuts, and is in the record."""
    read(people, tag)
    source = compared(people, tag, (1, 2, "shallower"), (3, 4, "shallower"), (5, 4, "shallower"))
    evidence = reading_of(tag).weighed[1].evidence
    assert isinstance(evidence, Compared)
    assert [(p.first, p.second) for p in evidence.pairs] == [(0, 1), (2, 3), (4, 3)]
    assert "without it the same" in influence_words(reading_of(tag))[1][1]
    turn_source(people["tam"], tag, source)
    assert reading_of(tag).sources[1].pairs[0].space == 5
    assert reading_of(tag).posterior is not None
    turn_source(people["tam"], tag, source)
    switch_source(people["tam"], tag, source)
    assert len(reading_of(tag).weighed) == 1
    kept = json.loads(smith.post(f"/tags/{tag}/record.json").content)["readings"]
    assert {"space": 1, "beside": 2, "looks": "shallower"} in kept[1]["values"]


def test_two_passes_of_one_hand_share_what_the_caliper_is_off_by(people: People, tag: Tag) -> None:
    read(people, tag)
    again = add_source(people["tam"], tag, "A", "calipers")
    type_in(people, tag, STAGE_DOOR_KEY, source=again)
    first, second = (source.evidence for source in reading_of(tag).weighed)
    assert isinstance(first, Measured)
    assert isinstance(second, Measured)
    assert first.shared == second.shared
    describe_source(people["tam"], tag, again, SourceSettings(name="old copy"))  # another key has wear of its own
    first, second = (source.evidence for source in reading_of(tag).weighed)
    assert first.shared != second.shared  # type: ignore[union-attr]


def ten_deep(spaces: int) -> dict[str, Any]:
    """A family of ten depths and no rule, too large to be weighed bitting by bitting."""
    depths = [{"label": str(k), "value": round(0.33 - 0.015 * k, 4)} for k in range(10)]
    track = {"name": "A", "spaces": [round(0.2 + 0.1 * i, 3) for i in range(spaces)], "depths": depths}
    return {
        "format": "wry-falcon.family/1", "id": "ten-deep", "name": "Ten deep", "kind": "edge", "unit": "in",
        "gauge": "shoulder", "numbered_from": "bow", "tracks": [track],
    }  # fmt: skip


def test_a_key_read_from_the_wrong_end_is_said_even_where_both_cannot_be_weighed_together(
    smith: Client, people: People
) -> None:
    record = import_family(people["orla"], json.dumps(ten_deep(10)).encode())
    tag = hang(people, family=record)
    values = [0.33 - 0.015 * step - 0.004 for step in (3, 8, 1, 6, 0, 9, 4, 7, 2, 5)]
    type_in(people, tag, values)
    copy = add_source(people["tam"], tag, "A", "calipers", "old copy")
    type_in(people, tag, values[::-1], source=copy)
    reading = reading_of(tag)
    assert reading.posterior is None
    assert reading.unsettled is not None
    assert [source.record.pk for source, _ in reading.turned_round] == [s.record.pk for s in reading.weighed]
    said = words(smith, f"/tags/{tag}/read")
    assert "was counted from the other end" in said
    assert "cannot be weighed together" in said
    for page in ("settle", "tries", "set-up", "codes", "read"):
        assert smith.get(f"/tags/{tag}/{page}").status_code in (200, 302)
    smith.post(f"/tags/{tag}/read/{copy.pk}/change", {"do": "turn", "back": "read"})
    assert reading_of(tag).labels == list("3816094725")
