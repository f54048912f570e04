"""The fitting guide: rows found by what is known, the question that divides best, documents in and out."""

from __future__ import annotations

import csv
import io
from collections import Counter
from itertools import product

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import LinearRing

from keycore import families
from keycore.documents.family import read_family
from keycore.documents.guide import Guide, read_guide, read_rows, write_guide, write_rows
from keycore.errors import InputError
from keycore.geometry.outline import crossing, unlike
from keycore.reading.guide import BlankNumber, GuideRow, Known, find_rows, next_question

FERRY = GuideRow(
    "Harbour ferry, wheelhouse", 1988, 2004, "door", "harbour-five", 5, (BlankNumber("Gull", "HB-5 R"),), "A"
)
LOCKERS = GuideRow("Harbourside lockers", 2005, None, "locker", "pier-six", 6, (BlankNumber("Gull", "PS6"),))
THEATRE = GuideRow("Pier theatre, stage door", None, 1999, "door", "theatre-six", 6, (BlankNumber("", "T-6"),))
UNSAID = GuideRow("Old boathouse")
ROWS = [FERRY, LOCKERS, THEATRE, UNSAID]

words = st.sampled_from(["pier", "boat", "hut", "quay"])
some_rows = st.lists(
    st.builds(
        GuideRow,
        what=words,
        cuts=st.one_of(st.none(), st.integers(4, 7)),
        use=st.sampled_from(["", "door", "locker"]),
        since=st.one_of(st.none(), st.integers(1980, 1990)),
        until=st.one_of(st.none(), st.integers(1990, 2000)),
    ),
    max_size=12,
)


@pytest.mark.parametrize(
    ("known", "found"),
    [
        (Known(), ROWS),
        (Known("harbour"), [FERRY, LOCKERS]),  # the whole word first
        (Known("STAGE pier"), [THEATRE]),
        (Known(year=2005), [LOCKERS, UNSAID]),
        (Known(year=2004, use="Door"), [FERRY, UNSAID]),
        (Known(cuts=6), [LOCKERS, THEATRE, UNSAID]),
        (Known(blank="hb5"), [FERRY]),
        (Known("nowhere"), []),
        (Known("stage door, one more"), [THEATRE]),  # none has every word
        (Known("harbour lockers"), [LOCKERS]),
        (Known("eat"), []),  # in theatre, by chance
        (Known("bourside"), [LOCKERS]),
    ],
)
def test_a_row_is_found_by_what_is_known_and_left_out_where_it_contradicts(known: Known, found: list[GuideRow]) -> None:
    assert find_rows(ROWS, known) == found


@settings(max_examples=120)
@given(some_rows)
def test_no_other_question_leaves_fewer_rows(rows: list[GuideRow]) -> None:
    """Against asking everything there is to ask, each row being the right one in turn; a row that does not say is
    right with any answer alike."""
    asked = next_question(rows)

    def left(tell: Counter[tuple[int, object]], answers: list[object]) -> float:
        unsaid = sum(count for (_, answer), count in tell.items() if answer is None)
        total = 0.0
        for (_, answer), count in tell.items():
            stays = {each: sum(c for (_, a), c in tell.items() if a in (each, None)) for each in answers}
            share = [stays[answer]] if answer is not None else list(stays.values())
            total += count * sum(share) / len(share)
        assert unsaid <= len(rows)
        return total / len(rows)

    best = float(len(rows))
    for tell in (lambda row: row.cuts, lambda row: row.use or None):
        told = Counter((place, tell(row)) for place, row in enumerate(rows))
        answers = sorted({answer for (_, answer) in told if answer is not None}, key=str)
        if len(answers) > 1:
            best = min(best, left(told, list(answers)))
    if asked is None:
        assert best == len(rows)
    else:
        assert asked.left <= best + 1e-9


def test_asking_divides_and_each_answer_leaves_what_it_said() -> None:
    rows = [GuideRow(f"{use} {cuts}", cuts=cuts, use=use) for use, cuts in product(("door", "chest", "hut"), (8, 10))]
    asked = next_question(rows)
    assert asked is not None
    assert (asked.field, asked.answers, asked.left) == ("use", (("chest", 2), ("door", 2), ("hut", 2)), 2.0)
    for answer, count in asked.answers:
        assert len(find_rows(rows, Known(use=str(answer)))) == count
    assert next_question([FERRY]) is None


