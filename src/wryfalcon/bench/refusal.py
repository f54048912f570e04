"""Why an action was not done, in words for the person who asked."""

from __future__ import annotations


class NotDone(ValueError):
    """The action was refused: ``field`` says where, the text what is wrong and what to do."""

    def __init__(self, says: str, field: str = "") -> None:
        super().__init__(says)
        self.says = says
        self.field = field
