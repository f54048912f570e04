"""Why an action was not done, in words for the person who asked."""

from __future__ import annotations


class NotDone(ValueError):
    """The action was refused: ``field`` says where, the text what is wrong and what to do.

    ``suggest`` is what to type instead where that is plain.
    """

    def __init__(self, says: str, field: str = "", suggest: str = "") -> None:
        super().__init__(says)
        self.says = says
        self.field = field
        self.suggest = suggest


class SecondLook(NotDone):
    """A value for a cut that has more of them than the page knew: whether it is a second look is to be said."""

    def __init__(self, says: str, has: int) -> None:
        super().__init__(says, "typed")
        self.has = has


class OnlyPartly(NotDone):
    """Some of it is missing: it is kept as it is only when that is said."""
