"""Every way to a bitting on the pages: what is seen is kept, weighed, turned, switched and filled."""

from __future__ import annotations

import json
from collections.abc import Sequence

import numpy as np
import pytest
from django.test import Client

from specimens import STAGE_DOOR_KEY
from web.jobs import BITTING, People, hang, read
from web.test_bench import words
from wryfalcon.bench.models import OnBench, Sighting, Source, Tag
from wryfalcon.bench.reading.actions import (
    Typed,
    add_value,
    labels_typed,
    look_with_depth_key,
    see_stage,
    spoil_round,
    state_labels,
    withdraw,
)
from wryfalcon.bench.reading.presenters import influence_words
from wryfalcon.bench.reading.queries import TrackReading, readings_of
from wryfalcon.bench.reading.source_actions import (
    SourceSettings,
    add_source,
    describe_source,
    switch_source,
    turn_source,
)
from wryfalcon.demonstration.making import family_record, type_values
from wryfalcon.library.actions.families import import_family
from wryfalcon.library.models import FamilyRecord
from wryfalcon.machines.models import Cutter, Machine
from wryfalcon.refusal import NotDone

pytestmark = pytest.mark.django_db

TRUTH = BITTING["A"]


@pytest.fixture
def tag(people: People) -> Tag:
    return hang(people)


def reading_of(tag: Tag) -> TrackReading:
    return readings_of(tag)[0]


def begun(people: People, tag: Tag, kind: str, name: str = "") -> Source:
    return add_source(people["tam"], tag, "A", kind, name)


def look_at_all(people: People, tag: Tag, source: Source, truth: Sequence[str], depths: str = "12345") -> None:
    for depth in depths:
        flush = {space: "flush" for space, label in enumerate(truth, start=1) if label == depth}
        look_with_depth_key(people["tam"], tag, source, depth, flush)


def test_depth_keys_settle_a_lock_with_no_key_and_say_when_to_stop(smith: Client, people: People) -> None:
    tag = hang(people, on_bench=OnBench.LOCK)
    assert "How is it read?" in words(smith, f"/tags/{tag}/read")
    assert smith.post(f"/tags/{tag}/read/sources", {"track": "A", "kind": "depth-keys"}).status_code == 302
    source = Source.objects.get()
    assert "Depth key" in words(smith, f"/tags/{tag}/read")
    for depth in "2143":
        flush = [str(space) for space, label in enumerate(TRUTH, start=1) if label == depth]
        smith.post(f"/tags/{tag}/read/{source.pk}/look", {"depth": depth, "flush": flush})
    assert reading_of(tag).labels[1] in ("5", "6")  # what was flush with no other key
    five = [str(TRUTH.index("5") + 1)]
    page = smith.post(f"/tags/{tag}/read/{source.pk}/look", {"depth": "5", "flush": five}, follow=True)
    assert "you can stop here" not in page.content.decode()  # four looks at 97 in 100 are not over 99 together
    smith.post(f"/tags/{tag}/read/{source.pk}/look", {"depth": "6"})
    assert reading_of(tag).labels == TRUTH


def test_a_depth_key_that_can_tell_nothing_is_named_before_the_next_is_picked_up(
    smith: Client, people: People, tag: Tag
) -> None:
    """In the order of the ring; what the lock lacks does not count, and a round done again comes first."""
    source = begun(people, tag, "depth-keys")
    assert "Depth key 1" in words(smith, f"/tags/{tag}/read", source=str(source.pk))
    parts = begun(people, tag, "parts")
    never = ["1", "2", "1", "2"]  # no 3 and no 4, but for the cut that was not seen
    state_labels(people["tam"], tag, parts, {space: [label] for space, label in enumerate(never, start=1)})
    seen = {space: "flush" for space, label in enumerate(never, start=1) if label == "1"}
    look_with_depth_key(people["tam"], tag, source, "1", {**seen, 5: "unsure"})
    look_with_depth_key(people["tam"], tag, source, "2", {2: "flush", 4: "flush", 5: "unsure"})
    said = words(smith, f"/tags/{tag}/read", source=str(source.pk))
    assert "that can tell something: 3, 4, 5, 6 can tell nothing more" in said
    look_with_depth_key(people["tam"], tag, source, "2", {2: "flush", 4: "flush"})  # the fifth was seen after all
    said = words(smith, f"/tags/{tag}/read", source=str(source.pk))
    assert "Depth key 3" in said
    state_labels(people["tam"], tag, parts, {5: ["5", "6"]})
    said = words(smith, f"/tags/{tag}/read", source=str(source.pk))
    assert "Not depth key 3, 4: they can tell nothing more of this lock. Take 5" in said


