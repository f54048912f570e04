"""What is fitted to a machine: wheel and follower, clamps with the axes behind them, and what they have done."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from keycore.cutting.commands import AxisMap
from keycore.family import Family
from keycore.kind import Surface
from keycore.machines.touch import ShapeMatch, match_shapes
from keycore.tools import Wheel
from wryfalcon.machines.models import ACROSS_AXES, TURNING_AXES, Cutter, Follower, JawSide, Machine

DEEPEST_CUT_MM = 3.0  # of an ordinary key; common practice, no source


@dataclass(frozen=True)
class WayOfHolding:
    """A way to hold a key: the machine's own jaw or another clamp, its faces, and which axis does what."""

    name: str
    faces: tuple[JawSide, ...]
    space_axis: str
    depth_axis: str
    note: str
    swaps: bool  # against the machine's own jaw

    @property
    def lies_flat(self) -> bool:
        """Whether a blade lies flat in it, so that its faces are touched off."""
        return bool(self.faces) and self.depth_axis in ACROSS_AXES


def sides_of(machine: Machine) -> list[JawSide]:
    """Every slot of its jaw and face of its clamps, each with its clamp."""
    return list(machine.jaw_sides.select_related("clamp"))


def holdings_of(machine: Machine) -> list[WayOfHolding]:
    """The machine's own jaw first, then its clamps and adapters."""
    sides = list(machine.jaw_sides.all())
    own = [side for side in sides if side.clamp_id is None]
    found = [WayOfHolding("Its own jaw", tuple(own), machine.space_axis, machine.depth_axis, "", False)]
    for clamp in machine.clamps.all():
        faces = tuple(side for side in sides if side.clamp_id == clamp.pk)
        swaps = (clamp.space_axis, clamp.depth_axis) != (machine.space_axis, machine.depth_axis)
        found.append(WayOfHolding(clamp.name, faces, clamp.space_axis, clamp.depth_axis, clamp.note, swaps))
    return found


def axes_of(machine: Machine, side: JawSide | None) -> AxisMap:
    """The axes that make space and depth for a key held so."""
    holder = side.clamp if side is not None and side.clamp is not None else machine
    return AxisMap(holder.space_axis, holder.depth_axis)


def makes(machine: Machine, side: JawSide | None, family: Family) -> bool:
    """Whether a key of this family can be cut held so: the axes turn what is an angle and slide what is a length.

    Two lengths are made by the machine's own axes only; a wall across a face by the axis that goes across.
    """
    axes, usual = axes_of(machine, side), axes_of(machine, None)
    if family.kind.surface == Surface.GROOVE:
        return axes.space == usual.space and axes.depth in ACROSS_AXES
    if family.space.is_length and family.depth.is_length:
        return axes == usual
    turned = axes.space in TURNING_AXES, axes.depth in TURNING_AXES
    return turned == (not family.space.is_length, not family.depth.is_length)


def shape_of(piece: Cutter | Follower) -> Wheel:
    """A wheel's or follower's shape, mm."""
    return Wheel(piece.flat, piece.angle)


@dataclass(frozen=True)
class Mismatch:
    """A follower that is fitted beside a wheel of another shape, and what that does to a copy, mm."""

    follower: Follower
    cutter: Cutter
    match: ShapeMatch


def mismatch_of(machine: Machine, followers: Sequence[Follower]) -> Mismatch | None:
    """Whether the follower that is fitted differs from the wheel; None where it does not, or either is not known."""
    follower = next((each for each in followers if each.is_fitted), None)
    if follower is None or machine.fitted is None:
        return None
    match = match_shapes(shape_of(follower), shape_of(machine.fitted), DEEPEST_CUT_MM)
    return None if match.is_alike else Mismatch(follower, machine.fitted, match)
