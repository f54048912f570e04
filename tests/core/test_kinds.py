"""One house for every kind of key: a kind is known by its own rooms alone, and a new one needs no other."""

from __future__ import annotations

import ast
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from shapely.geometry import Polygon

import keycore
import toy_kind
import wryfalcon
from keycore import kind as kind_module
from keycore.cutting.commands import AxisMap, MachineOffsets, Move, moves_of
from keycore.cutting.plan import plan_cuts
from keycore.documents import answer_of
from keycore.documents.family import read_family
from keycore.errors import InputError
from keycore.family import Family, Place
from keycore.geometry.shape import View
from keycore.kinds import kind_of, kinds
from specimens import shipped, tiny, tiny_track

SOURCES = [Path(package.__file__ or "").parent for package in (keycore, wryfalcon)]
OWN_ROOMS = ("keycore/kinds/", "keycore/documents/kinds/", "wryfalcon/drawings/kinds/")
SHARED_WORDS = {"edge"}
"""An edge is also where a blade is measured and where cuts are: as a word for those it stands in other rooms."""


def decisions(tree: ast.AST) -> Iterator[ast.expr]:
    """Every place where something is told apart by a value: comparisons, cases, keys, choices from a collection."""
    for node in ast.walk(tree):
        if isinstance(node, ast.Compare):
            yield from (node.left, *node.comparators)
        elif isinstance(node, ast.MatchValue):
            yield node.value
        elif isinstance(node, ast.Dict):
            yield from (key for key in node.keys if key is not None)
        elif isinstance(node, ast.Subscript) and not (isinstance(node.value, ast.Name) and node.value.id == "Literal"):
            yield node.slice  # the closed list of a document's schema decides nothing


def named(expression: ast.expr, ids: set[str]) -> Iterator[str]:
    """The kinds that an expression names, as text or through a collection of texts."""
    for node in ast.walk(expression):
        if isinstance(node, ast.Constant) and node.value in ids:
            yield str(node.value)


@pytest.mark.parametrize("root", SOURCES, ids=lambda root: root.name)
def test_nothing_outside_its_own_rooms_asks_which_kind_a_key_is(root: Path) -> None:
    ids = {kind.id for kind in kinds()} - SHARED_WORDS
    for path in root.rglob("*.py"):
        where = path.relative_to(root.parent).as_posix()
        if where.startswith(OWN_ROOMS) or "/migrations/" in where:
            continue
        found = [name for each in decisions(ast.parse(path.read_text())) for name in named(each, ids)]
        assert not found, f"{where} tells keys apart by their kind: {found}"


@pytest.mark.parametrize("root", SOURCES, ids=lambda root: root.name)
def test_nothing_outside_its_own_rooms_brings_a_kind_in_by_name(root: Path) -> None:
    modules = {"edge", "double_edge", "side_milled", "dimple", "tubular", "rotary", "lever"}
    for path in root.rglob("*.py"):
        where = path.relative_to(root.parent).as_posix()
        if where.startswith(OWN_ROOMS):
            continue
        for node in ast.walk(ast.parse(path.read_text())):
            names = [a.name for a in node.names] if isinstance(node, ast.Import) else []
            if isinstance(node, ast.ImportFrom):
                names = [f"{node.module}.{a.name}" for a in node.names]
            brought = [n for n in names if ".kinds." in n and modules & set(n.split("."))]
            assert not brought, f"{where} brings in {brought}"


@pytest.mark.parametrize("root", SOURCES, ids=lambda root: root.name)
def test_no_kind_is_held_against_a_name(root: Path) -> None:
    """Of ``kind`` and ``kind.id`` even the shared words are not asked."""
    ids = {kind.id for kind in kinds()}
    for path in root.rglob("*.py"):
        where = path.relative_to(root.parent).as_posix()
        if where.startswith(OWN_ROOMS) or "/migrations/" in where:
            continue
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.Compare) and any(asks_the_kind(side) for side in (node.left, *node.comparators)):
                found = [name for side in (node.left, *node.comparators) for name in named(side, ids)]
                assert not found, f"{where}:{node.lineno} holds a kind against {found}"


def asks_the_kind(expression: ast.expr) -> bool:
    return ast.unparse(expression).removesuffix(".id").split(".")[-1] == "kind"


def test_a_comparison_with_a_kind_would_be_found() -> None:
    ids = {"dimple"}
    for guilty in ('kind == "dimple"', 'kind in ("lever", "dimple")', '{"dimple": 1}[kind]', 'TABLE["dimple"]'):
        found = [name for each in decisions(ast.parse(guilty)) for name in named(each, ids)]
        assert found, guilty


def test_every_kind_says_what_its_coordinates_are() -> None:
    for kind in kinds():
        assert kind.space.words
        assert kind.depth.words
        assert kind_of(kind.id) is kind
    assert not kind_of("tubular").space.is_length
    assert not kind_of("rotary").depth.is_length
    with pytest.raises(InputError, match="no kind of key 'weathercock'"):
        kind_of("weathercock")