def test_a_spoiled_round_is_done_again_without_touching_the_others(people: People, tag: Tag) -> None:
    source = begun(people, tag, "depth-keys")
    look_at_all(people, tag, source, TRUTH)
    spoil_round(people["tam"], tag, source, "3")
    assert set(reading_of(tag).sources[0].rounds) == set("1245")
    with pytest.raises(NotDone, match="Depth key 3 has not been looked at"):
        spoil_round(people["tam"], tag, source, "3")
    look_with_depth_key(people["tam"], tag, source, "3", {1: "flush", 2: "unsure"})
    seen = reading_of(tag).sources[0].rounds["3"]
    assert (seen[1], seen[2], seen[3]) == ("flush", "unsure", "proud")
    assert Sighting.objects.filter(depth="3", withdrawn=True).count() == 5


def test_a_grid_takes_one_tap_a_space_two_for_between_and_odd_cuts_first(
    smith: Client, people: People, tag: Tag
) -> None:
    source = begun(people, tag, "grid")

    def tap(at: str) -> list[str]:
        smith.post(f"/tags/{tag}/read/{source.pk}/grid", {"tap": at})
        return reading_of(tag).sources[0].labels.get(int(at[0]), [])

    assert tap("2:5") == ["5"]
    assert tap("2:4") == ["4", "5"]
    assert tap("2:1") == ["1"]
    assert tap("2:1") == []
    tap("1:3")
    describe_source(people["tam"], tag, source, SourceSettings(odd_first=True))
    page = smith.get(f"/tags/{tag}/read").content.decode()
    heads = page[page.index("<thead>") : page.index("</thead>")]
    assert [heads.index(f">{cut}<") for cut in "13524"] == sorted(heads.index(f">{cut}<") for cut in "12345")


def test_the_lanes_of_the_strip_are_what_is_tapped_counted_as_the_tool_counts(
    smith: Client, people: People, tag: Tag
) -> None:
    source = begun(people, tag, "grid")
    describe_source(people["tam"], tag, source, SourceSettings(counted_from="tip"))
    smith.post(f"/tags/{tag}/read/{source.pk}/grid", {"tap": "1:4"})
    answer = smith.get(f"/tags/{tag}/read")
    taps, lanes = answer.context["taps"], answer.context["strip"].lanes
    assert len(taps) == len(lanes) * len(tag.family.tracks[0].labels)
    pressed = [tap for tap in taps if tap.is_pressed]
    assert [(tap.number, tap.depth, tap.x) for tap in pressed] == [(1, "4", lanes[-1].left)]  # the one at the tip
    rung = next(rung for rung in lanes[-1].rungs if rung.label == "4")
    assert rung.y - 25 < pressed[0].y < rung.y < pressed[0].y + pressed[0].height
    assert all(tap.height >= 40 for tap in taps)  # pixels of the drawing: a finger hits it
    Tag.objects.filter(pk=tag.pk).update(state="closed")
    assert not smith.get(f"/tags/{tag}/read").context["taps"]


