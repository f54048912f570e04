"""The fitting guide: bringing a table in, changing a row, and writing down what it has no row for."""

from __future__ import annotations

import io
from dataclasses import dataclass

from django.utils.text import slugify

from keycore.documents.guide import Guide as GuideDocument
from keycore.documents.guide import read_guide, read_rows
from keycore.documents.text import parse_json
from keycore.errors import InputError
from keycore.reading.guide import GuideRow, Known
from wryfalcon.accounts.models import User
from wryfalcon.action import action
from wryfalcon.cells import from_text
from wryfalcon.library.models import Guide, GuideEntry, NotInGuide
from wryfalcon.log.actions import write_down
from wryfalcon.log.models import Event
from wryfalcon.refusal import NotDone

FIELDS = ("what", "since", "until", "use", "family", "cuts", "clamp", "face", "stop", "electronics", "procedure")

LONGEST: dict[str, int] = {field.name: field.max_length or 0 for field in GuideEntry._meta.fields}


@dataclass(frozen=True)
class About:
    """What a plain table does not say of itself."""

    name: str
    edition: str = ""
    source: str = ""


def bring_in_guide(actor: User | None, raw: bytes, about: About) -> Guide:
    """Bring a guide in, a document or a table, read before anything is locked; one of the same name is replaced.

    Raises InputError naming the field or the line; nothing is changed then.
    """
    return _take_guide_in(actor, _document(raw, about))


@action
def _take_guide_in(actor: User | None, document: GuideDocument) -> Guide:
    guide = Guide.objects.filter(slug=document.id).first() or Guide(slug=document.id)
    guide.name, guide.edition, guide.source = document.name, document.edition[:200], document.source[:200]
    guide.by = actor
    guide.save()
    guide.entries.all().delete()
    GuideEntry.objects.bulk_create(_entry(GuideEntry(guide=guide), row) for row in document.rows)
    write_down(Event.GUIDE_BROUGHT_IN, actor, guide=guide.pk, edition=guide.edition, rows=len(document.rows))
    return guide


def _document(raw: bytes, about: About) -> GuideDocument:
    if raw.lstrip().startswith(b"{"):
        document = read_guide(parse_json(raw))
        if slugify(document.id) != document.id:
            raise InputError("id", "use small letters, digits and hyphens only")
        return document
    if not slugify(about.name):
        raise InputError("name", "is missing: what is this guide called?")
    try:
        text = raw.decode("utf-8-sig")
    except UnicodeDecodeError:
        raise InputError("", "is not UTF-8 text") from None
    rows = tuple(read_rows(io.StringIO(text, newline="")))
    return GuideDocument(slugify(about.name)[:80], about.name[:120], about.edition, about.source, rows)


def _entry(entry: GuideEntry, row: GuideRow) -> GuideEntry:
    """A row put into its record; cells that were made safe for spreadsheets are put back, too long ones refused."""
    for name in FIELDS:
        value = getattr(row, name)
        value = from_text(value) if isinstance(value, str) else value
        if isinstance(value, str) and len(value) > LONGEST[name]:
            raise InputError(name, f"{row.what[:40]}: longer than {LONGEST[name]} characters")
        setattr(entry, name, value)
    entry.blanks = [[blank.supplier[:60], from_text(blank.number)[:60]] for blank in row.blanks]
    return entry


@action
def change_row(actor: User, entry: GuideEntry, row: GuideRow) -> None:
    """Change one row. Raises InputError for text that is too long."""
    _entry(entry, row).save()
    write_down(Event.GUIDE_CHANGED, actor, guide=entry.guide_id, entry=entry.pk)


def note_missing(actor: User, known: Known) -> NotInGuide:
    """Write down that something was asked for that no row is for. Raises NotDone for nothing asked."""
    if not (known.words.strip() or known.blank.strip() or known.cuts or known.year):
        raise NotDone("Say what was asked for: a few words, a year, a count of cuts, a number on the blank.")
    words = known.words.strip()[:120] or known.blank.strip()[:120] or "not said"
    return NotInGuide.objects.create(
        words=words, year=known.year, cuts=known.cuts, number=known.blank.strip()[:40], by=actor
    )
