"""Bringing code series in: all of a table or nothing of it."""

from __future__ import annotations

from dataclasses import dataclass

from django.db import transaction
from django.utils.text import slugify

from keycore.codes.series import CheckedRows, check_rows
from keycore.documents.parse import parse_json
from keycore.documents.series import SeriesDocument, read_series, read_table
from keycore.errors import InputError
from wryfalcon.accounts.models import User
from wryfalcon.codes.models import Code, Series
from wryfalcon.library.models import FamilyRecord
from wryfalcon.records.actions import write_down
from wryfalcon.records.models import Event

AT_ONCE = 2000


@dataclass(frozen=True)
class Offered:
    """A series checked against its family and not yet brought in."""

    document: SeriesDocument
    record: FamilyRecord
    track: str
    checked: CheckedRows

    @property
    def flagged(self) -> int:
        """How many bittings break a rule of the family: kept, and marked."""
        return sum(bool(row.broken) for row in self.checked.rows)


def offer_series(raw: bytes, about: SeriesDocument | None = None) -> Offered:
    """Check a series document, or a CSV table of which ``about`` says the rest. Raises InputError naming the field."""
    document = about or read_series(parse_json(raw))
    if about is not None:
        document = SeriesDocument(about.id, about.name, about.family, about.track, about.note, _table(raw))
    if not document.id or slugify(document.id) != document.id:
        raise InputError("id", "use small letters, digits and hyphens only, such as 'harbour-boats'")
    if Series.objects.filter(slug=document.id).exists():
        raise InputError("id", f"{document.id} is in the library already; give the new edition an id of its own")
    record = FamilyRecord.objects.filter(slug=document.family).first()
    if record is None:
        raise InputError("family", f"there is no family {document.family!r} in the library")
    track = record.family.track(document.track)
    return Offered(document, record, track.name, check_rows(record.family, track, document.rows))


def _table(raw: bytes) -> list[tuple[int, str, str]]:
    try:
        return read_table(raw.decode("utf-8-sig"))
    except UnicodeDecodeError as error:
        raise InputError("", f"not UTF-8 text at byte {error.start}") from None


@transaction.atomic
def import_series(actor: User, offered: Offered) -> Series:
    """Bring a checked series in. Raises InputError while it has a bad row or none at all."""
    if offered.checked.bad:
        raise InputError("codes", f"{len(offered.checked.bad)} rows cannot be taken; mend them first")
    if not offered.checked.rows:
        raise InputError("codes", "there is no code in it")
    labels = offered.record.family.track(offered.track).labels
    document = offered.document
    series = Series.objects.create(
        slug=document.id, name=document.name, family_record=offered.record, track=offered.track,
        note=document.note[:300], by=actor,
    )  # fmt: skip
    rows = (
        Code(
            series=series, code=row.code, looked_up=row.looked_up, broken=row.broken[:60],
            bitting=" ".join(labels[step] for step in row.steps),
        )
        for row in offered.checked.rows
    )  # fmt: skip
    Code.objects.bulk_create(rows, batch_size=AT_ONCE)
    write_down(Event.SERIES_IMPORTED, actor, series=series.slug, codes=len(offered.checked.rows))
    return series