def test_labels_are_understood_spaced_or_run_together_and_refused_in_words(
    smith: Client, people: People, tag: Tag
) -> None:
    track = tag.family.tracks[0]
    assert labels_typed(track, "3 5 - 4 1") == ["3", "5", None, "4", "1"] == labels_typed(track, "35?41")
    source = begun(people, tag, "machine")
    refused = smith.post(f"/tags/{tag}/read/{source.pk}/labels", {"labels": "3 5 9 4 1"})
    assert refused.status_code == 422
    assert "There is no depth 9; this family has 1 2 3 4 5 6." in refused.content.decode()
    assert 'value="3 5 9 4 1"' in refused.content.decode()
    assert (
        "4 labels for 5 cuts" in smith.post(f"/tags/{tag}/read/{source.pk}/labels", {"labels": "3541"}).content.decode()
    )
    smith.post(f"/tags/{tag}/read/{source.pk}/labels", {"labels": "36341"})
    assert reading_of(tag).labels[1:] != ["6", "3", "4", "1"] or reading_of(tag).chance is not None
    withdraw(people["tam"], tag, source)  # a row typed at once is taken back at once
    assert reading_of(tag).posterior is None


def test_a_source_counted_the_wrong_way_round_is_named_and_turned(smith: Client, people: People, tag: Tag) -> None:
    read(people, tag)
    source = begun(people, tag, "parts", "plug from the bench")
    state_labels(people["tam"], tag, source, {s: [label] for s, label in enumerate(reversed(TRUTH), start=1)})
    said = words(smith, f"/tags/{tag}/settle")
    assert "Calipers on a key or Stamped parts: plug from the bench was counted from the other end." in said
    assert "Stamped parts: plug from the bench from the tip: 3 5 2 4 1" in said
    assert "Calipers on a key from the tip: 1 4 2 5 3" in said
    smith.post(f"/tags/{tag}/read/{source.pk}/change", {"do": "turn"})
    reading = reading_of(tag)
    assert reading.turned_round == []
    assert reading.sources[1].labels[1] == ["3"]
    assert reading.sources[1].counted_from == "tip"
    turn_source(people["tam"], tag, Source.objects.get(pk=source.pk))
    assert len(reading_of(tag).turned_round) == 2
    extra = begun(people, tag, "parts", "stamped on the bow")
    state_labels(people["tam"], tag, extra, {s: [label] for s, label in enumerate(TRUTH, start=1)})
    assert [str(wrong.record) for wrong, _ in reading_of(tag).turned_round] == ["Stamped parts: plug from the bench"]


def test_sources_that_contradict_each_other_are_named_with_the_cut(smith: Client, people: People, tag: Tag) -> None:
    read(people, tag)
    stamped = begun(people, tag, "parts")
    state_labels(people["tam"], tag, stamped, {s: [label] for s, label in enumerate("35641", start=1)})
    said = words(smith, f"/tags/{tag}/read")
    assert "Calipers on a key and Stamped parts cannot both be right: they part at cut 3." in said


def test_each_source_says_what_it_did_and_can_be_switched_off_and_removed(
    smith: Client, people: People, tag: Tag
) -> None:
    type_values(people["tam"], tag, "A", [0.2779, 0.2353, 0.2947, 0.2577, 0.3189])
    stamped = begun(people, tag, "parts")
    state_labels(people["tam"], tag, stamped, {1: ["3"], 5: ["1"]})
    did = {str(source.record): says for source, says in influence_words(reading_of(tag))}
    assert did["Stamped parts"].startswith("without it the same, ")
    assert did["Calipers on a key"].startswith("without it 3 ")
    switch_source(people["tam"], tag, stamped)
    reading = reading_of(tag)
    assert [str(source.record) for source in reading.weighed] == ["Calipers on a key"]
    assert "left out" in [says for _, says in influence_words(reading)]
    smith.post(f"/tags/{tag}/read/{stamped.pk}/change", {"do": "remove"})
    assert len(reading_of(tag).sources) == 1
    assert Source.objects.filter(removed=True).count() == 1


