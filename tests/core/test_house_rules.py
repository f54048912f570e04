"""The core's own rules: documented, exact counts, schemas that ship, nothing of the web."""

from __future__ import annotations

import ast
import importlib
import inspect
import json
import pkgutil
import re
import textwrap
from collections.abc import Callable, Iterator, Sequence
from itertools import product
from math import factorial
from pathlib import Path
from typing import Any

import jsonschema
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import keycore
from keycore import families
from keycore.documents.family import read_family
from keycore.documents.schemas import HERE, MODELS, schema_of
from keycore.errors import InputError
from keycore.family import Depth, Rules, Track
from keycore.rules import breaks, count_bittings
from specimens import DAMAGED, tiny_track

WORKED = Path(__file__).parents[1] / "reference" / "worked"
DOCUMENT_OF = {
    "family": "family", "decode": "reading", "plan": "plan", "verify": "proof", "progress": "progression",
    "calibrate": "calibration",
}  # fmt: skip


def public_things() -> Iterator[tuple[str, Any]]:
    for found in pkgutil.walk_packages(keycore.__path__, "keycore."):
        if found.name.endswith("__main__"):
            continue
        module = importlib.import_module(found.name)
        for name, thing in vars(module).items():
            own = getattr(thing, "__module__", None) == found.name
            if own and not name.startswith("_") and (inspect.isfunction(thing) or inspect.isclass(thing)):
                yield f"{found.name}.{name}", thing


@pytest.mark.parametrize(
    ("name", "thing"), list(public_things()), ids=lambda value: value if isinstance(value, str) else ""
)
def test_everything_public_says_what_it_is_for(name: str, thing: Any) -> None:
    said = inspect.getdoc(thing) or ""
    if ".documents.models." in name and not said:
        return  # named after the part of a document it describes
    assert said.split("\n")[0].strip(), name


SHAPE = re.compile(r"\([a-z0-9]+(?:, ?[a-z0-9 +]*)*\)")
UNIT = re.compile(
    r"\b(units?|mm|millimetres?|inch(es)?|degrees?|chances?|share|weights?|probability|days?|logs?|ratio|steps?)\b"
)
OF_MANY = re.compile(r"Sequence\[(float|int|str|Sequence|tuple\[int)|Array\b|Mapping\[str, Sequence|tuple\[(float|int)")
OF_LENGTH = re.compile(r"(float|Array|Sequence\[float)")
RECORDS = {name.rsplit(".", 1)[1] for name, thing in public_things() if inspect.isclass(thing)}


def unsaid(function: Callable[..., Any]) -> Iterator[str]:
    """What the docstring of a public function leaves out: each argument that is no record of the core's own is named,
    with its shape where it is many and its unit where it is a length; each error that is raised; that none is."""
    said = inspect.getdoc(function) or ""
    prose = re.sub(r"^\s*(>>>|\.\.\.).*$", "", said, flags=re.MULTILINE)
    for parameter in inspect.signature(function).parameters.values():
        annotation = str(parameter.annotation)
        if set(re.findall(r"\w+", annotation)) <= RECORDS | {"None"}:
            continue  # a record says itself what is in it, and in what unit
        if not re.search(rf"\b{parameter.name}\b", prose):
            yield f"argument {parameter.name}"
        if OF_MANY.search(annotation) and not SHAPE.search(prose):
            yield f"the shape of {parameter.name}"
        if OF_LENGTH.match(annotation) and not UNIT.search(prose):
            yield f"the unit of {parameter.name}"
    if not re.search("[Rr]aise|Error", prose):
        yield "what it raises, or that it raises nothing"
    raised = [node.exc for node in ast.walk(ast.parse(textwrap.dedent(inspect.getsource(function)))) if _raises(node)]
    for error in raised:
        if error.func.id not in prose:
            yield f"that it raises {error.func.id}"


def _raises(node: ast.AST) -> bool:
    return isinstance(node, ast.Raise) and isinstance(node.exc, ast.Call) and isinstance(node.exc.func, ast.Name)


FUNCTIONS = [(name, thing) for name, thing in public_things() if inspect.isfunction(thing)]


@pytest.mark.parametrize(("name", "function"), FUNCTIONS, ids=[name for name, _ in FUNCTIONS])
def test_every_public_function_says_what_it_takes_gives_and_raises(name: str, function: Callable[..., Any]) -> None:
    if re.search(r"see ``\w+``", inspect.getdoc(function) or ""):
        return  # one of a kind's functions, whose protocol in keycore/kind.py says it for all kinds
    assert not list(unsaid(function)), name


def test_what_a_docstring_leaves_out_is_noticed() -> None:
    def bent(values: Sequence[float], sd: float) -> float:
        """How far (n,) values bend."""
        if not values:
            raise ValueError(sd)
        return sd

    assert list(unsaid(bent)) == [
        "the unit of values", "argument sd", "the unit of sd", "what it raises, or that it raises nothing",
        "that it raises ValueError",
    ]  # fmt: skip


NAMED = re.compile(r"(?:class|def) (\w+)|^ *(\w+) *[:=]|name=\"(\w+)\"", re.MULTILINE)