def test_a_kind_without_cutting_is_refused_a_plan_in_plain_words(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setitem(kind_module._KINDS, "wavy", replace(kind_of("edge"), id="wavy", cuts=None))
    family = replace(read_family(tiny()), kind=kind_of("wavy"))
    with pytest.raises(InputError, match="rotary and lever keys, not for wavy"):
        plan_cuts(family, {"A": ["1", "2", "3"]})


@pytest.mark.parametrize(("kind", "field"), [("side-milled", "mill"), ("dimple", "drill"), ("lever", "bit")])
def test_what_a_kind_needs_to_be_planned_is_named(kind: str, field: str) -> None:
    family = read_family({**tiny(), "kind": kind, "tracks": [{**tiny()["tracks"][0], "cut": None}]})
    with pytest.raises(InputError, match=f"{field}: needed to plan a key"):
        plan_cuts(family, {"A": ["1", "2", "3"]})


def polygon(view: View) -> Polygon:
    return Polygon(view.outline)


@pytest.mark.parametrize("style", ["plunged", "ramped"])
@pytest.mark.parametrize("family", shipped(blades_only=True), ids=lambda family: family.id)
def test_the_one_shape_is_a_valid_outline_within_its_blank(family: Family, style: str) -> None:
    """Held against shapely's polygons."""
    bitting = {track.name: [track.labels[n % 3] for n in range(len(track.spaces))] for track in family.tracks}
    plan = plan_cuts(family, bitting, style)
    view = plan.shape.view()
    left = polygon(view)
    assert left.is_valid
    assert Polygon(view.blank).buffer(1e-9).contains(left)
    assert view.cut_away == pytest.approx(Polygon(view.blank).area - left.area, rel=1e-9)
    for spot in view.spots:
        assert left.intersects(Polygon([(spot.x - 1e-6, 0), (spot.x + 1e-6, 0), (spot.x, 100)])), spot


def test_a_ramped_key_is_drawn_with_all_the_metal_that_is_cut_away() -> None:
    """Worked by hand: roots 0.30 and 0.25 in a blank of 0.34, flat 0.02, 90 degrees, spaces 0.2 and 0.4.

    Ramped: a flank of 0.04 up to the edge (0.0008), two flats (0.0008 and 0.0018), between them a straight run of 0.18
    over a mean depth of 0.065 (0.0117), a flank of 0.09 (0.00405): 0.01915. Plunged: two trapezoids that do not
    meet: 0.02 * 0.04 + 0.04 ** 2 = 0.0024 and 0.02 * 0.09 + 0.09 ** 2 = 0.0099: 0.0123.
    """
    depths = [{"label": "1", "value": 0.30}, {"label": "2", "value": 0.25}]
    family = read_family(tiny_track(spaces=[0.2, 0.4], depths=depths, cut={"flat": 0.02, "angle": 90}, macs=None))
    away = {s: plan_cuts(family, {"A": ["1", "2"]}, s).shape.view().cut_away for s in ("plunged", "ramped")}
    assert away == {"plunged": pytest.approx(0.0123), "ramped": pytest.approx(0.01915)}


def test_a_key_cut_on_both_edges_has_metal_gone_on_both() -> None:
    family = read_family("chandler-ten")
    plan = plan_cuts(family, {"A": ["2"] * 10})
    view = plan.shape.view()
    assert [curve.bounds for curve in view.curves] == ["above", "below"]
    assert [curve.name for curve in view.curves] == ["A", "A, turned over"]
    above, below = (curve.points for curve in view.curves)
    assert below[:, 1] == pytest.approx(plan.blank.height - above[:, 1])
    once = family.kind.cutting
    assert once is not None
    second = {(2, Place("A", space)) for space in range(1, 11)}
    half = once.shape(family, {"A": [cut.value for cut in plan.tracks[0].cuts]}, uncut=second)
    assert half.view().cut_away == pytest.approx(view.cut_away / 2)


def test_a_move_goes_to_the_axes_that_its_machine_or_clamp_has() -> None:
    move = Move(1, Place("A", 2), 5.0, 7.25)
    assert move.at(AxisMap()) == {"X": 5.0, "Z": 7.25}
    assert move.at(AxisMap(space="Z", depth="X")) == {"Z": 5.0, "X": 7.25}


def test_a_kind_taken_in_is_checked_planned_and_answered(monkeypatch: pytest.MonkeyPatch) -> None:
    toy_kind.take_in(monkeypatch)
    family = read_family(toy_kind.DOCUMENT)
    request = {
        "format": "wry-falcon.plan/1", "family": toy_kind.DOCUMENT, "style": "turned",
        "bitting": {"A": ["1", "4", "2", "3", "1"]},
    }  # fmt: skip
    answer = answer_of("plan")(request)
    (track,) = answer["tracks"]
    assert [cut["value"] for cut in track["cuts"]] == [65.0, 20.0, 50.0, 35.0, 65.0]
    assert track["cuts"][1]["turn"] == 70.0
    assert "profile" not in track
    assert answer["clampings"] == [{"n": 1, "face": "front", "tool": "disc clamp", "tracks": ["A"], "turn": None}]
    assert answer["problems"] == []
    plan = plan_cuts(family, request["bitting"])  # type: ignore[arg-type]
    told = moves_of(plan, MachineOffsets(value=0.5, space=0.01))
    assert [move.value for move in told] == [65.5, 20.5, 50.5, 35.5, 65.5]  # degrees stay degrees
    assert told[0].position == pytest.approx(0.15 * 25.4 + 0.01)
    with pytest.raises(InputError, match=r"^style: "):
        answer_of("plan")({**request, "style": "plunged"})


def test_a_kinds_own_fields_are_refused_in_families_of_another(monkeypatch: pytest.MonkeyPatch) -> None:
    toy_kind.take_in(monkeypatch)
    with pytest.raises(InputError, match=r"tracks\[0\]\.leaf: is not a field of this document"):
        read_family(tiny_track(leaf={"width": 0.05}))


def test_what_the_area_of_an_outline_is_does_not_depend_on_the_way_round() -> None:
    points = np.array([[0.0, 0.0], [3.0, 0.0], [3.0, 1.0], [1.0, 2.0], [0.0, 1.0]])
    from keycore.geometry.shape import area

    assert area(points) == area(points[::-1]) == pytest.approx(Polygon(points).area)
