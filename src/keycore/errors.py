"""What can be wrong with what the core is given."""

from __future__ import annotations


class KeyCoreError(Exception):
    """Anything the core refuses."""


class InputError(KeyCoreError, ValueError):
    """Something given to the core is wrong: ``field`` says where, ``reason`` says what.

    >>> str(InputError("tracks[0].spaces", "3 spaces, 4 wanted"))
    'tracks[0].spaces: 3 spaces, 4 wanted'
    """

    def __init__(self, field: str, reason: str) -> None:
        super().__init__(field, reason)
        self.field = field
        self.reason = reason

    def __str__(self) -> str:
        return f"{self.field}: {self.reason}" if self.field else self.reason

    def under(self, parent: str) -> InputError:
        """The same error, named from one level further up: ``parent.field``."""
        joint = "" if self.field.startswith("[") or not self.field else "."
        return type(self)(f"{parent}{joint}{self.field}", self.reason)


class BeyondReach(InputError):
    """The exact answer is out of reach for this input, and the core does not guess."""


class NothingAllowed(InputError):
    """No bitting at all satisfies the rules and the list given."""
