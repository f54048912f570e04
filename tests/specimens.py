"""Named specimens that serve all tests: families, worn keys, new keys, damaged documents."""

from __future__ import annotations

import json
from copy import deepcopy
from pathlib import Path
from typing import Any

import numpy as np

from keycore import families
from keycore.documents.family import read_family
from keycore.family import Family
from keycore.kind import Surface

STAGE_DOOR_KEY = [0.2779, 0.2353, 0.2947, 0.2577, 0.3189]
"""A Harbour five key of bitting 3 5 2 4 1, worn about 9 thou: read plainly it is 3 6 3 4 1."""

TINY: dict[str, Any] = {
    "format": "wry-falcon.family/1", "id": "tiny", "name": "Tiny", "kind": "edge", "unit": "in",
    "gauge": "shoulder", "numbered_from": "bow",
    "blank": {"code": "T", "height": 0.34, "thickness": 0.08, "length": 0.8},
    "tracks": [{"name": "A", "spaces": [0.2, 0.35, 0.5],
                "depths": [{"label": "1", "value": 0.32}, {"label": "2", "value": 0.30}, {"label": "3", "value": 0.28}],
                "cut": {"flat": 0.03, "angle": 90}, "macs": 1}],
    "tolerance": {"value": 0.002, "space": 0.003},
}  # fmt: skip


def harbour_five() -> Family:
    return read_family("harbour-five")


def tiny(**changes: Any) -> dict[str, Any]:
    """The tiny family's document with some fields changed; None takes a field out."""
    document = {**deepcopy(TINY), **changes}
    return {name: value for name, value in document.items() if value is not None}


def tiny_track(**changes: Any) -> dict[str, Any]:
    """The tiny family's document with some fields of its track changed."""
    document = deepcopy(TINY)
    document["tracks"][0].update(changes)
    return document


def stage_door_reading(**changes: Any) -> dict[str, Any]:
    """A reading document of the worn stage door key."""
    evidence = {
        "kind": "measured", "values": list(STAGE_DOOR_KEY), "sd": 0.0016,
        "offset": {"mean": -0.004, "sd": 0.004, "tip": {"mean": -0.001, "sd": 0.003}},
    }  # fmt: skip
    return {"format": "wry-falcon.reading/1", "family": "harbour-five", "evidence": [evidence], **changes}


def proof(errors: list[float], sd: float = 0.0003, spaces: list[float] | None = None) -> dict[str, Any]:
    """A proof document of a Harbour five key whose cuts came out with these errors, inches."""
    track = harbour_five().tracks[0]
    values = np.array(track.values)[[2, 4, 1, 3, 0]]
    cuts = [
        {"space": i + 1, "from_gauge": track.spaces[i], "value": float(values[i]), "measured": float(values[i] + e)}
        for i, e in enumerate(errors)
    ]
    for cut, shift in zip(cuts, spaces or [], strict=False):
        cut["measured_space"] = cut["from_gauge"] + shift
    return {
        "format": "wry-falcon.proof/1", "unit": "in", "tolerance": {"value": 0.002, "space": 0.003},
        "sd": sd, "cuts": cuts,
    }  # fmt: skip


DAMAGED = {
    "spaces that fall": (tiny_track(spaces=[0.5, 0.35, 0.2]), "tracks[0].spaces"),
    "spaces that turn": (tiny_track(spaces=[0.2, 0.5, 0.35]), "tracks[0].spaces"),
    "depths that turn": (
        tiny_track(depths=[{"label": "1", "value": 0.3}, {"label": "2", "value": 0.32}, {"label": "3", "value": 0.28}]),
        "tracks[0].depths",
    ),
    "a label twice": (
        tiny_track(depths=[{"label": "1", "value": 0.32}, {"label": "1", "value": 0.3}]),
        "tracks[0].depths",
    ),
    "a label too long": (tiny_track(depths=[{"label": "12345", "value": 0.32}]), "tracks[0].depths[0].label"),
    "an unknown field": (tiny(colour="brass"), "colour"),
    "no kind": (tiny(kind=None), "kind"),
    "another kind": (tiny(kind="magnetic"), "kind"),
    "text for a number": (tiny_track(macs="1"), "tracks[0].macs"),
    "a fraction for a count": (tiny_track(macs=1.5), "tracks[0].macs"),
    "a lock with a space too many": (tiny(positions={"door": [1, 4]}), "positions.door"),
    "widths across a single edge": (tiny(measured="across"), "measured"),
    "an angle of nothing": (tiny_track(cut={"flat": 0.03, "angle": 0}), "tracks[0].cut.angle"),
    "no tracks": (tiny(tracks=[]), "tracks"),
    "a list": ([], ""),
    "too many spaces": (tiny_track(spaces=[i / 100 for i in range(1, 62)]), "tracks[0].spaces"),
}
"""Family documents that are refused, and the field that is named."""


def shipped(*, blades_only: bool = False) -> list[Family]:
    """Every family that ships, or those alone that are cut on an edge."""
    every = [read_family(family_id) for family_id in families.shipped_ids()]
    return [family for family in every if family.kind.surface == Surface.EDGE or not blades_only]


TRADE = Path(__file__).parent / "reference" / "trade"


def of_the_trade(name: str) -> dict[str, Any]:
    """A family of figures that are common practice: check values, worked by hand here."""
    found: dict[str, Any] = json.loads((TRADE / f"{name}.json").read_text())
    return found
