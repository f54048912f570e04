"""Taking in, reading, settling: what is refused, what is kept, what is never lost."""

from __future__ import annotations

import re
import sys

import numpy as np
import pytest
from django.test import Client

from keycore.proving.lock import play_of
from specimens import STAGE_DOOR_KEY
from web.jobs import BITTING, People, carded, hang, read, settled
from wryfalcon.bench.models import OnBench, Overruling, Settlement, Sighting, Tag
from wryfalcon.bench.reading.actions import state_labels
from wryfalcon.bench.reading.queries import readings_of
from wryfalcon.bench.reading.source_actions import SourceSettings, add_source, calipers_of, describe_source
from wryfalcon.bench.settling.actions import Choice, DeeperCut, overrule, settle
from wryfalcon.bench.settling.prospects import making_of, options_of
from wryfalcon.bench.tags.actions import TagDetails, change
from wryfalcon.bench.tags.queries import on_the_bench
from wryfalcon.demonstration.making import family_record, finished_key, type_values
from wryfalcon.log.models import AuditEntry
from wryfalcon.machines.models import Machine
from wryfalcon.refusal import NotDone

pytestmark = pytest.mark.django_db

TAKE_IN = {
    "title": "Office key", "customer": "Harbour Office", "on_bench": "worn-key", "quantity": "1",
    "locks-TOTAL_FORMS": "1", "locks-INITIAL_FORMS": "0", "locks-0-name": "Front door", "locks-0-turns": "rubs",
}  # fmt: skip


def words(client: Client, path: str, **query: str) -> str:
    """A page's text without its tags."""
    answer = client.get(path, query)
    assert answer.status_code == 200
    return " ".join(re.sub(r"<[^>]+>", " ", answer.content.decode()).split())


def test_a_restricted_family_cannot_go_on_without_the_authority(smith: Client) -> None:
    form = {**TAKE_IN, "family": str(family_record("harbour-office-six").pk)}
    refused = smith.post("/tags/new", form)
    assert refused.status_code == 422
    assert b"is restricted: write down what shows that they may have this key" in refused.content
    assert b'value="Front door"' in refused.content  # nothing typed is lost
    assert smith.post("/tags/new", {**form, "authority": "letter with seal"}).status_code == 302
    assert Tag.objects.get().locks.get().turns == "rubs"


def test_a_returned_key_is_tied_to_the_machine_and_day_that_made_it(people: People) -> None:
    maker = hang(people)
    settled(people, maker)
    carded(people, maker, Machine.objects.get(name="Old Gannet"))
    piece = finished_key(maker, maker.taken_in_at)
    with pytest.raises(NotDone, match="Which tag made the key"):
        hang(people, on_bench=OnBench.RETURNED_KEY)
    with pytest.raises(NotDone, match="There is no tag 999"):
        hang(people, on_bench=OnBench.RETURNED_KEY, brought_back="999")
    back = hang(people, on_bench=OnBench.RETURNED_KEY, brought_back=f"#{maker}")
    assert (back.brought_back_from, back.made_by) == (maker, piece)


def test_not_one_for_us_is_an_ending_with_a_reason(smith: Client, people: People) -> None:
    tag = hang(people)
    smith.post(f"/tags/{tag}/decline", {"why_declined": ""})
    tag.refresh_from_db()
    assert tag.state == "open"
    smith.post(f"/tags/{tag}/decline", {"why_declined": "carries a transponder"})
    tag.refresh_from_db()
    assert (tag.state, tag.why_declined) == ("declined", "carries a transponder")
    smith.post(f"/tags/{tag}/read/value", {"track": "A", "cut": "1", "typed": "0.3"})
    assert not Sighting.objects.exists()


def test_a_family_is_not_changed_under_a_settled_bitting(people: People) -> None:
    tag = hang(people)
    settled(people, tag)
    other = TagDetails("x", "y", OnBench.WORN_KEY, family_record("theatre-six"))
    with pytest.raises(NotDone, match="The bitting is settled for this family already"):
        change(people["tam"], tag, other)


