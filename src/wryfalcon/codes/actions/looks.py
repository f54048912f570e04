"""Each look at codes that somebody asked to see is written down, with who and when."""

from __future__ import annotations

from collections.abc import Sequence

from wryfalcon.accounts.models import User
from wryfalcon.action import action
from wryfalcon.codes.models import Series
from wryfalcon.codes.queries.by_code import FoundCode
from wryfalcon.codes.queries.editions import TouchedKey
from wryfalcon.log.actions import TagWritten, write_down
from wryfalcon.log.models import Event

MOST_NAMED = 20


@action
def note_look(actor: User, what: str, found: Sequence[FoundCode], tag: TagWritten | None = None) -> None:
    """Write down that somebody saw the bittings of some codes, naming the records of the first twenty."""
    write_down(
        Event.CODES_SEEN, actor, tag, what=what, codes=[each.pk for each in found[:MOST_NAMED]], count=len(found)
    )


@action
def note_touched(actor: User, series: Series, keys: Sequence[TouchedKey]) -> None:
    """Write down that somebody saw the bittings of keys that an edition touches, naming the first twenty tags."""
    tags = [key.tag for key in keys[:MOST_NAMED]]
    write_down(Event.CODES_SEEN, actor, what=f"keys touched by {series}", tags=tags, count=len(keys))


@action
def note_export(actor: User, series: Series, ending: str) -> None:
    """Write down that somebody took a whole series away as a file."""
    write_down(Event.CODES_SEEN, actor, what=f"all of {series} as {ending}", count=series.count)