def test_bottom_pins_give_a_key_and_a_master_pin_gives_another(smith: Client, people: People, tag: Tag) -> None:
    source = begun(people, tag, "pins")
    with pytest.raises(NotDone, match="Give the plug's figure first"):
        add_value(people["tam"], tag, Typed("A", 1, "0.2", tag.family.unit), source)
    with pytest.raises(NotDone, match="more than any depth"):
        describe_source(people["tam"], tag, source, SourceSettings(plug="0.3"))
    describe_source(people["tam"], tag, source, SourceSettings(plug="0.5"))
    for cut, typed in enumerate(["0.214", ".254", "0.194+0.040", "234", "4.42 mm"], start=1):
        smith.post(f"/tags/{tag}/read/value", {"source": source.pk, "cut": cut, "typed": typed})
    reading = reading_of(tag)
    assert reading.labels == TRUTH
    assert reading.other_key is not None
    assert reading.labelled(reading.other_key.best) == ["3", "5", "4", "4", "1"]
    said = words(smith, f"/tags/{tag}/settle")
    assert "this lock also takes 3 5 4 4 1" in said
    assert "That key may open other doors." in said
    assert "Copy" not in said  # there is no old key to copy
    smith.post(f"/tags/{tag}/read/describe", {"source": source.pk, "other_key": "1"})
    assert reading_of(tag).labels == ["3", "5", "4", "4", "1"]


def test_two_keys_of_one_lock_have_wear_of_their_own(people: People, tag: Tag) -> None:
    read(people, tag)
    copy = begun(people, tag, "calipers", "old copy")
    for space, value in enumerate([0.2851, 0.2449, 0.3042, 0.2653, 0.3247], start=1):
        add_value(people["tam"], tag, Typed("A", space, f"{value}", tag.family.unit), copy)
    reading = reading_of(tag)
    assert reading.posterior is not None
    (first, second) = (wear[0].mean for wear in reading.posterior.wear if wear)
    assert first == pytest.approx(-0.009, abs=0.0015)
    assert second == pytest.approx(-0.001, abs=0.0015)
    assert reading.as_is() == pytest.approx(STAGE_DOOR_KEY)


def test_a_blank_is_cut_down_on_advice_and_never_back(smith: Client, people: People, tag: Tag) -> None:
    source = begun(people, tag, "stages")
    track = tag.family.tracks[0]
    for _ in range(40):
        page = smith.get(f"/tags/{tag}/read")
        advised = page.context["advised"]
        if page.context["advice"].why != "down":
            break
        wanted = TRUTH[advised["number"] - 1]
        seen = "flush" if advised["depth"] == wanted else "proud"
        smith.post(
            f"/tags/{tag}/read/{source.pk}/stage",
            {"cut": advised["number"], "depth": advised["depth"], "seen": seen},
        )
    assert "Every tumbler is accounted for." in page.content.decode()
    assert [stood.depth for stood in page.context["stood"]] == TRUTH == reading_of(tag).labels
    with pytest.raises(NotDone, match="a blank is only ever cut deeper"):
        see_stage(people["tam"], tag, source, (2, track.labels[0]), "proud")


def test_half_a_lock_is_filled_shallow_and_says_which_locks_the_key_works(smith: Client, people: People) -> None:
    tag = hang(people, family=family_record("lighthouse-eight"), on_bench=OnBench.PART_LOCK)
    source = add_source(people["tam"], tag, tag.family.tracks[0].name, "parts", "boot locker")
    state_labels(people["tam"], tag, source, {s: [label] for s, label in enumerate("231243", start=1)})
    said = words(smith, f"/tags/{tag}/settle")
    assert "Nothing was seen of cut 7, 8." in said
    assert "will work boot locker not known engine cover" in said
    tries = words(smith, f"/tags/{tag}/tries")
    assert "16 keys still possible" not in tries  # MACS 2 beside a 3 leaves some out
    assert "14 keys still possible; 3 more blanks try them all" in tries
    smith.post(f"/tags/{tag}/settle/fill", {"fill": "1"})
    reading = reading_of(tag)
    assert reading.labels == list("23124311")
    assert (reading.filled, reading.locks) == ([7, 8], {"boot locker": True, "engine cover": False})
    said = words(smith, f"/tags/{tag}/settle")
    assert "cut 7, 8 filled in, not seen" in said
    assert "has not been read" not in said
    page = smith.post(f"/tags/{tag}/settle/keep", {"intent": "restore"}, follow=True).content.decode()
    assert "Read it back" in page