@pytest.mark.parametrize("to", ["beach-hut-five", "theatre-six", "lighthouse-eight", "boathouse-four"])
def test_a_family_changed_at_take_in_carries_or_puts_away_what_was_read_and_says_so(
    smith: Client, people: People, to: str
) -> None:
    """Lengths of as many cuts are carried, in the unit of the other family; every page and document still answers."""
    tag = hang(people)
    read(people, tag)
    stated = add_source(people["tam"], tag, "A", "machine")
    state_labels(people["tam"], tag, stated, {1: ["6"]})
    overrule(people["tam"], tag, ("A", 1), "6", "looked")
    record = family_record(to)
    posted = {
        "title": "x", "customer": "y", "on_bench": "worn-key", "family": str(record.pk), "quantity": "1",
        "locks-TOTAL_FORMS": "0", "locks-INITIAL_FORMS": "0",
    }  # fmt: skip
    said = smith.post(f"/tags/{tag}/take-in", posted, follow=True).content.decode()
    track = record.family.tracks[0]
    before = family_record("harbour-five").family
    is_carried = record.family.kind == before.kind and len(track.spaces) == 5 and track.name == "A"
    assert ("1 measured source carried over, 1 source of Harbour five put away" in said) == is_carried
    assert ("2 sources of Harbour five put away, kept in the record" in said) == (not is_carried)
    kept = tag.sources.get(kind="calipers")
    assert kept.removed == (not is_carried)
    if is_carried:
        factor = 25.4 if record.family.unit == "mm" else 1.0
        values = kept.sightings.order_by("space").values_list("value", flat=True)
        assert list(values) == pytest.approx([round(v, 4) * factor for v in STAGE_DOOR_KEY])
    for stage in ("take-in", "read", "settle", "codes", "tries", "hand-over"):
        assert smith.get(f"/tags/{tag}/{stage}").status_code == 200, stage
    assert smith.post(f"/tags/{tag}/record.json").status_code == 200
    assert smith.post(f"/tags/{tag}/job-card.pdf").status_code == 200


def test_values_are_understood_as_smiths_type_them(smith: Client, people: People) -> None:
    tag = hang(people)
    for cut, typed in enumerate(["278", ".2353", "0,2947", "6.546 mm", "0.3189"], start=1):
        smith.post(f"/tags/{tag}/read/value", {"track": "A", "cut": str(cut), "typed": typed})
    kept = [round(value, 4) for value in Sighting.objects.order_by("space").values_list("value", flat=True)]
    assert kept == [0.278, 0.2353, 0.2947, 0.2577, 0.3189]


def test_an_entry_said_twice_is_kept_once(smith: Client, people: People) -> None:
    """As a page does whose answer was lost; another entry of the same value is a second look."""
    tag = hang(people)
    entry = {"track": "A", "cut": "1", "typed": "0.284", "known": "0", "key": "a1b2"}
    for _ in range(3):
        answer = smith.post(f"/tags/{tag}/read/value", entry, headers={"Accept": "application/json"})
        assert answer.json()["kept"] == 1
    assert Sighting.objects.count() == 1
    second = smith.post(f"/tags/{tag}/read/value", {**entry, "key": "c3"}, headers={"Accept": "application/json"})
    assert (second.status_code, second.json()["is_second"], second.json()["has"]) == (422, True, 1)
    smith.post(f"/tags/{tag}/read/value", {**entry, "key": "c4", "known": "1"})
    assert Sighting.objects.count() == 2


def test_what_is_typed_is_in_the_unit_that_its_page_was_shown_in(smith: Client, people: People) -> None:
    """A value typed ahead, or a page left open, while the unit is changed in a second tab."""
    tag = hang(people)
    page = smith.get(f"/tags/{tag}/read").content.decode()
    assert 'name="typed_in" value="in"' in page
    smith.post("/accounts/prefer", {"unit": "mm", "back": "/"})
    for cut, (typed, unit) in enumerate([("0.278", "in"), ("5.977", "mm"), ("0.2947", "cubits"), ("7.2", "")], start=1):
        entry = {"track": "A", "cut": str(cut), "typed": typed, "known": "0", "typed_in": unit}
        smith.post(f"/tags/{tag}/read/value", entry)
    kept = {each.space: round(each.value or 0, 4) for each in Sighting.objects.all()}
    assert kept == {1: 0.278, 2: 0.2353, 4: 0.2835}  # 0.2947 mm is no cut of this key


