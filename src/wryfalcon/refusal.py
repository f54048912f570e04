"""Why an action was not done, in words for the person who asked."""

from __future__ import annotations

from typing import Any

from django.db.models import QuerySet


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


def refuse_another_last(kept: QuerySet[Any], shown: int) -> None:
    """Raise NotDone where the last of these is not the one that the page showed: it is gone, or another came after."""
    last = kept.order_by("pk").values_list("pk", flat=True).last()
    if last != shown:
        raise NotDone("That is taken back already, or something came after it: look again.")
