"""Code series in the core: rows against their family, partial bittings, series by formula."""

from __future__ import annotations

from itertools import product

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keycore.codes.formula import Formula, rows_of
from keycore.codes.pattern import agreeing, parse_pattern, spaces_asked
from keycore.codes.series import bitting_steps, check_printed, check_rows, code_range, looked_up
from keycore.documents.family import read_family
from keycore.documents.series import SeriesDocument, read_series, read_table, write_series
from keycore.documents.text import parse_json
from keycore.errors import InputError
from keycore.rules import breaks

HARBOUR = read_family("harbour-five")
TRACK = HARBOUR.tracks[0]
BITTING = st.lists(st.sampled_from(TRACK.labels), min_size=4, max_size=6)


@given(st.lists(st.tuples(BITTING, st.sampled_from(["", " ", "  ", "\t"])), max_size=20))
def test_rows_read_all_at_once_are_what_each_would_be_read_alone(bittings: list[tuple[list[str], str]]) -> None:
    rows = [(line, f"T{line}", apart.join(labels)) for line, (labels, apart) in enumerate(bittings, start=2)]
    checked = check_rows(HARBOUR, TRACK, rows)
    alone, wrong = {}, {}
    for line, _, text in rows:
        try:
            alone[line] = bitting_steps(TRACK, text)
        except InputError as error:
            wrong[line] = error.reason
    assert dict(zip(checked.lines, map(tuple, checked.steps.tolist()), strict=True)) == alone
    assert {row.line: row.reason for row in checked.bad} == wrong
    for steps, words in zip(checked.steps.tolist(), checked.broken, strict=True):
        assert words == ", ".join(sorted({each.rule for each in breaks(TRACK, HARBOUR.rules, steps)}))


@given(st.text(alphabet="ab019-./_ \N{EN DASH}", max_size=12))
def test_a_code_is_looked_up_the_same_alone_and_in_a_table(code: str) -> None:
    checked = check_rows(HARBOUR, TRACK, [(2, code, "35241")])
    assert list(checked.looked_up) == ([looked_up(code)] if looked_up(code) else [])


def test_codes_as_the_trade_writes_them() -> None:
    assert looked_up("t-0041") == looked_up("T 00 41") == looked_up("T0041") == "T0041"
    assert looked_up("0041") != looked_up("41")
    assert looked_up("T0041-X", "#####x") == "T0041"
    assert looked_up("T00411", "x#####") == "00411"
    assert code_range("T0041 to t-0050") == ("T0041", "t-0050")
    assert code_range("T0041 – T0050") == ("T0041", "T0050")
    assert code_range("T-0041") is None
    assert code_range(" to ") is None
    with pytest.raises(InputError, match="printed: use # for each"):
        check_printed("xxx")


PATTERNS = st.tuples(*[st.frozensets(st.integers(0, 3), min_size=1)] * 4)


@given(PATTERNS, st.booleans())
def test_a_partial_bitting_finds_what_looking_at_each_one_finds(pattern: tuple[frozenset[int], ...], one: bool) -> None:
    every = np.array(list(product(range(4), repeat=4)), dtype=np.int8)
    columns = {place: every[:, place] for place in range(4) if len(pattern[place]) < 4}
    found = agreeing(columns, pattern, len(every), misread=one)
    wrong = [sum(step not in may for step, may in zip(row, pattern, strict=True)) for row in every.tolist()]
    assert found.tolist() == [place for place, count in enumerate(wrong) if count <= (1 if one else 0)]


@pytest.mark.parametrize(
    ("typed", "wanted"),
    [
        ("1 ? 3 * .", [{0}, set(range(6)), {2}, set(range(6)), set(range(6))]),
        ("1/6 2-4 4-2 5+ 2-", [{0, 5}, {1, 2, 3}, {1, 2, 3}, {4, 5}, {0, 1}]),
        ("[13]2?[456]1", [{0, 2}, {1}, set(range(6)), {3, 4, 5}, {0}]),
    ],
)
def test_a_partial_bitting_as_it_is_typed(typed: str, wanted: list[set[int]]) -> None:
    assert [set(may) for may in parse_pattern(TRACK, typed)] == wanted
    assert [set(may) for may in parse_pattern(TRACK, typed, from_other_end=True)] == wanted[::-1]
    asked = spaces_asked(TRACK, parse_pattern(TRACK, typed))
    assert asked == [place for place, may in enumerate(wanted) if len(may) < 6]


