"""What the two numbers of a cut are: a length in the family's unit or an angle in degrees, and the way to a machine.

Nothing else in the house turns one unit of a coordinate into another.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from keycore.errors import InputError
from keycore.units import Unit, convert

FULL_TURN = 360.0  # degrees


class Quantity(StrEnum):
    """What a coordinate measures. Machines are told lengths in millimetres and angles in degrees."""

    LENGTH = "length"
    ANGLE = "angle"


@dataclass(frozen=True, slots=True)
class Coordinate:
    """One of the two numbers of a cut: where it is (space) or how deep it is (depth).

    ``words`` say what it is measured from; ``is_round`` whether 360 degrees is 0.
    """

    words: str
    quantity: Quantity = Quantity.LENGTH
    is_round: bool = False
    unit: Unit = Unit.MILLIMETRE  # of lengths; angles are degrees in every unit

    @property
    def is_length(self) -> bool:
        """Whether it is a length, in the family's unit."""
        return self.quantity == Quantity.LENGTH

    @property
    def unit_name(self) -> str:
        """How its unit is written: in, mm or °."""
        return self.unit.value if self.is_length else "°"

    def to_machine(self, value: float) -> float:
        """The machine's number, mm or degrees, of a value. Raises nothing.

        >>> Coordinate("left at the root", unit=Unit.INCH).to_machine(0.25)
        6.35
        >>> Coordinate("angle of the cut", Quantity.ANGLE, unit=Unit.INCH).to_machine(36.0)
        36.0
        """
        return convert(value, self.unit, Unit.MILLIMETRE) if self.is_length else value

    def from_machine(self, number: float) -> float:
        """The value of a machine's number, mm or degrees. Raises nothing.

        >>> Coordinate("left at the root", unit=Unit.INCH).from_machine(6.35)
        0.25
        """
        return convert(number, Unit.MILLIMETRE, self.unit) if self.is_length else number

    def carried_to(self, other: Coordinate, value: float) -> float:
        """A value in another family's unit of the same quantity. Raises InputError for another quantity.

        >>> Coordinate("left", unit=Unit.INCH).carried_to(Coordinate("left"), 0.25)
        6.35
        """
        if self.quantity != other.quantity:
            raise InputError("", f"{self.quantity}s cannot be carried over as {other.quantity}s")
        return convert(value, self.unit, other.unit) if self.is_length else value

    def of_inches(self, length: float) -> float:
        """A length known in inches (wear, what a caliper tells apart), in this coordinate's unit.

        Raises InputError for an angle, of which such figures say nothing.

        >>> Coordinate("left at the root").of_inches(0.001)
        0.0254
        """
        if not self.is_length:
            raise InputError("", f"no length says anything of {self.words}, which is measured in degrees")
        return convert(length, Unit.INCH, self.unit)

    def off_by(self, value: float, wanted: float) -> float:
        """How far a value is from another, the shorter way round where 360 degrees is 0. Raises nothing.

        >>> Coordinate("angle round the end", Quantity.ANGLE, is_round=True).off_by(359.0, 2.0)
        -3.0
        >>> Coordinate("left at the root").off_by(7.1, 7.0) > 0
        True
        """
        away = value - wanted
        return away - FULL_TURN * round(away / FULL_TURN) if self.is_round else away

    def near(self, value: float, low: float, high: float) -> float:
        """A value moved by whole turns to lie nearest the middle of a range, where 360 degrees is 0. Raises nothing.

        >>> turned = Coordinate("angle of the cut", Quantity.ANGLE, is_round=True)
        >>> turned.near(358.0, 0.0, 90.0), turned.near(72.0, 0.0, 90.0)
        (-2.0, 72.0)
        """
        middle = (low + high) / 2
        return middle + self.off_by(value, middle)