def test_typing_a_value_weighs_nothing_that_its_answer_does_not_show(smith: Client, people: People) -> None:
    tag = hang(people)
    read(people, tag)
    ran: set[str] = set()
    sys.setprofile(lambda frame, event, _: ran.add(frame.f_code.co_filename) if event == "call" else None)
    try:
        smith.post(f"/tags/{tag}/read/value", {"track": "A", "cut": "1", "typed": "0.284", "known": "1"})
    finally:
        sys.setprofile(None)
    assert Sighting.objects.filter(space=1).count() == 2
    weighing = {"decode.py", "likelihood.py", "grid.py", "elimination.py", "strip.py"}
    assert not weighing & {name.rsplit("/", 1)[1] for name in ran if "/src/" in name}


def test_several_values_at_once_go_to_the_cuts_that_follow_or_none_is_kept(smith: Client, people: People) -> None:
    tag = hang(people)
    to = f"/tags/{tag}/read/value"
    bad = smith.post(to, {"track": "A", "cut": "1", "typed": "0.278 0.2353 9"})
    assert "None of the 3 was kept." in bad.content.decode()
    assert 'value="0.278 0.2353 9"' in bad.content.decode()
    assert not Sighting.objects.exists()
    smith.post(to, {"track": "A", "cut": "2", "typed": "0.278 .2353  7.48 mm"})
    kept = [(s.space, round(s.value or 0, 4)) for s in Sighting.objects.order_by("space")]
    assert kept == [(2, 0.278), (3, 0.2353), (4, 0.2945)]
    many = smith.post(to, {"track": "A", "cut": "4", "typed": "0.278 0.2353 0.28"}).content.decode()
    assert "3 values for 2 cuts from here on." in many


@pytest.mark.parametrize(
    ("typed", "unit", "says", "meant"),
    [("6.35", "in", "6.35 mm?", 0.25), (".25", "mm", ".25 in?", 0.25), ("3225", "in", "", 0.3225),
     ("6546", "mm", "", 6.546 / 25.4), ("280", "in", "", 0.28)],
)  # fmt: skip
def test_a_value_in_the_other_unit_is_asked_about(
    smith: Client, people: People, typed: str, unit: str, says: str, meant: float
) -> None:
    tag = hang(people)
    people["tam"].unit = unit
    people["tam"].save()
    answer = smith.post(f"/tags/{tag}/read/value", {"track": "A", "cut": "1", "typed": typed})
    if says:
        assert says in answer.content.decode()
        assert not Sighting.objects.exists()
        smith.post(f"/tags/{tag}/read/value", {"track": "A", "cut": "1", "typed": says.removesuffix("?")})
    assert Sighting.objects.get().value == pytest.approx(meant)


def test_a_second_value_is_a_repeat_and_undo_takes_the_last_back(smith: Client, people: People) -> None:
    tag = hang(people)
    for typed in ("0.284", "0.286"):
        smith.post(f"/tags/{tag}/read/value", {"track": "A", "cut": "1", "typed": typed})
    reading = readings_of(tag)[0]
    assert reading.measured is not None
    assert reading.measured.values[0] == pytest.approx(0.285)
    smith.post(f"/tags/{tag}/read/withdraw", {"track": "A"})
    assert readings_of(tag)[0].as_is()[0] == pytest.approx(0.284)
    assert Sighting.objects.filter(withdrawn=True).count() == 1
    smith.post(f"/tags/{tag}/read/value", {"track": "A", "cut": "1", "typed": "0.288"})
    wrong = Sighting.objects.filter(withdrawn=False).earliest("id")
    smith.post(f"/tags/{tag}/read/withdraw", {"source": wrong.source_id, "value": wrong.pk})  # not the last one
    assert readings_of(tag)[0].as_is()[0] == pytest.approx(0.288)


