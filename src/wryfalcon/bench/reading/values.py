"""Values typed one after another, on Read and on Prove: several at once, said twice, one too many."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from django.contrib import messages

from keycore.units import Unit
from wryfalcon.accounts.permissions import PersonRequest
from wryfalcon.bench.reading.actions import Typed
from wryfalcon.lengths import Understood, split_lengths
from wryfalcon.refusal import NotDone

ALL_MEASURED = "Every cut has a value already. Choose the cut that this is a second look at."
MOST_AT_ONCE = 60


def entries_posted(
    said: Mapping[str, Any], unit: Unit, places: Sequence[tuple[str, int]], *, is_whole: bool = False
) -> list[Typed]:
    """What was typed, as entries for this and the cuts that follow.

    ``said`` is what the form of a value says, ``unit`` the one it was typed in; ``places`` are the track and space of
    the cut that the page was at and of those after it; ``is_whole`` is a line that is one value. Raises NotDone for
    more values than there are cuts left, or no cut to put one at.
    """
    text = said["typed"]
    typed = [text] if is_whole else split_lengths(text)[:MOST_AT_ONCE]
    if not text.strip():
        return []
    if not places:
        raise NotDone(ALL_MEASURED, "typed")
    if len(typed) > len(places):
        left = len(places)
        raise NotDone(f"{len(typed)} values for {left} cut{'' if left == 1 else 's'} from here on.", "typed")
    return [
        Typed(track, space, value, unit, said["key"], said["known"])
        for value, (track, space) in zip(typed, places, strict=False)
    ]


def kept(request: PersonRequest, entries: Sequence[Typed], found: Sequence[Understood]) -> str:
    """How what was typed was read where that is not plain, also as a message on the page."""
    read_as = [f"“{t.text.strip()}” read as {e.read_as}" for t, e in zip(entries, found, strict=True) if e.read_as]
    says = f"{'; '.join(read_as)}." if read_as else ""
    if says:
        messages.info(request, says)
    return says
