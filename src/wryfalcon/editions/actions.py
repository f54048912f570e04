"""A yearly update: a folder of documents brought in at once, and what waits put in force together."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import PurePath
from typing import IO

from django.utils import timezone

from keycore.documents.series import SeriesDocument
from keycore.documents.text import parse_json
from keycore.errors import InputError
from wryfalcon.accounts.models import User
from wryfalcon.action import action
from wryfalcon.codes.actions.intake import bring_in
from wryfalcon.codes.actions.offer import offer
from wryfalcon.codes.models import Series
from wryfalcon.library.actions.editions import put_in_force
from wryfalcon.library.actions.families import import_family
from wryfalcon.library.actions.guide import About, bring_in_guide
from wryfalcon.library.models import FamilyRecord
from wryfalcon.refusal import NotDone

LARGEST = 5_000_000
"""Bytes of a document; a table of codes may be larger."""
PASSED_OVER = frozenset({"thumbs.db", "desktop.ini"})
TABLES = frozenset({".csv", ".xlsx"})


@dataclass(frozen=True)
class Brought:
    """What became of one file of a folder."""

    name: str
    says: str
    is_refused: bool = False


@dataclass(frozen=True)
class Document:
    """A file of a folder, and what kind of document it says it is."""

    name: str
    file: IO[bytes]
    size: int
    format: str


def bring_in_folder(actor: User, files: Sequence[tuple[str, IO[bytes], int]]) -> list[Brought]:
    """Bring every document of a folder in; given is each file's name, itself and its bytes.

    Families come first, since tables may be of their new editions. Each file is read before anything is locked, and
    taken or refused by itself, with what is wrong in words; nothing of an edition that is known already comes in force
    by it.
    """
    documents, brought = [], []
    for name, file, size in files:
        shown = PurePath(name).name
        if shown.startswith(".") or shown.lower() in PASSED_OVER:
            continue
        try:
            documents.append(Document(shown, file, size, _format_of(shown, file, size)))
        except InputError as error:
            brought.append(Brought(shown, _why(error), is_refused=True))
    order = list(TAKEN_IN)
    for document in sorted(documents, key=lambda each: order.index(each.format)):
        try:
            brought.append(Brought(document.name, TAKEN_IN[document.format](actor, document)))
        except InputError as error:
            brought.append(Brought(document.name, _why(error), is_refused=True))
    return sorted(brought, key=lambda each: not each.is_refused)


def _why(error: InputError) -> str:
    return f"{error.field}: {error.reason}" if error.field else error.reason


def _format_of(name: str, file: IO[bytes], size: int) -> str:
    """What a file says it is. Raises InputError for none of ours."""
    if PurePath(name).suffix.lower() in TABLES:
        return "table"
    beginning = file.read(200).lstrip()
    file.seek(0)
    if not beginning.startswith(b"{"):
        raise InputError("", "no document of ours: neither JSON nor a table of codes")
    if size > LARGEST:
        return "wry-falcon.series/1" if b"wry-falcon.series/1" in beginning else "too large"
    data = parse_json(file.read())
    file.seek(0)
    said = data.get("format") if isinstance(data, dict) else None
    if said not in TAKEN_IN:
        raise InputError("format", f"{said!r} is no family, series or guide")
    return str(said)


def _family(actor: User, document: Document) -> str:
    record = import_family(actor, document.file.read())
    return f"{record.named}: {record.get_state_display()}"


def _series(actor: User, document: Document) -> str:
    return _offered(offer(actor, iter(lambda: document.file.read(65_536), b"")))


def _table(actor: User, document: Document) -> str:
    """A plain table of codes is known by its file's name: the id of a series in force."""
    known = Series.objects.in_force().filter(slug=PurePath(document.name).stem).select_related("family_record").first()
    if known is None:
        raise InputError("", "a table says not what it is of: name it as its series' id, or bring it in by itself")
    edition = f"brought in {timezone.localdate().isoformat()}"
    about = SeriesDocument(
        known.slug, known.name, known.family_record.slug, known.track, known.note, known.maker, known.use, edition,
        known.printed,
    )  # fmt: skip
    return _offered(offer(actor, iter(lambda: document.file.read(65_536), b""), about))


def _offered(series: Series) -> str:
    bad = series.intake.bad
    says = f"{series}: {series.get_state_display()}"
    return f"{says}; {bad} row{'' if bad == 1 else 's'} cannot be taken" if bad else says


def _guide(actor: User, document: Document) -> str:
    guide = bring_in_guide(actor, document.file.read(), About(PurePath(document.name).stem))
    return f"{guide}: in the guide, in the place of the one before"


def _too_large(actor: User, document: Document) -> str:
    raise InputError("file", f"larger than {LARGEST // 1_000_000} MB")


TAKEN_IN: Mapping[str, Callable[[User, Document], str]] = {
    "wry-falcon.family/1": _family,
    "wry-falcon.series/1": _series,
    "table": _table,
    "wry-falcon.guide/1": _guide,
    "too large": _too_large,
}
"""What becomes of each kind of document, in the order in which they are taken."""


@action
def put_all_in_force(actor: User, families: Sequence[tuple[int, int, str]], series: Sequence[int]) -> int:
    """Put these editions in force together, or none of them; returns how many.

    ``families`` are an edition's key, the key of the edition it was looked at beside, and the digest of the
    document that was looked at; ``series`` are keys. Raises NotDone naming the one that cannot be.
    """
    for key, against, seen in families:
        record = FamilyRecord.objects.checked().filter(pk=key).first()
        if record is None:
            raise NotDone("One of them waits no longer: look again.")
        put_in_force(actor, record, against, seen)
    for key in series:
        found = Series.objects.select_related("family_record", "replaces", "intake").filter(pk=key).first()
        if found is None:
            raise NotDone("One of the series waits no longer: look again.")
        try:
            bring_in(actor, found)
        except InputError as error:
            raise NotDone(f"{found}: {error.reason}. Nothing has changed.") from None
    return len(families) + len(series)