@pytest.mark.parametrize(
    ("typed", "says"),
    [("abc", "is not a length. Type it as 0.301"), ("0.9", "which no cut of this key can be"), ("2", "was read as")],
)
def test_a_wrong_value_is_refused_in_words_and_stays_in_the_entry(
    smith: Client, people: People, typed: str, says: str
) -> None:
    tag = hang(people)
    answer = smith.post(f"/tags/{tag}/read/value", {"track": "A", "cut": "1", "typed": typed})
    assert answer.status_code == 422
    assert says in answer.content.decode()
    assert f'value="{typed}"' in answer.content.decode()
    assert not Sighting.objects.exists()


def test_counting_from_the_tip_turns_what_was_typed(people: People) -> None:
    tag = hang(people)
    read(people, tag)
    assert readings_of(tag)[0].labels == BITTING["A"]
    describe_source(people["tam"], tag, calipers_of(tag, "A"), SourceSettings("tip", "well-worn"))
    reading = readings_of(tag)[0]
    assert reading.as_is() == pytest.approx(STAGE_DOOR_KEY[::-1])
    assert reading.shown_space(5) == 1


def test_a_partial_reading_is_weighed_with_what_is_missing_said(smith: Client, people: People) -> None:
    tag = hang(people)
    smith.post(f"/tags/{tag}/read/value", {"track": "A", "cut": "1", "typed": "0.326"})
    assert "4 cuts have not been read." in words(smith, f"/tags/{tag}/read")
    said = words(smith, f"/tags/{tag}/settle")
    assert "Cut 2, 3, 4, 5 has not been read; what stands there is a guess" in said


def test_the_sentence_is_one_a_smith_would_say(smith: Client, people: People) -> None:
    tag = hang(people)
    read(people, tag)
    said = words(smith, f"/tags/{tag}/settle").replace("\N{NO-BREAK SPACE}", " ")
    assert "Worn by about 8.7 thou. Read plainly it would be 3 6 3 4 1; with the wear allowed for" in said
    assert "100 in 100" not in said


def test_an_overruled_cut_keeps_its_reason_and_can_go_back(smith: Client, people: People) -> None:
    tag = hang(people)
    read(people, tag)
    with pytest.raises(NotDone, match="Say what you saw"):
        overrule(people["tam"], tag, ("A", 2), "6", " ")
    with pytest.raises(NotDone, match="There is no depth 9"):
        overrule(people["tam"], tag, ("A", 2), "9", "looks so")
    overrule(people["tam"], tag, ("A", 2), "6", "level with its neighbour")
    reading = readings_of(tag)[0]
    assert (reading.labels[1], reading.chance) == ("6", None)
    smith.post(f"/tags/{tag}/settle/overrule", {"track": "A", "cut": "2", "withdraw": "1"})
    assert readings_of(tag)[0].labels[1] == "5"
    assert Overruling.objects.get().withdrawn


def test_what_the_key_is_and_what_is_cut_stay_two_things(people: People) -> None:
    tag = hang(people)
    deeper = [DeeperCut("A", 5, 1, "the tip catches")]
    settled_on = settle(people["tam"], tag, Choice(BITTING, intent="compensate", deeper_by=0.003, deeper_cuts=deeper))
    assert settled_on.bitting == BITTING
    assert settled_on.values["A"] == pytest.approx([0.283, 0.243, 0.303, 0.263, 0.303])
    with pytest.raises(NotDone, match="Say why cut 5 goes deeper"):
        settle(people["tam"], tag, Choice(BITTING, deeper_cuts=[DeeperCut("A", 5, 1, "")]))
    with pytest.raises(NotDone, match="no depth 9 steps deeper"):
        settle(people["tam"], tag, Choice(BITTING, deeper_cuts=[DeeperCut("A", 5, 9, "why not")]))


def test_each_choice_says_how_likely_the_key_turns(people: People) -> None:
    tag = hang(people)
    read(people, tag)
    options = {o.intent: o for o in options_of(tag, readings_of(tag), list(tag.locks.all()), 0.004)}
    assert options["restore"].chance_new is not None
    assert options["restore"].chance_new > 0.95 > 0.05 > (options["copy"].chance_new or 0)
    assert options["restore"].chance > options["copy"].chance  # type: ignore[operator]


