"""What is secretly wrong with this machine; lengths in millimetres."""

from __future__ import annotations

from dataclasses import dataclass, fields
from random import Random


@dataclass
class Faults:
    """Hidden errors, the same for every key until the wheel wears or someone adjusts them."""

    depth_offset: float = 0.0  # added to every depth value
    space_offset: float = 0.0  # added to every position
    jaw_angle: float = 0.0  # value error for each mm along the blade
    wheel_wear: float = 0.0  # value error for each cut made since the wheel was changed
    noise: float = 0.004  # sd of each cut
    seat_sd: float = 0.006  # sd of one clamping
    caliper_sd: float = 0.008  # sd of one caliper reading
    turn_offset: float = 0.0  # degrees, added to every angle
    turn_noise: float = 0.12  # degrees, sd of each angle
    protractor_sd: float = 0.2  # degrees, sd of one reading of an angle
    mill_worn: float = 0.0  # how much smaller the mill is across than it was
    drill_off: float = 0.0  # along the blade, of the drill that is fitted, until one is fitted anew
    face_across: float = 0.0  # added to how far every clamp face is off across
    face_floor: float = 0.0  # added to how high every clamp face's floor is
    face_tilt: float = 0.0  # of every clamp face, per mm along the blade

    @classmethod
    def drawn(cls, random: Random) -> Faults:
        """A machine as one finds it: a little out everywhere, never far."""
        return cls(
            depth_offset=random.gauss(0, 0.012),
            space_offset=random.gauss(0, 0.015),
            jaw_angle=random.gauss(0, 0.0006),
            wheel_wear=abs(random.gauss(0, 0.00002)),
        )

    def inject(self, name: str, value: float) -> None:
        """Set one fault by name; ValueError for an unknown one."""
        if name not in {field.name for field in fields(self)}:
            raise ValueError(f"no fault {name!r}")
        setattr(self, name, float(value))


@dataclass(frozen=True)
class FaceFaults:
    """How far one face of a clamp is off: across, its floor, and how it is tilted per millimetre along the blade."""

    across: float
    floor: float
    tilt: float

    @classmethod
    def of(cls, seed: int | str, name: str) -> FaceFaults:
        """Those of a face, the same whenever it is asked: each face is its own, and none is far off."""
        random = Random(f"{seed}, face {name}")
        return cls(random.gauss(0, 0.015), random.gauss(0, 0.012), random.gauss(0, 0.0002))