def test_a_bitting_that_breaks_a_rule_can_be_taken_with_that_as_its_reason(
    smith: Client, people: People, tag: Tag
) -> None:
    """MACS is 4 and this key, made on site, jumps by 5."""
    describe_source(people["tam"], tag, begun(people, tag, "calipers"), SourceSettings(wear="new"))
    type_values(people["tam"], tag, "A", [0.3258, 0.2259, 0.3061, 0.2659, 0.3259])
    assert "explains it far better, though it breaks a rule" in words(smith, f"/tags/{tag}/settle")
    smith.post(f"/tags/{tag}/settle/fill", {"beyond": "1"})
    assert reading_of(tag).labels == ["1", "6", "2", "4", "1"]
    assert all(o.reason.startswith("breaks macs, but fits ") for o in reading_of(tag).overruled.values())


def test_a_record_keeps_what_every_source_saw(smith: Client, people: People, tag: Tag) -> None:
    look_at_all(people, tag, begun(people, tag, "depth-keys"), TRUTH)
    read(people, tag)
    kept = json.loads(smith.post(f"/tags/{tag}/record.json").content)["readings"]
    assert [reading["source"] for reading in kept] == ["depth-keys", "calipers"]
    assert {"space": 3, "depth": "2", "seen": "flush"} in kept[0]["values"]
    assert "cut 3 flush at 2" in words(smith, f"/tags/{tag}/hand-over")


def test_a_key_is_drawn_at_exactly_its_real_size_with_a_ruler(smith: Client, people: People, tag: Tag) -> None:
    read(people, tag)
    page = smith.get(f"/tags/{tag}/real-size").content.decode()
    assert tag.family.blank is not None
    blade = tag.family.blank.length * 25.4 + 3  # the blade and a margin of 1.5 mm at either end
    assert f'width="{round(blade, 2)}mm"' in page
    assert f'width="{4 * blade:.2f}mm"' in page
    assert "M60 5 V2.0" in page
    assert "M50.8 6.4" in page
    assert 'class="ghost"' in page


def test_the_keyway_is_found_from_positions_in_either_unit_and_a_wrong_entry_is_named(smith: Client) -> None:
    positions = "0.162 0.271 0.381 0.492 0.599 0.712"
    ranked = smith.get("/library/which", {"positions": positions, "height": "0.28"}).context["ranked"]
    assert (ranked[0].record.slug, ranked[0].fit.fits) == ("pier-six", True)
    millimetres = " ".join(f"{float(x) * 25.4:.2f}mm" for x in positions.split())
    again = smith.get("/library/which", {"positions": millimetres, "gauge": "tip"}).context["ranked"]
    assert again[0].record.slug == "pier-six"
    refused = smith.get("/library/which", {"positions": "0.16 wide 0.38"})
    assert refused.status_code == 422
    assert "positions" in refused.content.decode()
    assert "is not a length" in refused.content.decode()
    assert "No family here fits" in words(smith, "/library/which", positions="0.1 0.12 0.33")