@pytest.mark.parametrize(
    ("typed", "says"),
    [
        ("1 2 3 4", "bitting: 4 cuts where the family has 5; put \\? for any"),
        ("1 2 3 4 7", "cut 5: '7' is none of the depths"),
        ("1 2 8-9 4 5", "cut 3: '8' is none"),
        ("1 2 1/z 4 5", "cut 3: 'z' is none"),
        ("[] 2 3 4 5", "cut 1: '\\[\\]' is none"),
    ],
)
def test_a_partial_bitting_that_makes_no_sense_names_the_cut(typed: str, says: str) -> None:
    with pytest.raises(InputError, match=says):
        parse_pattern(TRACK, typed)


def test_a_counted_series_is_the_allowed_bittings_in_order() -> None:
    allowed = [
        " ".join(TRACK.labels[step] for step in steps)
        for steps in product(range(6), repeat=5)
        if not breaks(TRACK, HARBOUR.rules, steps)
    ]
    rows = list(rows_of(Formula("Q0001", "Q0050", "counted", start=11, every=3), HARBOUR, TRACK))
    assert [bitting for _, _, bitting in rows] == allowed[10 : 10 + 3 * 50 : 3]
    assert rows[9][:2] == (10, "Q0010")
    with pytest.raises(InputError, match=f"of the {len(allowed):,} allowed"):
        list(rows_of(Formula("Q0001", "Q9999", "counted"), HARBOUR, TRACK))


@pytest.mark.parametrize(
    ("formula", "says"),
    [
        (Formula("Q01", "Q100", "counted"), "written as the first code is"),
        (Formula("Q09", "Q01", "counted"), "comes before the first code"),
        (Formula("Q0000000", "Q2000000", "counted"), "2,000,001 codes, more than 1,000,000"),
        (Formula("Q11111", "Q11119", "digits", places=(1, 2, 3)), "one place from 1 to 6 for each of the 5 cuts"),
    ],
)
def test_a_formula_that_cannot_be_is_refused(formula: Formula, says: str) -> None:
    with pytest.raises(InputError, match=says):
        list(rows_of(formula, HARBOUR, TRACK))


def test_documents_go_out_as_they_come_in() -> None:
    about = SeriesDocument("t", "T", "harbour-five", "A", maker="Quay", edition="2026", printed="#x")
    document = write_series(about, [("T1", "3 5 2 4 1")])
    assert read_series(document) == SeriesDocument(
        "t", "T", "harbour-five", "A", maker="Quay", edition="2026", printed="#x", codes=((1, "T1", "3 5 2 4 1"),)
    )
    rule = {"from": "Q001", "to": "Q009", "rule": "counted"}
    by_rule = {name: value for name, value in document.items() if name != "codes"}
    assert read_series({**by_rule, "formula": rule}).formula == Formula("Q001", "Q009", "counted")
    assert write_series(read_series({**by_rule, "formula": rule}), ())["formula"] == {**rule, "start": 1, "every": 1}
    for wrong in (by_rule, {**document, "formula": rule}):
        with pytest.raises(InputError, match="codes: is needed, or a formula in its place"):
            read_series(wrong)
    with pytest.raises(InputError, match="larger than 0 MB"):
        parse_json(b"{ }" * 9, 20)


def test_a_table_keeps_its_line_numbers_through_quotes_and_empty_lines() -> None:
    table = 'Note,Code,Bitting\n"a\nb",T1,35241\n\n,,\nx,T2\n'
    assert list(read_table(table.splitlines(keepends=True))) == [(3, "T1", "35241"), (6, "T2", "")]
    with pytest.raises(InputError, match="line 2: "):
        list(read_table(["code,bitting\n", '"T1"x,1\n']))
