"""How the cuts of a piece are told to its machine beside where and how deep: further axes, the way of a mill."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from keycore.cutting.commands import stretches, ways_of
from keycore.kind import Way
from wryfalcon.bench.models import Piece
from wryfalcon.bench.setting_up.planning import plan_of
from wryfalcon.machines.offsets import offsets_for


def ways_told(piece: Piece) -> dict[str, Way]:
    """The ways of its tracks as they are told to a machine: axes that stand still, the path of the tool's middle."""
    card, tag = piece.set_up, piece.tag
    if card is None:
        return {}
    plan = plan_of(tag, card.settlement, style=card.style, cutter=card.cutter)
    offsets = offsets_for(card.machine, tag.family.gauge, card.jaw_side, tag.family_record)
    return ways_of(plan, offsets)


def cuts_told(piece: Piece, ways: Mapping[str, Way]) -> list[dict[str, Any]]:
    """The cuts of a key with the way of each: a wall goes stretch by stretch, moved with what is told of its cut."""
    told: list[dict[str, Any]] = []
    planned = {(c["clamping"], c["track"], c["space"]): c for c in piece.set_up.commands} if piece.set_up else {}
    stretch = {
        name: dict(zip(*_along(planned.values(), name, way), strict=True)) for name, way in ways.items() if way.path
    }
    for cut in piece.cuts:
        way = ways.get(cut["track"])
        more: dict[str, Any] = {} if way is None else {"also": dict(way.also)}
        if way is not None and way.path:
            aside = cut["value"] - planned[cut["clamping"], cut["track"], cut["space"]]["value"]
            points = [[round(x, 4), round(y + aside, 4)] for x, y in stretch[cut["track"]][cut["space"]]]
            run = f"{cut['clamping']} {cut['track']}"
            more["mill"] = {"way": points, "run": run, "metal": way.metal, "diameter": way.across}
        told.append({**cut, **more})
    return told


def _along(
    commands: Iterable[dict[str, Any]], track: str, way: Way
) -> tuple[list[int], list[tuple[tuple[float, float], ...]]]:
    """The spaces of a track along the blade, and the stretch of its way for each."""
    places = sorted({(c["position"], c["space"]) for c in commands if c["track"] == track})
    return [space for _, space in places], stretches(way, [position for position, _ in places])
