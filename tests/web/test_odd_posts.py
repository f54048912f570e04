"""Every address and form with odd values: no error of ours, and no tag that a post has broken for good."""

from __future__ import annotations

from random import Random

import pytest
from django.test import Client
from django.utils import timezone
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from keycore.documents.family import read_family
from web.jobs import People, carded, hang, read, settled
from web.odd_posts import FILES, ODD, Walk, some_oddness
from wryfalcon.bench.models import OnBench, SourceKind
from wryfalcon.bench.reading.presenters import WAYS
from wryfalcon.bench.reading.source_actions import add_source
from wryfalcon.demonstration.making import family_record, finished_key
from wryfalcon.machines.models import Machine

pytestmark = pytest.mark.django_db
HARBOUR = read_family("harbour-five")

QUESTIONS = (
    "track", "source", "cut", "depth", "piece", "q", "code", "machine", "tag", "trim", "page", "add", "choose", "again",
    "clamping", "family", "next", "bitting", "positions", "showing", "cutter", "right", "all", "order",
)  # fmt: skip


@pytest.fixture
def walk(client: Client, people: People) -> Walk:
    """A walk about a shop with a tag in every state, and one read in every way."""
    read(people, hang(people))
    ready = hang(people)
    settled(people, ready)
    carded(people, ready, Machine.objects.get(name="Old Gannet"))
    finished_key(ready, timezone.now())
    every = hang(people, family=family_record("lighthouse-eight"), on_bench=OnBench.LOCK)
    for kind, _ in SourceKind.offered(HARBOUR):
        add_source(people["tam"], every, every.family.tracks[0].name, kind)
    client.force_login(people["orla"])
    found = Walk(client, each=12).go()
    assert found.faults == []
    assert len(found.forms) > 40
    assert len(WAYS) == len(SourceKind)
    return found


def test_no_form_is_broken_by_odd_values_and_no_address_by_odd_questions(walk: Walk) -> None:
    """Each example changes up to three fields of one form, and is taken back after its tag was looked at."""
    forms = sorted(walk.forms.values(), key=lambda form: form.pattern)

    @settings(max_examples=60, derandomize=True, suppress_health_check=list(HealthCheck))
    @given(st.integers(0, len(forms) - 1), st.integers(0, 2**32), st.sampled_from(FILES))
    def post(which: int, seed: int, upload: bytes) -> None:
        walk.faults.clear()
        walk.post(forms[which], some_oddness(forms[which], Random(seed)), upload)
        assert [str(fault) for fault in walk.faults if "took" not in fault.came] == []

    @settings(max_examples=60, derandomize=True, suppress_health_check=list(HealthCheck))
    @given(
        st.sampled_from(walk.addresses),
        st.dictionaries(st.sampled_from(QUESTIONS), st.sampled_from(ODD), min_size=1, max_size=5),
    )
    def ask(address: str, query: dict[str, str]) -> None:
        walk.faults.clear()
        walk.ask(address.split("?")[0], query)
        assert [str(fault) for fault in walk.faults if "took" not in fault.came] == []

    post()
    ask()


ONCE_BROKE: list[tuple[str, dict[str, str]]] = [
    ("read/describe", {"track": "no such track", "wear": "worn"}),
    ("read/describe", {"source": "999999", "track": "Z"}),
    ("read/sources", {"kind": "code", "track": "Z"}),
    ("read/sources", {"kind": "learned", "track": "A"}),
    ("read/value", {"track": "Z", "cut": "99", "typed": "0.3"}),
    ("read/value", {"track": "A", "cut": "0", "typed": "1e309"}),
    ("settle/fill", {"track": "Z", "fill": "1"}),
    ("settle/fill", {"code": "999999999"}),
    ("settle/overrule", {"track": "Z", "space": "99", "label": "\u0000", "reason": "\u0000"}),
    ("tries/learned", {"track": "Z", "space": "x", "label": "9"}),
    ("tries/manner", {"track": "Z", "order": "Z", "series": "x"}),
    ("tries/tried", {"track": "A", "tried": "1:2:3", "outcome": "Z"}),
    ("set-up/choose", {"machine": "x", "cutter": "-1", "jaw_side": "½", "style": "Z"}),
    ("set-up/tick", {"tick": "\u0000", "seen": "x"}),
]


@pytest.mark.parametrize(("where", "posted"), ONCE_BROKE)
def test_what_once_broke_a_tag_is_refused_and_it_goes_on(
    smith: Client, people: People, where: str, posted: dict[str, str]
) -> None:
    tag = hang(people)
    assert smith.post(f"/tags/{tag}/{where}", posted).status_code < 500
    for stage in ("take-in", "read", "settle", "codes", "tries", "set-up", "cut", "prove", "hand-over"):
        assert smith.get(f"/tags/{tag}/{stage}").status_code < 400, stage


@pytest.mark.parametrize("kind", [kind for kind, _ in SourceKind.offered(HARBOUR)])
def test_a_source_is_read_in_its_own_way_only(smith: Client, people: People, kind: str) -> None:
    """A post of another kind's form to a source leaves nothing that the reading would trip over."""
    tag = hang(people)
    source = add_source(people["tam"], tag, "A", kind)
    of_kind = SourceKind(kind)
    posts = [
        ("labels", {"labels": "3 5 2 4 1", "who": "a card"}, of_kind.is_stated),
        ("grid", {"tap": "1:3"}, of_kind.is_stated),
        ("look", {"depth": "3", "flush": "1"}, kind == "depth-keys"),
        ("stage", {"cut": "1", "depth": "3", "seen": "flush"}, kind == "stages"),
    ]
    for where, posted, fits in posts:
        before = source.sightings.count()
        smith.post(f"/tags/{tag}/read/{source.pk}/{where}", posted)
        assert (source.sightings.count() > before) == fits, where
    before = source.sightings.count()
    smith.post(f"/tags/{tag}/read/value", {"track": "A", "source": str(source.pk), "cut": "1", "typed": "0.28"})
    assert (source.sightings.count() > before) == (kind in ("calipers", "probe"))
    for stage in ("read", "settle", "codes", "tries"):
        assert smith.get(f"/tags/{tag}/{stage}").status_code == 200


def test_rows_that_do_not_match_are_named(owner: Client) -> None:
    answer = owner.post("/library/measured", {"positions": ["0.2 0.3"], "depths": ["0.3 0.2", "0.3"]})
    assert answer.status_code == 422
    assert "2 rows of depths for 1 of positions" in answer.content.decode()
