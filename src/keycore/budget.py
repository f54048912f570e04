"""One budget of work and memory: what a request may cost is counted before it is begun.

Nothing here looks at a clock or asks the system for a limit, so the same document is answered, or refused, the same
way on every machine. Work is counted in elementary operations on arrays (one multiplication, comparison or addition;
an exponential or a logarithm is ``EXP`` of them), memory in numbers of eight bytes held at once.
"""

from __future__ import annotations

from dataclasses import dataclass

from keycore.errors import BeyondReach

WORK = 1.6e9
"""Operations for one request: about 5 s of one core's time on the machine the project is built on."""

NUMBERS = 20_000_000
"""Numbers held at once: 160 MB; what is counted is all that a sum holds."""

EXP = 8
"""An exponential or a logarithm costs as much as so many multiplications."""

STEP = 700
"""One step of plain Python costs as much as so many multiplications in an array."""


@dataclass
class Budget:
    """What is left of a request's work, and the most numbers that it may hold at once.

    >>> budget = Budget(work=1000.0, numbers=100)
    >>> budget.take(400, 50, "evidence", "too much")
    >>> budget.allows(700, 10), budget.allows(600, 10), budget.allows(1, 101)
    (False, True, False)
    """

    work: float = WORK
    numbers: int = NUMBERS

    def allows(self, work: float, numbers: float = 0) -> bool:
        """Whether so much work, and so many numbers held at once, are within what is left. Raises nothing."""
        return work <= self.work and numbers <= self.numbers

    def take(self, work: float, numbers: float, field: str, reason: str) -> None:
        """Count work that is about to be begun.

        Arguments: ``work`` in operations, ``numbers`` held at once; ``field`` and ``reason`` of the refusal.
        Raises BeyondReach where either is beyond what is left; nothing is counted then.
        """
        if not self.allows(work, numbers):
            raise BeyondReach(field, reason)
        self.work -= work

    def part(self, share: float) -> Budget:
        """A budget of its own with a share of the work that is left; ``give_back`` returns what it did not use."""
        part = Budget(self.work * share, self.numbers)
        self.work -= part.work
        return part

    def give_back(self, part: Budget) -> None:
        """Take back what a part did not use. Raises nothing."""
        self.work += part.work
        part.work = 0.0
