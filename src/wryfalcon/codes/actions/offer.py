"""Offering a table: what it says of itself is checked at once, its rows are read by ``intake``."""

from __future__ import annotations

import json
import subprocess
import sys
import time
from collections.abc import Iterable, Iterator
from dataclasses import replace
from functools import partial
from os import environ
from pathlib import Path
from uuid import uuid4

from django.conf import settings
from django.core import signing
from django.db import connection, transaction
from django.utils import timezone
from django.utils.text import slugify

from keycore.codes.formula import Formula
from keycore.codes.series import check_printed
from keycore.documents.series import SeriesDocument, write_series
from keycore.errors import InputError
from wryfalcon.accounts.models import User
from wryfalcon.action import action
from wryfalcon.codes.actions.intake import discard, read_in
from wryfalcon.codes.models import Intake, Series, SeriesState
from wryfalcon.codes.queries.family import newest_edition
from wryfalcon.codes.tables import LARGEST, LARGEST_DOCUMENT, document_in, ending_of
from wryfalcon.log.actions import write_down
from wryfalcon.log.models import Event

MOST_READINGS = 3
HELD, HELD_FOR = "held-", 3600
"""How files that wait for the rest to be put right are called, and how many seconds they do."""
AT_ONCE = 200_000
"""A file of so many bytes is read while the smith waits; a larger one in a process of its own."""


def offer(actor: User, table: bytes | Iterable[bytes], about: SeriesDocument | None = None) -> Series:
    """Take a table in to be read and checked, whole or piece by piece.

    ``about`` says what a plain table does not say itself. An edition offered before that is not in
    force makes way. Raises InputError naming the field; nothing is kept then.
    """
    file = _kept([table] if isinstance(table, bytes) else table)
    try:
        if file.suffix == ".json":
            document = document_in(file)
        elif about is None:
            raise InputError("", "not a series document")
        else:
            document = about
        intake = _begin(actor, document, file)
    except InputError:
        file.unlink()
        raise
    if intake.size <= AT_ONCE and file.suffix != ".xlsx":  # how long a spreadsheet takes its size does not tell
        read_in(intake.pk)
    else:
        read_in_background(intake)
    return Series.objects.get(pk=intake.series_id)


def _kept(pieces: Iterable[bytes]) -> Path:
    """A table written to a file of its own. Raises InputError for one that is too large."""
    folder = Path(settings.TABLE_FOLDER)
    folder.mkdir(parents=True, exist_ok=True)
    written = folder / uuid4().hex
    beginning = b""
    with written.open("wb") as out:
        for piece in pieces:
            beginning = beginning or piece[:200]
            out.write(piece)
            if out.tell() > LARGEST:
                break
    ending = ending_of(beginning)
    if written.stat().st_size > (most := LARGEST_DOCUMENT if ending == ".json" else LARGEST):
        written.unlink()
        raise InputError("file", f"larger than {most // 1_000_000} MB")
    return written.rename(written.with_suffix(ending))


def offer_formula(actor: User, about: SeriesDocument, formula: Formula) -> Series:
    """Take a series by formula in: its document is the table. Raises InputError naming the field."""
    return offer(actor, json.dumps(write_series(replace(about, formula=formula), ())).encode())


def hold(pieces: Iterable[bytes]) -> str:
    """Keep a file whose table was refused for what was said of it, so that it need not be chosen again.

    Returns the name to ask for it by, "" for one that is too large. It stays for ``HELD_FOR``.
    """
    for old in Path(settings.TABLE_FOLDER).glob(f"{HELD}*"):
        if old.stat().st_mtime < time.time() - HELD_FOR:
            old.unlink(missing_ok=True)
    try:
        kept = _kept(pieces)
    except InputError:
        return ""
    return signing.dumps(kept.rename(kept.with_name(f"{HELD}{kept.name}")).name)


def held(name: str) -> Iterator[bytes]:
    """The file that was held, piece by piece. Raises InputError for one that is gone."""
    try:
        file = Path(settings.TABLE_FOLDER) / signing.loads(name, max_age=HELD_FOR)
        with file.open("rb") as kept:
            yield from iter(lambda: kept.read(65_536), b"")
    except (signing.BadSignature, OSError):
        raise InputError("file", "is not kept here any more: choose it again") from None


