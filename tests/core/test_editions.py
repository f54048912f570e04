"""What a corrected table changes, figure by figure and for a key: by hand, and against plain subtraction."""

from __future__ import annotations

from copy import deepcopy
from itertools import product
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keycore import families
from keycore.documents.family import read_family
from keycore.editions import compare_editions, cut_shifts, reads_bittings
from keycore.errors import InputError
from specimens import TINY, tiny, tiny_track

INCH = 25.4


def in_millimetres(document: dict[str, Any]) -> dict[str, Any]:
    """The tiny family written anew in millimetres."""
    whole = deepcopy(document)
    whole["unit"] = "mm"
    whole["blank"] = {k: v if k == "code" else v * INCH for k, v in whole["blank"].items()}
    whole["tolerance"] = {k: v * INCH for k, v in whole["tolerance"].items()}
    track = whole["tracks"][0]
    track["spaces"] = [x * INCH for x in track["spaces"]]
    track["depths"] = [{**depth, "value": depth["value"] * INCH} for depth in track["depths"]]
    track["cut"]["flat"] *= INCH
    return whole


def changed(was: dict[str, Any], now: dict[str, Any]) -> Any:
    return compare_editions(read_family(was), read_family(now), was, now)


def test_figures_and_fields_are_told_apart_and_named_by_where_they_stand() -> None:
    now = tiny_track(
        spaces=[0.2, 0.352, 0.5], cut={"flat": 0.032, "angle": 90},
        depths=[{"label": "1", "value": 0.32}, {"label": "2", "value": 0.299}, {"label": "3", "value": 0.28},
                {"label": "4", "value": 0.262}],
    ) | {"notes": "measured anew", "edition": "2027"}  # fmt: skip
    found = changed(TINY, now)
    assert [(each.name, each.was, each.now) for each in found.depths] == [("2", 0.30, 0.299), ("4", None, 0.262)]
    assert [(each.name, each.was, each.now) for each in found.spaces] == [("2", 0.35, 0.352)]
    assert [(each.where, each.was, each.now) for each in found.fields] == [
        (("track A", "cut", "flat"), "0.03", "0.032"), (("notes",), "", "measured anew"),
    ]  # fmt: skip
    assert not found.reads_bittings  # a depth more


def test_a_table_written_anew_in_millimetres_changes_nothing_but_its_unit() -> None:
    found = changed(TINY, in_millimetres(TINY))
    assert (found.depths, found.spaces) == ((), ())
    assert [each.where for each in found.fields] == [("unit",)]
    assert found.reads_bittings


def test_the_name_of_an_edition_alone_is_no_change_and_a_number_is_its_value() -> None:
    assert not changed(TINY, tiny(edition="2027")).any
    assert not changed(TINY, tiny_track(cut={"flat": 0.030, "angle": 90.0})).any


def test_another_kind_is_another_family() -> None:
    sided = tiny(kind="double-edge", entry="both")
    with pytest.raises(InputError, match="another kind is another family"):
        changed(TINY, sided)


@pytest.mark.parametrize(
    "now",
    [
        tiny_track(depths=[{"label": label, "value": v} for label, v in zip("012", (0.32, 0.30, 0.28), strict=True)]),
        tiny_track(spaces=[0.2, 0.35]),
        tiny_track(spaces=[0.5, 0.35, 0.2]) | {"numbered_from": "tip"},
        tiny_track(name="B"),
    ],
)
def test_a_bitting_means_other_cuts_where_labels_cuts_or_counting_differ(now: dict[str, Any]) -> None:
    was, later = read_family(TINY), read_family(now)
    assert not reads_bittings(was, later)
    with pytest.raises(InputError, match="not those of the edition before"):
        cut_shifts(was, later, {"A": ["1", "1", "1"]})


@given(
    st.lists(st.floats(-0.004, 0.004), min_size=3, max_size=3),
    st.lists(st.floats(-0.02, 0.02), min_size=3, max_size=3),
    st.booleans(),
)
def test_every_key_shifts_by_the_plain_difference_of_its_figures(
    depths: list[float], spaces: list[float], is_metric: bool
) -> None:
    """All 27 bittings against numpy's subtraction, also where the new table is in the other unit."""
    table = TINY["tracks"][0]
    now = tiny_track(
        spaces=[x + d for x, d in zip(table["spaces"], spaces, strict=True)],
        depths=[{**row, "value": row["value"] + d} for row, d in zip(table["depths"], depths, strict=True)],
    )
    later = read_family(in_millimetres(now) if is_metric else now)
    in_unit = INCH if is_metric else 1.0
    for steps in product(range(3), repeat=3):
        labels = [table["depths"][step]["label"] for step in steps]
        found = {each.place.space: each for each in cut_shifts(read_family(TINY), later, {"A": labels})}
        value, space = np.array(depths)[list(steps)] * in_unit, np.array(spaces) * in_unit
        for place in range(3):
            shift = found.get(place + 1)
            assert (shift.value if shift else 0.0) == pytest.approx(value[place], abs=2e-9)
            assert (shift.space if shift else 0.0) == pytest.approx(space[place], abs=2e-9)


def test_an_angle_shifts_the_shorter_way_round() -> None:
    """A disc family whose last depth, at 350 degrees, is corrected to 2: 12 degrees on, not 348 back."""
    disc = families.shipped("lantern-nine")
    was, now = deepcopy(disc), deepcopy(disc)
    was["tracks"][0]["depths"] = [{"label": "1", "value": 10.0}, {"label": "2", "value": 350.0}]
    now["tracks"][0]["depths"] = [{"label": "1", "value": 10.0}, {"label": "2", "value": 362.0}]
    for document in (was, now):
        document["tracks"][0].pop("fixed", None)
        document.pop("fixed", None)
    spaces = len(disc["tracks"][0]["spaces"])
    found = cut_shifts(read_family(was), read_family(now), {was["tracks"][0]["name"]: ["2"] * spaces})
    assert [round(each.value, 9) for each in found] == [12.0] * spaces
