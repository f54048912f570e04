"""What cutting does to metal: what was told, and all that is secretly wrong with the machine and with this clamping."""

from __future__ import annotations

from dataclasses import dataclass
from random import Random
from typing import Any

from benchmachine.blade import Lain, Pass
from benchmachine.faults import FaceFaults, Faults
from benchmachine.jobs import ANGLES, JAW, Job

At = dict[str, float]


@dataclass(frozen=True)
class Metal:
    """The machine as it stands when a cut is made."""

    faults: Faults
    random: Random
    seed: int | str
    seat_deep: float  # this clamping's own error, mm
    seat_angle: float  # likewise for each mm along the blade
    cuts_made: int

    def pass_of(self, job: Job, cut: dict[str, Any], lain: Lain, shape: dict[str, float]) -> Pass:
        """What a tool of this ``shape`` takes off the blade of a job, as it was laid."""
        at, holder, blade = self.stood(job, cut["at"]), job.holder, job.blade
        along, deep = at[holder.space], at[holder.depth]
        if holder.space in ANGLES:
            return Pass("slotter", "", lain.slot_at(along), deep=deep)
        x = blade.along(lain, along, job.stop)
        if holder.depth in ANGLES:
            return Pass("disc", "", x, deep=lain.flat_at(deep))
        size, angle, side = shape.get("size", 1.0), shape.get("angle", 90.0), lain.up
        if holder.is_face:
            return self._milled(job, cut, lain, at, shape)
        if holder.third:
            sunk = blade.extent(side) - deep
            return Pass("drill", side, x, blade.across(lain, at[holder.third]), sunk, size, angle)
        sunk = (blade.height - deep) / 2 if job.is_halved else blade.extent(side) - deep
        return Pass("wheel", side, x, 0.0, sunk, size, angle)

    def stood(self, job: Job, at: At) -> At:
        """Where its axes truly stood: errors along and in depth of a jaw, of its face in a face clamp, else of each."""
        faults, holder = self.faults, job.holder
        if holder.depth in ANGLES or holder.space in ANGLES:
            return {axis: self._made_by(axis, number) for axis, number in at.items()}
        if (holder.space, holder.depth) == JAW.axes[:2]:
            x = at["X"]
            error = (
                faults.depth_offset
                + (faults.jaw_angle + self.seat_angle) * x
                + faults.wheel_wear * self.cuts_made
                + self.seat_deep
            )
            along = faults.space_offset + faults.drill_off
            off = {"X": along, "Z": error, "Y": 0.0}
        else:
            across, floor = self._face_off(job, at["X"])
            off = {"X": faults.space_offset, "Y": across, "Z": -floor}
        return {axis: number + off[axis] + self.random.gauss(0, faults.noise) for axis, number in at.items()}

    def _milled(self, job: Job, cut: dict[str, Any], lain: Lain, at: At, shape: dict[str, float]) -> Pass:
        """The stretch that the mill truly went, and what it truly measures."""
        told, blade, faults = cut["at"], job.blade, self.faults
        mill = cut.get("mill") or {"way": [[told["X"], told["Y"]]], "diameter": 1.0}
        aside = at["Y"] - told["Y"] - self._face_off(job, told["X"])[0]
        way = tuple(
            (
                blade.along(lain, x + faults.space_offset, job.stop),
                blade.across(lain, y + self._face_off(job, x)[0] + aside),
            )
            for x, y in mill["way"]
        )
        across = max(0.02, shape.get("size", mill["diameter"]) - faults.mill_worn)
        return Pass(
            "mill", lain.up, blade.along(lain, at["X"], job.stop), deep=-at.get("Z", -1.0), size=across, way=way
        )

    def _face_off(self, job: Job, x: float) -> tuple[float, float]:
        """How far the face that a job lies on is off at ``x``: across and in height."""
        face, faults = FaceFaults.of(self.seed, job.face), self.faults
        return (
            face.across + faults.face_across + (face.tilt + faults.face_tilt) * x,
            face.floor + faults.face_floor,
        )

    def _made_by(self, axis: str, number: float) -> float:
        """A number as an axis of an adapter or a turning clamp makes it."""
        faults = self.faults
        if axis in ANGLES:
            return number + faults.turn_offset + self.random.gauss(0, faults.turn_noise)
        return number + faults.space_offset + self.random.gauss(0, faults.noise)