def test_the_chance_that_it_turns_has_the_doubt_about_the_bitting_in_it(smith: Client, people: People) -> None:
    """Against simulated locks (seeded), each of one of the likeliest bittings, and a key cut with scatter."""
    tag = hang(people, locks=[])
    track = tag.family.tracks[0]
    worn = [track.values[step] for step in (2, 4, 1, 3, 0)]
    worn[3] = (track.values[3] + track.values[4]) / 2 - 0.0005  # between two depths: which of them?
    type_values(people["tam"], tag, "A", worn)
    (reading,) = readings_of(tag)
    assert reading.posterior is not None
    option = next(o for o in options_of(tag, [reading], [], 0.004) if o.intent == "restore")
    assert option.bitting == reading.posterior.bittings[0][1] < 0.9
    assert option.if_right is not None
    assert option.if_right > 0.95
    random = np.random.default_rng(20261125)
    making, play, times = making_of(tag), play_of(tag.family), 20_000
    made = np.array([track.values[step] for step in reading.steps or ()])
    bittings = reading.posterior.bittings
    which = random.choice(len(bittings), times, p=np.array([p for _, p in bittings]) / sum(p for _, p in bittings))
    wanted = np.array([[track.values[step] for step in steps] for steps, _ in bittings])[which]
    off = (
        made - wanted + random.normal(0, making.sd_each, wanted.shape) + random.normal(0, making.sd_common, (times, 1))
    )
    turns = ((off <= play.high) & (off >= -play.low)).all(axis=1).mean() * sum(p for _, p in bittings)
    assert option.turns == pytest.approx(turns, abs=0.015)
    said = " ".join(smith.get(f"/tags/{tag}/settle").content.decode().split())
    assert "if the bitting is right)" in said
    assert "That the bitting is right," in said


def test_set_up_waits_for_the_read_back(smith: Client, people: People) -> None:
    tag = hang(people)
    settle(people["tam"], tag, Choice(BITTING))
    gannet = Machine.objects.get(name="Old Gannet")
    fitting = {"machine": gannet.pk, "cutter": gannet.fitted_id, "style": "plunged"}
    smith.post(f"/tags/{tag}/set-up/choose", fitting)
    assert Tag.objects.get().set_ups.count() == 0
    smith.post(f"/tags/{tag}/settle/read-back")
    smith.post(f"/tags/{tag}/set-up/choose", fitting)
    assert Tag.objects.get().set_ups.count() == 1


def test_the_card_warns_of_a_wrong_cutter_and_a_jaw_too_deep(smith: Client, people: People) -> None:
    tag = hang(people)
    settled(people, tag)
    gannet = Machine.objects.get(name="Old Gannet")
    gannet.jaw_sides.filter(name="A").update(slot_depth=7.0)
    wrong = gannet.cutters.get(name="W-100 broad")
    smith.post(
        f"/tags/{tag}/set-up/choose",
        {"machine": gannet.pk, "cutter": wrong.pk, "jaw_side": gannet.jaw_sides.get(name="A").pk, "style": "plunged"},
    )
    said = words(smith, f"/tags/{tag}/set-up")
    assert "The family wants 0.040 in and 80°; this cutter leaves" in said
    assert "below the top of the jaw" in said
    assert "Old Gannet has W-80 fitted. Unplug it" in said


def test_every_open_tag_says_what_it_waits_for(people: People) -> None:
    fresh, half, back = hang(people), hang(people), hang(people)
    read(people, half)
    settle(people["tam"], back, Choice(BITTING))
    waits = {waiting.tag.pk: waiting.waits_for for waiting in on_the_bench()}
    assert waits == {
        fresh.pk: "its cuts to be read",
        half.pk: "its bitting to be settled",
        back.pk: "its bitting to be read back",
    }


def test_every_change_of_state_is_in_the_audit_log(people: People) -> None:
    tag = hang(people)
    settled(people, tag)
    carded(people, tag, Machine.objects.get(name="Old Gannet"))
    events = list(AuditEntry.objects.filter(tag=tag).order_by("id").values_list("event", "actor__username"))
    assert events == [("taken-in", "wren"), ("settled", "tam"), ("read-back", "tam"), ("set-up", "tam")]
    assert Settlement.objects.get().edition == "2024"
