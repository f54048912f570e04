"""A cylinder taken apart and a key of a try-out set, on the pages where they are typed."""

from __future__ import annotations

import pytest
from django.test import Client

from web.jobs import People, hang
from wryfalcon.bench.models import OnBench, Sighting, Source, SourceKind, Tag
from wryfalcon.bench.reading.actions import Typed, add_value, labels_of_try_out, state_labels
from wryfalcon.bench.reading.chambers import cylinder_of
from wryfalcon.bench.reading.queries import readings_of
from wryfalcon.bench.reading.source_actions import SourceSettings, add_source, describe_source
from wryfalcon.refusal import NotDone

pytestmark = pytest.mark.django_db
PLUG = 0.5
CHANGE, MASTER = "24153", "42135"


@pytest.fixture
def apart(people: People) -> Tag:
    return hang(people, on_bench=OnBench.LOCK_PARTS)


def pins_of(people: People, tag: Tag) -> Source:
    source = add_source(people["tam"], tag, "A", SourceKind.PINS, "the cylinder")
    describe_source(people["tam"], tag, source, SourceSettings(plug=str(PLUG)))
    track = tag.family.tracks[0]
    for space, (a, b) in enumerate(zip(CHANGE, MASTER, strict=True), start=1):
        high, low = sorted((track.values[track.step(each)] for each in (a, b)), reverse=True)
        wafer = f"+{high - low:.3f}" if high > low else ""
        add_value(people["tam"], tag, Typed("A", space, f"{PLUG - high:.3f}{wafer} / 0.150", tag.family.unit), source)
    return source


def shown(client: Client, tag: Tag, source: Source) -> str:
    return " ".join(client.get(f"/tags/{tag.number}/read?source={source.pk}").content.decode().split())


def test_it_is_told_chamber_by_chamber_and_a_key_in_hand_tells_the_other(
    smith: Client, people: People, apart: Tag
) -> None:
    source = pins_of(people, apart)
    page = shown(smith, apart, source)
    assert "What the bottom pins alone spell is neither of them" in page
    assert "With any key that turns it in hand" in page
    assert Sighting.objects.filter(source=source).exclude(top=None).count() == 5
    key = add_source(people["tam"], apart, "A", SourceKind.KNOWN, "the tenant’s")
    state_labels(people["tam"], apart, key, {n: [label] for n, label in enumerate(CHANGE, start=1)})
    page = shown(smith, apart, source)
    assert "The other key: 4 2 1 3 5." in page
    assert "still open" not in page


def test_a_chamber_with_two_wafers_stays_open_and_says_so(smith: Client, people: People, apart: Tag) -> None:
    source = pins_of(people, apart)
    track = apart.family.tracks[0]
    one, two, three = (track.values[track.step(label)] for label in "135")
    typed = f"{PLUG - one:.3f}+{one - two:.3f}+{two - three:.3f}"
    Sighting.objects.filter(source=source, space=3).update(withdrawn=True)
    add_value(people["tam"], apart, Typed("A", 3, typed, apart.family.unit), source)
    key = add_source(people["tam"], apart, "A", SourceKind.KNOWN, "the tenant’s")
    state_labels(people["tam"], apart, key, {n: [label] for n, label in enumerate("24353", start=1)})
    reading = readings_of(apart)[0]
    found = cylinder_of(reading, next(each for each in reading.weighed if each.record.pk == source.pk))
    assert found is not None
    assert (found.undecided, found.other_key) == ((3,), None)
    assert "Chamber 3: still open" in shown(smith, apart, source)


@pytest.mark.parametrize(
    ("typed", "says"),
    [
        ("0.2" + "+0.005" * 9, "more wafers than there are depths"),
        ("0.2+", "type"),
        ("x", "type"),
        ("0.2+0.9", ""),
    ],
)
def test_what_cannot_lie_in_a_chamber_is_refused(people: People, apart: Tag, typed: str, says: str) -> None:
    source = add_source(people["tam"], apart, "A", SourceKind.PINS)
    describe_source(people["tam"], apart, source, SourceSettings(plug=str(PLUG)))
    with pytest.raises(NotDone, match=f"(?i){says}"):
        add_value(people["tam"], apart, Typed("A", 1, typed, apart.family.unit), source)


@pytest.mark.parametrize("typed", ["2½ 3 1 2 4½", "2.5 3 1 2 4.5", "2½3124½", "2 1/2 3 1 2 4 1/2"])
def test_a_key_of_a_try_out_set_stands_for_the_depths_it_lies_between(
    smith: Client, people: People, apart: Tag, typed: str
) -> None:
    found = labels_of_try_out(apart.family.tracks[0], typed)
    assert found == [["2", "3"], ["3"], ["1"], ["2"], ["4", "5"]]
    source = add_source(people["tam"], apart, "A", SourceKind.TRY_OUT, "set of 12")
    smith.post(f"/tags/{apart.number}/read/{source.pk}/labels", {"labels": typed})
    posterior = readings_of(apart)[0].posterior
    assert posterior is not None
    first = posterior.marginals[0]
    assert first[1] == pytest.approx(first[2])
    assert first[1] + first[2] > 0.95


def test_there_is_no_half_step_beyond_the_last_depth(apart: Tag) -> None:
    last = apart.family.tracks[0].labels[-1]
    with pytest.raises(NotDone, match=f"There is no depth beyond {last}"):
        labels_of_try_out(apart.family.tracks[0], f"{last}½ 1 1 1 1")
