"""The headless command: one document in, one out, and one line for everything damaged."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, example, given, settings
from hypothesis import strategies as st

from keycore.documents import VERBS
from keycore.documents.text import MOST_BYTES, parse_json
from keycore.errors import InputError
from specimens import DAMAGED, proof, stage_door_reading, tiny

SOURCE = Path(__file__).parents[2] / "src"
SOUND: dict[str, Any] = {
    "family": tiny(),
    "decode": stage_door_reading(),
    "plan": {"format": "wry-falcon.plan/1", "family": tiny(), "bitting": {"A": ["1", "2", "3"]}, "style": "ramped"},
    "verify": proof([0.001, -0.0005, 0, 0, 0.003]),
}


MANY_NAMES = b"{%s}" % b",".join(b'"n%d": 1' % n for n in range(30_000))


def run(*arguments: str, given: bytes = b"") -> subprocess.CompletedProcess[bytes]:
    return subprocess.run(
        [sys.executable, "-m", "keycore", *arguments], input=given, capture_output=True, cwd=SOURCE, check=False
    )


def test_an_answer_is_one_json_document_on_standard_output() -> None:
    done = run("family", "-", given=json.dumps(tiny()).encode())
    assert (done.returncode, done.stderr) == (0, b"")
    answer = json.loads(done.stdout)
    assert answer["bittings"] == {"A": {"all": 27, "allowed": 17}}


@pytest.mark.parametrize(
    ("arguments", "given", "says"),
    [
        (("family", "-"), b"{", "not JSON at line 1, column 2"),
        (("family", "-"), b'{"a": NaN}', "NaN is not a finite number"),
        (("family", "-"), b'{"a": 1, "a": 2}', "a: is given twice"),
        (("family", "-"), b'{"\\u001b[2J": 1, "\\u001b[2J": 2}', "\\x1b[2J: is given twice"),
        (
            ("family", "-"),
            b"{%s}" % b",".join(b'"n%d": 1' % n for n in range(30_000)),
            "n0: stands among 30,000 fields",
        ),
        (("family", "-"), b"\xff\xfe", "not UTF-8 text at byte 0"),
        (("family", "-"), b"[" * 100_000, "nested too deeply"),
        (("family", "-"), b"1" * 5000, "a number too long"),
        (("family", "no-such-file.json"), b"", "cannot read 'no-such-file.json'"),
        (("unlock", "-"), b"{}", "usage: python -m keycore VERB FILE"),
        ((), b"", "usage:"),
    ],
)
def test_bad_input_is_one_line_on_standard_error_and_status_2(
    arguments: tuple[str, ...], given: bytes, says: str
) -> None:
    done = run(*arguments, given=given)
    assert (done.returncode, done.stdout) == (2, b"")
    assert says in done.stderr.decode()
    assert done.stderr.count(b"\n") == 1


def test_a_document_over_5_mb_is_refused() -> None:
    with pytest.raises(InputError, match="larger than 5 MB"):
        parse_json(b" " * (MOST_BYTES + 1))


@pytest.mark.parametrize(("document", "field"), DAMAGED.values(), ids=DAMAGED)
def test_a_damaged_family_names_its_field(document: Any, field: str) -> None:
    with pytest.raises(InputError) as refused:
        VERBS["family"](document)
    assert refused.value.field == field
    assert "\n" not in str(refused.value)


def test_a_reading_of_the_wrong_length_says_how_many_were_wanted() -> None:
    reading = stage_door_reading()
    reading["evidence"][0]["values"].append(0.3)
    with pytest.raises(InputError, match=r"^evidence\[0\]\.values: 6 values for 5 spaces$"):
        VERBS["decode"](reading)


def test_a_space_both_flush_and_unsure_is_refused() -> None:
    flush = {"kind": "flush", "depth": "3", "at": [1, 2], "unsure": [2]}
    with pytest.raises(InputError, match=r"evidence\[0\]\.unsure: space 2 is both flush and unsure"):
        VERBS["decode"](stage_door_reading(evidence=[flush]))


def test_no_allowed_bitting_at_all_is_an_input_error() -> None:
    with pytest.raises(InputError, match="no bitting at all is allowed"):
        VERBS["decode"](stage_door_reading(among=[["1", "6", "1", "6", "1"]]))


junk = st.one_of(
    st.none(), st.booleans(), st.integers(-(10**20), 10**20), st.floats(), st.text(max_size=4),
    st.lists(st.integers(), max_size=2), st.dictionaries(st.text(max_size=3), st.integers(), max_size=2),
)  # fmt: skip


def spoil(document: Any, path: list[int], value: Any) -> Any:
    """Walk into a document and put junk at some place in it."""
    if not path or not isinstance(document, (dict, list)) or not document:
        return value
    if isinstance(document, dict):
        names = sorted(document)
        name = names[path[0] % len(names)]
        return {**document, name: spoil(document[name], path[1:], value)}
    place = path[0] % len(document)
    return [*document[:place], spoil(document[place], path[1:], value), *document[place + 1 :]]


@example("verify", [3, 1], 2.3e-285)  # a tolerance that squares to nothing
@settings(max_examples=250, suppress_health_check=[HealthCheck.too_slow])
@given(st.sampled_from(sorted(SOUND)), st.lists(st.integers(0, 9), min_size=1, max_size=6), junk)
def test_junk_anywhere_gives_an_answer_or_one_clear_line(verb: str, path: list[int], value: Any) -> None:
    try:
        answer = VERBS[verb](spoil(SOUND[verb], path, value))
    except InputError as refused:
        answer = {"says": str(refused)}
        if not str(refused).strip() or "\n" in str(refused):
            pytest.fail(f"not one clear line: {refused}")
    json.dumps(answer, allow_nan=False)


def test_a_plan_waits_for_nothing_that_it_does_not_use() -> None:
    """Causes are named by a plan's kind and weighed by a proof: the heavy library stays away until then."""
    asks = "import sys; from keycore.documents import VERBS; VERBS['plan'](%r); print('scipy' in sys.modules)"
    request = {**SOUND["plan"], "family": tiny()}
    done = subprocess.run(
        [sys.executable, "-c", asks % request], capture_output=True, cwd=SOURCE, text=True, check=True
    )
    assert done.stdout.strip() == "False"
