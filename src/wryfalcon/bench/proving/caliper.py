"""Where the stand-in's own caliper is laid on a made key: on what, about where, and from which edge."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from keycore.cutting.commands import ACROSS, lays_by_clamping
from keycore.cutting.plan import Plan, TrackPlan, cutting_of
from keycore.family import Family, Gauge, Track
from keycore.kind import Lay, Surface, Way
from keycore.tools import Drill
from wryfalcon.bench.models import Piece
from wryfalcon.bench.setting_up.told import plan_by_card

Look = dict[str, Any]


def looks_at(piece: Piece) -> dict[str, Look]:
    """Where a smith lays the caliper for each cut of a piece, by the name its machine knows the cut by; mm."""
    plan = plan_by_card(piece)
    if plan is None or piece.set_up is None:
        return {}
    lays, tracks = lays_by_clamping(plan), {each.track.name: each for each in plan.tracks}
    return {
        command["place"]: _look(plan, lays.get(command["clamping"]), tracks[command["track"]], command["space"])
        for command in piece.set_up.commands
    }


def _look(plan: Plan, lay: Lay | None, planned: TrackPlan, space: int) -> Look:
    family, track, ways = plan.family, planned.track, cutting_of(plan.family).ways
    way = ways(plan)[track.name] if ways is not None else Way({})
    cut = next(cut for cut in planned.cuts if cut.space == space)
    end = "tip" if family.gauge == Gauge.TIP else "shoulder"
    near = family.depth.to_machine(cut.value)
    at = {"x": family.space.to_machine(cut.from_gauge), "end": end, "near": near}
    return at | LOOKS[family.kind.surface](family, track, lay, way)


def _root(family: Family, track: Track, lay: Lay | None, way: Way) -> Look:
    return {"what": "root", "side": lay.up if lay else "top", "both": family.is_across}


def _wall(family: Family, track: Track, lay: Lay | None, way: Way) -> Look:
    """From the track's own reference; of one that is repeated on the other face from the edge that lay at the jaw."""
    side = lay.up if lay is not None else track.face
    own = "front" if track.face in ("top", "bottom") else "reference edge"
    seen_from = lay.jaw if lay is not None and lay.up != track.face else own
    return {"what": "wall", "side": side, "from": seen_from, "metal": way.metal}


def _hole(family: Family, track: Track, lay: Lay | None, way: Way) -> Look:
    to_mm = family.lengths.to_machine
    tip = track.tool.tip if isinstance(track.tool, Drill) else 0.0
    return {"what": "hole", "side": track.face, "row": to_mm(way.also[ACROSS]), "tip": to_mm(tip)}


def _slot(family: Family, track: Track, lay: Lay | None, way: Way) -> Look:
    return {"what": "slot"}


def _flat(family: Family, track: Track, lay: Lay | None, way: Way) -> Look:
    return {"what": "flat"}


LOOKS: Mapping[Surface, Callable[[Family, Track, Lay | None, Way], Look]] = {
    Surface.EDGE: _root, Surface.GROOVE: _wall, Surface.HOLE: _hole, Surface.END: _slot, Surface.ROUND: _flat,
}  # fmt: skip
"""What is looked at by where the cuts are; a bit is filed, and lies on no machine with a caliper."""
