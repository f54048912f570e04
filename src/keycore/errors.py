"""What can be wrong with what the core is given."""

from __future__ import annotations

from collections.abc import Sequence


class KeyCoreError(Exception):
    """Anything the core refuses."""


class InputError(KeyCoreError, ValueError):
    """Something given to the core is wrong: ``field`` says where, ``reason`` says what.

    ``others`` are further faults of the same document, where they were looked for.

    >>> str(InputError("tracks[0].spaces", "3 spaces, 4 wanted"))
    'tracks[0].spaces: 3 spaces, 4 wanted'
    """

    def __init__(self, field: str, reason: str) -> None:
        super().__init__(field, reason)
        self.field = field
        self.reason = reason
        self.others: tuple[InputError, ...] = ()

    @classmethod
    def first_of(cls, faults: Sequence[InputError]) -> InputError:
        """The first of some faults, the others with it. Raises IndexError for none.

        >>> error = InputError.first_of([InputError("a", "is wrong"), InputError("b", "is too")])
        >>> [str(each) for each in error.all]
        ['a: is wrong', 'b: is too']
        """
        every = [one for fault in faults for one in fault.all]
        first = every[0]
        first.others = tuple(every[1:])
        return first

    @property
    def all(self) -> tuple[InputError, ...]:
        """All faults: the one itself, then the others."""
        return (self, *self.others)

    def __str__(self) -> str:
        return f"{self.field}: {self.reason}" if self.field else self.reason

    def under(self, parent: str) -> InputError:
        """The same error, named from one level further up: ``parent.field``."""
        joint = "" if self.field.startswith("[") or not self.field else "."
        moved = type(self)(f"{parent}{joint}{self.field}", self.reason)
        moved.others = tuple(other.under(parent) for other in self.others)
        return moved


class BeyondReach(InputError):
    """The exact answer is out of reach for this input, and the core does not guess."""


class NothingAllowed(InputError):
    """No bitting at all satisfies the rules and the list given."""