def test_the_glossary_names_what_there_is() -> None:
    root = Path(__file__).parents[2]
    code = "\n".join(path.read_text() for path in sorted((root / "src").rglob("*.py")))
    there = {name for found in NAMED.finditer(code) for name in found.groups() if name}
    rows = [line.split("|")[3] for line in (root / "docs" / "glossary.md").read_text().splitlines() if "`" in line]
    named = [name for row in rows for name in re.findall(r"`([^`]+)`", row)]
    assert len(named) > 60
    for name in named:
        if "/" in name:
            assert list((root / "src").glob(f"**/{name}*")), name
        else:
            last = name.rsplit(".", 1)[-1]
            assert last in there, name


@settings(max_examples=60)
@given(
    st.integers(1, 5),
    st.integers(1, 4),
    st.one_of(st.none(), st.integers(0, 4)),
    st.builds(Rules, st.one_of(st.none(), st.integers(1, 5)), st.one_of(st.none(), st.integers(1, 4))),
)
def test_bittings_are_counted_as_enumeration_counts_them(n: int, d: int, macs: int | None, rules: Rules) -> None:
    spaces = tuple(0.2 + 0.1 * i for i in range(n))
    track = Track("A", spaces, tuple(Depth(str(k), 0.3 - 0.02 * k) for k in range(d)), macs=macs)
    listed = sum(not breaks(track, rules, bitting) for bitting in product(range(d), repeat=n))
    assert count_bittings(track, rules) == listed


def test_the_largest_family_without_macs_is_counted_at_once() -> None:
    """Sixty spaces of sixty depths: rules that forbid nothing leave 60**60, all different 60!, all but all alike."""
    spaces, depths = tuple(0.1 * n for n in range(1, 61)), tuple(Depth(str(k), 9 - 0.1 * k) for k in range(60))
    track = Track("A", spaces, depths)
    assert count_bittings(track, Rules(60, 1)) == 60**60
    assert count_bittings(track, Rules(1, None)) == factorial(60)
    assert count_bittings(track, Rules(59, 2)) == 60**60 - 60
    held = Track("A", spaces, depths, fixed=((1, 0), (2, 0), (60, 5)))
    assert count_bittings(held, Rules(59, 1)) == 60**57  # what is held differs already


@pytest.mark.parametrize("name", MODELS)
def test_the_shipped_schema_is_the_models_own(name: str) -> None:
    shipped = json.loads((HERE / f"{name}.schema.json").read_text())
    assert shipped == schema_of(name), "write them anew: python -m keycore.documents.schemas"


@pytest.mark.parametrize("path", sorted(WORKED.glob("*.json")), ids=lambda path: path.stem)
def test_worked_requests_satisfy_their_schema(path: Path) -> None:
    schema = schema_of(DOCUMENT_OF[path.stem.split("-")[0]])
    jsonschema.Draft202012Validator(schema).validate(json.loads(path.read_text())["request"])


@pytest.mark.parametrize("name", ["an unknown field", "no kind", "text for a number", "no tracks", "a list"])
def test_schemas_refuse_what_the_core_refuses(name: str) -> None:
    with pytest.raises(jsonschema.ValidationError):
        jsonschema.Draft202012Validator(schema_of("family")).validate(DAMAGED[name][0])


@pytest.mark.parametrize(
    ("kind", "values"),
    [
        ("tubular", [0.016, 0.032, 0.048]),
        ("dimple", [2.1, 1.8, 1.5]),
        ("side-milled", [1.0, 1.5, 2.0]),
        ("rotary", [30.0, 60.0, 90.0]),
        ("lever", [8.0, 7.5, 7.0]),
    ],
)
def test_every_kind_of_key_is_a_family_of_the_same_sort(kind: str, values: list[float]) -> None:
    depths = [{"label": str(k), "value": value} for k, value in enumerate(values)]
    family = read_family({**tiny_track(depths=depths), "kind": kind, "blank": None})
    assert family.kind.id == kind
    assert count_bittings(family.tracks[0]) == 17


def test_all_that_is_wrong_with_a_family_is_said_at_once() -> None:
    """Fields and rules in one answer, and nothing that rests on a field which is wrong."""
    wrong = tiny_track(spaces=[0.5, 0.4, 0.3], depths=[{"label": "1", "value": v} for v in (0.3, "deep", 0.28)])
    wrong = {**wrong, "colour": "red", "positions": {"door": [4]}, "tolerance": {"value": 0, "space": 0.1}}
    del wrong["name"]
    with pytest.raises(InputError) as refused:
        read_family(wrong)
    assert [str(fault) for fault in refused.value.all] == [
        "name: is missing",
        "tracks[0].depths[1].value: must be a number",
        "tolerance.value: Input should be greater than or equal to 0.000000001",
        "colour: is not a field of this document",
        "tracks[0].depths: two depths have the same label",
        "tracks[0].spaces: must rise: positions are measured from the shoulder and counted from the bow",
        "positions.door: there is no space 4, only 1 to 3",
    ]


def test_a_lever_s_spaces_rise_whatever_they_are_counted_from() -> None:
    given = families.shipped("sluice-four")
    assert read_family({**given, "gauge": "tip"}).tracks[0].spaces == read_family(given).tracks[0].spaces
    falling = [{**track, "spaces": track["spaces"][::-1]} for track in given["tracks"]]
    with pytest.raises(InputError, match="must rise for a key of kind lever"):
        read_family({**given, "gauge": "tip", "tracks": falling})
