"""How the cuts of a piece are told to its machine beside where and how deep: further axes, the way of a mill."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from keycore.cutting.commands import lays_by_clamping, mirrored_in, stretches, tool_words, ways_of
from keycore.cutting.lay import lay_words
from keycore.cutting.plan import Plan
from keycore.family import Family
from keycore.kind import Lay, Way
from wryfalcon.bench.models import Piece, SetUp, Tag
from wryfalcon.bench.setting_up.planning import height_of, plan_of
from wryfalcon.machines.fittings.queries import axes_of
from wryfalcon.machines.formats.gcode import Program
from wryfalcon.machines.offsets import offsets_for


def ways_told(piece: Piece) -> dict[str, Way]:
    """The ways of its tracks as they are told to a machine: axes that stand still, the path of the tool's middle."""
    plan, card = plan_by_card(piece), piece.set_up
    if plan is None or card is None:
        return {}
    offsets = offsets_for(card.machine, plan.family.gauge, card.jaw_side, piece.tag.family_record)
    return ways_of(plan, offsets, height_of(card))


def plan_by_card(piece: Piece) -> Plan | None:
    """The plan of the card that a piece is cut by; None for one without a card."""
    card = piece.set_up
    if card is None:
        return None
    return plan_of(piece.tag, card.settlement, style=card.style, cutter=card.cutter)


def turned_over(piece: Piece) -> frozenset[tuple[int, str]]:
    """The clampings and tracks of a piece whose values are told from the other edge; see ``mirrored_in``."""
    plan = plan_by_card(piece)
    return mirrored_in(plan) if plan is not None else frozenset()


def next_lay(piece: Piece) -> Lay | None:
    """How the metal is to lie for the next cut of a piece; None where it lies in no clamp."""
    plan = plan_by_card(piece)
    if plan is None or piece.done >= len(piece.cuts):
        return None
    return lays_by_clamping(plan).get(piece.cuts[piece.done]["clamping"])


def program_of(tag: Tag, card: SetUp, job: str, head: Sequence[str]) -> Program:
    """What a program for the cuts of a card says beside them; ``head`` stands in its first lines."""
    plan = plan_of(tag, card.settlement, style=card.style, cutter=card.cutter)
    offsets = offsets_for(card.machine, tag.family.gauge, card.jaw_side, tag.family_record)
    lays, blank = plan.lays, plan.blank
    are_several = len({clamping.tool for clamping in plan.clampings}) > 1
    of_track = {name: c.tool if are_several else "" for c in plan.clampings for name in c.tracks}
    return Program(
        job=job,
        head=list(head),
        axes=axes_of(card.machine, card.jaw_side),
        deeper=_deeper(tag.family),
        uncut=_uncut(tag.family),
        ways=ways_of(plan, offsets, height_of(card)),
        lays={lay.number: lay_words(lay) for lay in lays},
        tools={of_track[each.track.name]: tool_words(plan, each.track.name) for each in plan.tracks},
        index=next((lay.index for lay in lays), ""),
        length=tag.family.lengths.to_machine(blank.length),
        counts_from=str(tag.family.gauge),
    )


def _uncut(family: Family) -> float:
    """The depth axis's number where nothing is cut yet, mm or degrees; 0 where the family does not say."""
    uncut = family.kind.uncut(family, family.tracks[0])
    return 0.0 if uncut is None else family.depth.to_machine(uncut)


def _deeper(family: Family) -> str:
    """What a deeper cut's number is, less or more; neither, where a key is turned or tracks differ."""
    ways = {track.falls_when_deeper for track in family.tracks}
    if family.depth.is_round or len(ways) > 1:
        return "turned"
    return "less" if ways.pop() else "more"


def by_lay(plan: Plan | None, cuts: Iterable[Mapping[str, Any]]) -> list[Any]:
    """Cuts numbered by how the key lies instead of by clamping: another drill on the same face turns nothing over."""
    lays = lays_by_clamping(plan) if plan is not None else {}
    return [{**c, "clamping": lays[c["clamping"]].number if c["clamping"] in lays else c["clamping"]} for c in cuts]


def laid(piece: Piece) -> dict[str, Any]:
    """How a hand lays the key and how large its blank is, mm: what the stand-in is told beside the card."""
    lay, blank, to_mm = next_lay(piece), piece.tag.family.blank, piece.tag.family.lengths.to_machine
    if lay is None or blank is None:
        return {}
    sizes = {"length": blank.length, "height": blank.height, "thickness": blank.thickness}
    if piece.set_up is not None and (measured := height_of(piece.set_up)) is not None:
        sizes["height"] = measured
    at = {"up": lay.up, "jaw": lay.jaw} if lay.jaw else {}
    return {**at, "stop": lay.stop.split()[-1], "blank": {name: to_mm(size) for name, size in sizes.items()}}


def tools_told(piece: Piece) -> dict[str, dict[str, float]]:
    """Every tool that the cuts of a piece are made with by name, "" where whatever is fitted will do; mm, degrees."""
    plan, found = plan_by_card(piece), {}
    if plan is None:
        return {}
    names = {(cut["clamping"], cut["track"]): cut.get("tool", "") for cut in piece.cuts}
    for (_, track), name in names.items():
        tool = plan.tool or plan.family.track(track).tool
        if tool is not None:
            angle = getattr(tool, "angle", None)
            found[name] = {"size": plan.family.lengths.to_machine(tool.size)} | ({"angle": angle} if angle else {})
    return found


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
            more["mill"] = {"way": points, "diameter": way.across}
        told.append({**cut, **more})
    return by_lay(plan_by_card(piece), told)


def _along(
    commands: Iterable[dict[str, Any]], track: str, way: Way
) -> tuple[list[int], list[tuple[tuple[float, float], ...]]]:
    """The spaces of a track along the blade, and the stretch of its way for each."""
    places = sorted({(c["position"], c["space"]) for c in commands if c["track"] == track})
    return [space for _, space in places], stretches(way, [position for position, _ in places])
