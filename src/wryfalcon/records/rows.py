"""The rows of the list of records: a tag, how it was proven, its key drawn small and covered until asked for."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from wryfalcon.accounts.models import User
from wryfalcon.bench.models import Settlement, Tag
from wryfalcon.drawings.cut_key import BARE, CutKey, draw_cut_key
from wryfalcon.drawings.key import KeyDrawing
from wryfalcon.drawings.paper import DESK, laid_on
from wryfalcon.log.actions import write_down
from wryfalcon.log.models import Event
from wryfalcon.records.forms import proven_words, told_of


@dataclass(frozen=True)
class RecordRow:
    """One tag of the list; no drawing for a family that is not known or not drawn."""

    tag: Tag
    proven: str
    key: KeyDrawing | None
    is_covered: bool  # the drawing is of its blank


def rows_of(tags: Iterable[int], *, uncovered: bool) -> list[RecordRow]:
    """The rows of a page of tags, by their keys, newest first; drawn as they were settled where that was asked for."""
    found = _told(tuple(tags))
    settled = _values(found) if uncovered else {}
    return [RecordRow(tag, proven_words(tag), _drawn(tag, settled.get(tag.pk)), tag.pk not in settled) for tag in found]


def _told(tags: tuple[int, ...]) -> list[Tag]:
    every = told_of(Tag.objects.filter(pk__in=tags).select_related("customer", "family_record"))
    return list(
        every.only(
            "number",
            "title",
            "state",
            "taken_in_at",
            "customer__name",
            "family_record__name",
            "family_record__document",
        )
    )


def note_uncovered(actor: User, rows: Iterable[RecordRow]) -> None:
    """Write down that somebody asked to see the keys of a page, naming their tags."""
    seen = [row.tag.number for row in rows if not row.is_covered]
    write_down(Event.BITTING_SEEN, actor, what="keys drawn in the records", tags=seen)


def _values(tags: Iterable[Tag]) -> dict[int, dict[str, list[float]]]:
    """The depth values last settled, by tag."""
    kept = Settlement.objects.filter(tag__in=[tag.pk for tag in tags], is_try=False).order_by("pk")
    return dict(kept.values_list("tag", "values"))


def _drawn(tag: Tag, values: dict[str, list[float]] | None) -> KeyDrawing | None:
    if tag.family_record is None:
        return None
    with laid_on(DESK):  # so small, it is its outline that tells it
        return draw_cut_key(tag.family_record.document, BARE if values is None else CutKey.of(values))