def test_a_family_nobody_published_is_measured_fitted_and_kept_as_measured(owner: Client) -> None:
    random = np.random.default_rng(5)
    keys = [
        (0.21 + 0.14 * np.arange(6) + random.normal(0, 0.002, 6), 0.33 - 0.018 * random.integers(0, 6, 6))
        for _ in range(4)
    ]
    typed = {
        "positions": [" ".join(f"{x:.4f}" for x in positions) for positions, _ in keys],
        "depths": [" ".join(f"{v + random.normal(0, 0.001):.4f}" for v in depths) for _, depths in keys],
    }
    fitted = owner.post("/library/measured", typed).context["fitted"]
    assert fitted.step.low <= 0.018 <= fitted.step.high
    about = {"name": "Ferry six", "id": "ferry-six", "blank": "FS", "height": "0.34", "length": "1.1"}
    short = owner.post("/library/measured", {**typed, **about, "save": "1"})
    assert "blank.thickness" in short.content.decode()
    about["thickness"] = "0.08"
    assert owner.post("/library/measured", {**typed, **about, "save": "1"}).status_code == 302
    record = FamilyRecord.objects.get(slug="ferry-six")
    assert record.family.source == "measured from 4 keys by this shop, not published"
    assert record.family.tracks[0].spaces == pytest.approx(0.21 + 0.14 * np.arange(6), abs=0.003)
    refused = owner.post("/library/measured", {**typed, "depths": ["0.3 0.3"] * 4})
    assert refused.status_code == 422
    assert "6 positions and 6 depths are wanted" in refused.content.decode()


NOT_DRAWN = [
    {
        "format": "wry-falcon.family/1", "id": "lever-five", "name": "Lever five", "kind": "lever", "unit": "mm",
        "gauge": "tip", "numbered_from": "tip", "blank": {"code": "L5", "height": 12, "thickness": 3, "length": 16},
        "tracks": [{"name": "A", "spaces": [1.5, 4, 6.5, 9, 11.5],
                    "depths": [{"label": str(k), "value": 11 - 0.6 * k} for k in range(6)]}],
    },
    {
        "format": "wry-falcon.family/1", "id": "no-blank", "name": "No blank", "kind": "edge", "unit": "in",
        "gauge": "shoulder", "numbered_from": "bow",
        "tracks": [{"name": "A", "spaces": [0.2, 0.35],
                    "depths": [{"label": str(k), "value": 0.33 - 0.02 * k} for k in range(1, 5)]}],
    },
]  # fmt: skip


@pytest.mark.parametrize("document", NOT_DRAWN, ids=lambda document: document["kind"])
def test_kinds_that_are_not_drawn_can_still_be_read_settled_and_put_on_paper(
    smith: Client, people: People, document: dict[str, object]
) -> None:
    """A lever key by witness marks and the like: read and settled in full, and refused in words at the machine."""
    record = import_family(people["orla"], json.dumps(document).encode())
    tag = hang(people, family=record, on_bench=OnBench.LOCK)
    source = begun(people, tag, "stages")
    for space in range(1, len(record.family.tracks[0].spaces) + 1):
        smith.post(f"/tags/{tag}/read/{source.pk}/stage", {"cut": space, "depth": "3", "seen": "flush"})
    assert set(reading_of(tag).labels) == {"3"}
    assert "is not drawn to scale here" in words(smith, f"/tags/{tag}/read")
    smith.post(f"/tags/{tag}/settle/keep", {"intent": "restore"})
    smith.post(f"/tags/{tag}/settle/read-back")
    for stage in ("take-in", "read", "settle", "set-up", "cut", "prove", "hand-over"):
        assert smith.get(f"/tags/{tag}/{stage}").status_code == 200
    for document in ("job-card.pdf", "record.json"):
        assert smith.post(f"/tags/{tag}/{document}").status_code == 200
    fitting = {
        "machine": Machine.objects.get(name="Old Gannet").pk,
        "cutter": Cutter.wheels()[0].pk,
        "style": "plunged",
    }
    refused = smith.post(f"/tags/{tag}/set-up/choose", fitting, follow=True)
    says = "filed by hand: no machine is set up" if record.family.kind.is_filed else "It cannot be cut from here: "
    assert says in refused.content.decode()


def test_an_unknown_edge_is_refused_and_leaves_the_tag_as_it_was(smith: Client, people: People) -> None:
    tag = hang(people)
    smith.post(f"/tags/{tag}/read/describe", {"track": "{}", "source": "NaN", "counted_from": "bow"})
    assert not tag.sources.exists()
    for stage in ("read", "settle", "codes"):
        assert smith.get(f"/tags/{tag}/{stage}").status_code == 200