def test_an_older_or_a_newer_one_is_asked_by_its_best_year() -> None:
    rows = [GuideRow("a", 1980, 1989), GuideRow("b", 1985, 1999), GuideRow("c", 1990, None), GuideRow("d", 1995, None)]
    asked = next_question(rows)
    assert asked is not None
    assert asked.field == "year"
    assert asked.answers == (("before 1990", 2), ("since 1990", 3))
    assert (len(find_rows(rows, Known(before=1990))), len(find_rows(rows, Known(since=1990)))) == (2, 3)


@settings(max_examples=60)
@given(some_rows.filter(bool))
def test_a_guide_goes_out_and_comes_in_as_it_was(rows: list[GuideRow]) -> None:
    guide = Guide("boats", "Boats and buildings", "2026", "invented", (*rows, FERRY, THEATRE))
    assert read_guide(write_guide(guide)) == guide
    text = io.StringIO()
    csv.writer(text).writerows(write_rows(guide.rows))
    assert read_rows(io.StringIO(text.getvalue())) == guide.rows


@pytest.mark.parametrize(
    ("table", "says"),
    [
        ("who,cuts\nFerry,5\n", "the first line must name the columns, what among them"),
        ("what,colour\nFerry,red\n", "no column of a guide, or one twice: colour"),
        ("what,cuts\nFerry,5\nHut,five\n", "line 3: 'five' is no whole number"),
        ("what,from,to\nFerry,2004,1988\n", "line 2: 1988 is before 2004"),
        ("what,cuts\n,5\n", "line 2: says what the key is for"),
        ("what\n", "the table has no row"),
        ('what\n"Ferry\n', "line 2"),
    ],
)
def test_a_table_that_is_no_guide_is_refused_by_its_line(table: str, says: str) -> None:
    with pytest.raises(InputError, match=says[:20]) as refused:
        read_rows(io.StringIO(table))
    assert says in str(refused.value)


def test_a_document_that_is_no_guide_is_refused_by_its_field() -> None:
    document = {"format": "wry-falcon.guide/1", "id": "a", "name": "A", "rows": [{"what": "x"}, {"what": " "}]}
    with pytest.raises(InputError) as refused:
        read_guide(document)
    assert refused.value.field == "rows[1].what"


class TestSections:
    def test_agree_with_a_general_library_on_made_up_outlines(self) -> None:
        """Simple or not, and how unlike: beside shapely (GEOS)."""
        rng, simple = np.random.default_rng(4), 0
        for _ in range(400):
            corners = [tuple(map(float, row)) for row in rng.integers(0, 7, (int(rng.integers(3, 8)), 2))]
            ring = LinearRing(corners)
            is_simple = ring.is_simple and ring.is_valid
            simple += is_simple
            assert (crossing(corners) is None) == is_simple, corners
        assert 20 < simple < 380
        for _ in range(60):
            one, two = (_star(rng) for _ in range(2))
            a, b = (LinearRing(_at_corner(each)) for each in (one, two))
            assert unlike(one, two) == pytest.approx(a.hausdorff_distance(b), abs=0.12)

    @pytest.mark.parametrize(
        ("outline", "says"),
        [([[0, 0], [1, 0]], "at least 3"), ([[0, 0], [2, 1], [2, 0], [0, 1]], "sides 1 and 3 cross or touch")],
    )
    def test_of_a_family_are_checked(self, outline: list[list[float]], says: str) -> None:
        document = families.shipped("harbour-five") | {"section": {"outline": outline}}
        with pytest.raises(InputError, match=says) as refusal:
            read_family(document)
        assert refusal.value.field.startswith("section.outline")

    def test_two_bows_on_one_section_are_one_key(self) -> None:
        light, chandler, harbour = (read_family(each) for each in ("lighthouse-eight", "chandler-ten", "harbour-five"))
        assert unlike(light.section, chandler.section) == pytest.approx(0.0, abs=1e-9)
        mirrored = [(-x, y) for x, y in light.section]
        assert unlike(light.section, mirrored) > 0.3
        assert unlike(light.section, [(25.4 * x, 25.4 * y) for x, y in harbour.section]) > 0.3


def _star(rng: np.random.Generator) -> list[tuple[float, float]]:
    angles = np.sort(rng.uniform(0, 2 * np.pi, 9))
    reach = rng.uniform(1, 3, 9)
    return [(float(r * np.cos(a)), float(r * np.sin(a))) for r, a in zip(reach, angles, strict=True)]


def _at_corner(outline: list[tuple[float, float]]) -> list[tuple[float, float]]:
    left, low = min(x for x, _ in outline), min(y for _, y in outline)
    return [(x - left, y - low) for x, y in outline]
