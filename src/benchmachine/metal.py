"""What cutting does to metal: what was told, and all that is secretly wrong with the machine and with this clamping."""

from __future__ import annotations

from dataclasses import dataclass
from random import Random
from typing import Any

from benchmachine.faults import FaceFaults, Faults
from benchmachine.jobs import ANGLES, JAW, Job
from benchmachine.wall import Milled, wall_at


@dataclass(frozen=True)
class Metal:
    """The machine as it stands when a cut is made."""

    faults: Faults
    random: Random
    seed: int | str
    seat_deep: float  # this clamping's own error, mm
    seat_angle: float  # likewise for each mm along the blade
    cuts_made: int

    def made(self, job: Job, cut: dict[str, Any]) -> dict[str, Any]:
        """What a cut came out as: position and value, the third axis, and the stretch that a mill went."""
        position, value = self._as_cut(job, cut["at"])
        place, third = cut["place"], self._third(job, cut["at"])
        kept: dict[str, Any] = {} if third is None else {"third": third}
        if cut.get("mill") is not None:
            milled = self._as_milled(job, cut)
            value = wall_at([*job.milled, milled], milled, position)
            kept["milled"] = [milled.clamping, milled.run, milled.metal, milled.radius, milled.way]
        else:
            before = job.made[place][1] if place in job.made else job.blank_height
            value = {"less": min(value, before), "more": max(value, before), "turned": value}[job.deeper]
        return {"made": (position, value), **kept}  # metal only ever comes off

    def _as_cut(self, job: Job, at: dict[str, float]) -> tuple[float, float]:
        """Where a cut comes out: a jaw's errors along it and in depth; those of the axis that makes it elsewhere."""
        faults, position, value = self.faults, at[job.holder.space], at[job.holder.depth]
        if (job.holder.space, job.holder.depth) == JAW.axes:
            error = (
                faults.depth_offset
                + (faults.jaw_angle + self.seat_angle) * position
                + faults.wheel_wear * self.cuts_made
                + self.seat_deep
                + self.random.gauss(0, faults.noise)
            )
            along = faults.space_offset + faults.drill_off + self.random.gauss(0, faults.noise)
            return position + along, value + error
        if job.holder.is_face:
            across = self._face_off(job, position)[0] + self.random.gauss(0, faults.noise)
            return self._made_by(job.holder.space, position), value + across
        return self._made_by(job.holder.space, position), self._made_by(job.holder.depth, value)

    def _face_off(self, job: Job, x: float) -> tuple[float, float]:
        """How far the face that a job lies on is off at ``x``: across and in height."""
        face, faults = FaceFaults.of(self.seed, job.face), self.faults
        return (
            face.across + faults.face_across + (face.tilt + faults.face_tilt) * x,
            face.floor + faults.face_floor,
        )

    def _third(self, job: Job, at: dict[str, float]) -> float | None:
        """Where the third axis stood: into the face a floor that is too high cuts deeper; None without one."""
        if not job.holder.third:
            return None
        off = self._face_off(job, at[job.holder.space])[1] if job.holder.is_face else 0.0
        return at[job.holder.third] - off + self.random.gauss(0, self.faults.noise)

    def _as_milled(self, job: Job, cut: dict[str, Any]) -> Milled:
        """The stretch that the mill truly went, and what it truly measures."""
        mill, along = cut["mill"], self.faults.space_offset
        aside = self.random.gauss(0, self.faults.noise)
        way = tuple((x + along, y + self._face_off(job, x)[0] + aside) for x, y in mill["way"])
        radius = max(0.01, (mill["diameter"] - self.faults.mill_worn) / 2)
        return Milled(cut["clamping"], mill["run"], mill["metal"], radius, way)

    def _made_by(self, axis: str, number: float) -> float:
        """A number as an axis of an adapter or a turning clamp makes it."""
        faults = self.faults
        if axis in ANGLES:
            return number + faults.turn_offset + self.random.gauss(0, faults.turn_noise)
        return number + faults.space_offset + self.random.gauss(0, faults.noise)