@action
def _begin(actor: User, document: SeriesDocument, file: Path) -> Intake:
    record, faults = newest_edition(document.family), []
    if not document.name:
        faults.append(InputError("name", "say what the series is called"))
    if not document.id or slugify(document.id) != document.id:
        faults.append(InputError("id", "use small letters, digits and hyphens only, such as 'harbour-boats'"))
    if record is None:
        says = f"there is no family {document.family!r} in the library" if document.family else "choose one"
        faults.append(InputError("family", says))
    if faults or record is None:
        raise InputError.first_of(faults)
    document = replace(document, track=record.family.track(document.track).name)
    editions = Series.objects.filter(slug=document.id)
    for other in editions.filter(edition=document.edition).select_related("intake"):
        if other.state == SeriesState.CHECKED or (other.state == SeriesState.READING and other.intake.problem):
            discard(None, other)
    if editions.filter(edition=document.edition).exists():
        named = f", edition {document.edition}," if document.edition else ""
        raise InputError(
            "edition", f"{document.id}{named} is in the library already; give the new edition a name of its own"
        )
    series = Series.objects.create(
        slug=document.id, edition=document.edition[:60], name=document.name[:120], maker=document.maker,
        use=document.use, family_record=record, track=document.track or "", note=document.note[:300],
        printed=check_printed(document.printed), formula=_in_words(document.formula), by=actor,
        replaces=editions.in_force().first(),
    )  # fmt: skip
    if series.replaces and (series.replaces.family_record.slug, series.replaces.track) != (record.slug, series.track):
        raise InputError("family", f"the edition before is of {series.replaces.family_record}; an edition keeps it")
    write_down(Event.SERIES_OFFERED, actor, series=series.slug, edition=series.edition)
    return Intake.objects.create(series=series, file=str(file), size=file.stat().st_size)


def _in_words(formula: Formula | None) -> str:
    if formula is None:
        return ""
    span = f"{formula.first} to {formula.last}"
    if formula.rule == "digits":
        return f"{span}: the cuts are characters {', '.join(map(str, formula.places))} of the code"
    every = "each next one" if formula.every == 1 else f"every {formula.every}th on"
    return f"{span}: the allowed bittings in order, {every}, from number {formula.start}"


def read_in_background(intake: Intake) -> None:
    """Read a large table in a process of its own, once what was begun here is kept."""
    command = [sys.executable, "-m", "wryfalcon", "read_series", str(intake.pk)]
    surroundings = {**environ, "WRY_FALCON_DB": str(connection.settings_dict["NAME"])}
    transaction.on_commit(
        partial(subprocess.Popen, command, env=surroundings, start_new_session=True, stdin=subprocess.DEVNULL)
    )


def take_up_dead() -> int:
    """Begin every reading again whose process has died; returns how many.

    One that has died ``MOST_READINGS`` times is closed, with what to do instead.
    """
    taken = 0
    for intake in Intake.objects.filter(series__state=SeriesState.READING, problem="").select_related("series"):
        if not intake.is_silent:
            continue
        with transaction.atomic():
            if intake.stop_asked:
                discard(None, intake.series)
            elif intake.reading >= MOST_READINGS or not Path(intake.file).exists():
                says = "its reading ended unfinished again and again" if intake.reading else "its file is gone"
                Intake.objects.filter(pk=intake.pk).update(problem=f"{says}; offer it anew, or in parts")
            else:
                Intake.objects.filter(pk=intake.pk).update(heard_at=timezone.now())
                read_in_background(intake)
                taken += 1
    return taken


@action
def read_again(actor: User, series: Series) -> None:
    """Begin the reading of a table again whose process has died. Raises InputError unless it was being read."""
    if series.state != SeriesState.READING or not (series.intake.is_silent or series.intake.problem):
        raise InputError("series", "it is being read, or read already")
    Intake.objects.filter(series=series).update(stop_asked=False, problem="", heard_at=timezone.now())
    read_in_background(series.intake)
