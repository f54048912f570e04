"""Reading a table in, batch by batch: nothing of it is in force until all of it is checked and wanted."""

from __future__ import annotations

import time
from collections.abc import Iterator
from itertools import islice
from pathlib import Path

import numpy as np
from django.db import transaction
from django.db.models import F, Max
from django.utils import timezone

from keycore.codes.series import BadRow, CheckedRows, bitting_texts, check_rows
from keycore.documents.series import Row
from keycore.errors import InputError
from keycore.family import Track
from wryfalcon.accounts.models import User
from wryfalcon.action import action
from wryfalcon.codes.models import BadCode, Code, Column, Intake, Names, Series, SeriesState
from wryfalcon.codes.queries.editions import compare
from wryfalcon.codes.tables import TableFile, TooMuchWork, document_in
from wryfalcon.log.actions import write_down
from wryfalcon.log.models import Event

ROWS = 5_000
"""Rows a batch: each is a short transaction, less than half a second."""
LET_OTHERS_S = 0.12
"""Pause after a batch: a writer that waits asks SQLite again every tenth of a second at the latest."""
MOST_BAD = 10_000
"""A table with more bad rows than this is the wrong table, or of another family: its reading ends."""


class Stopped(Exception):
    """Somebody asked for the reading to stop."""


class Overtaken(Exception):
    """The file is being read anew; this reading gives up and leaves everything to the other."""


def read_in(intake_pk: int) -> None:
    """Read and check a whole table. What stops it is kept on the intake in words; raises nothing."""
    intake = _begin_reading(intake_pk)
    try:
        for rows, read in _batches(intake):
            _take(intake, rows, read)
            if len(rows) == ROWS:  # more may follow
                time.sleep(LET_OTHERS_S)
        _finish(intake)
    except Stopped:
        discard(None, intake.series)
    except Overtaken:
        return
    except (InputError, MemoryError, TooMuchWork) as error:
        problem = _in_a_line(error)
        Intake.objects.filter(pk=intake_pk, reading=intake.reading).update(problem=problem[:300])


def _in_a_line(error: InputError | MemoryError | TooMuchWork) -> str:
    if isinstance(error, MemoryError):
        return "it takes more memory than a table may; save it as CSV"
    if isinstance(error, TooMuchWork):
        return f"{error}; save it as CSV"
    return f"{error.field}: {error.reason}" if error.field else error.reason


def _begin_reading(intake_pk: int) -> Intake:
    """Take over from any reading before, and what it has kept with it."""
    Intake.objects.filter(pk=intake_pk).update(
        reading=F("reading") + 1, rows=0, bad=0, read=0, problem="", heard_at=timezone.now()
    )
    intake = Intake.objects.select_related("series__family_record", "series__replaces").get(pk=intake_pk)
    clear(intake.series)
    return intake


def _batches(intake: Intake) -> Iterator[tuple[list[Row], int]]:
    """The rows of the file a batch at a time, with the bytes read until then."""
    path, record = Path(intake.file), intake.series.family_record
    with TableFile(path) as table:
        rows = table.rows()
        if path.suffix == ".json":
            rows = document_in(path).rows(record.family, record.family.track(intake.series.track))
        while batch := list(islice(rows, ROWS)):
            yield batch, table.read


def _take(intake: Intake, rows: list[Row], read: int) -> None:
    """Check a batch, outside any transaction, and keep it in one."""
    series = intake.series
    family = series.family_record.family
    checked = check_rows(family, family.track(series.track), rows, series.printed)
    with transaction.atomic():
        _check_wanted(intake)
        twice = _keep(series, checked, family.track(series.track))
        bad = sorted([*checked.bad, *twice], key=lambda row: row.line)
        bitting_of = {line: bitting for line, _, bitting in rows} if bad else {}
        BadCode.objects.bulk_create(
            BadCode(
                intake=intake,
                line=row.line,
                code=row.code,
                reason=row.reason[:200],
                bitting=bitting_of.get(row.line, "")[:240],
            )
            for row in bad
        )
        intake.rows += len(rows)
        intake.bad += len(bad)
        series.count += len(checked.lines) - len(twice)
        series.flagged += checked.flagged
        intake.read = read
        intake.save(update_fields=["rows", "bad", "read", "heard_at"])
    if intake.bad > MOST_BAD:
        raise InputError(
            "", f"more than {MOST_BAD:,} rows cannot be taken; is it the right table, and the right family?"
        )


def _check_wanted(intake: Intake) -> None:
    """Raise Stopped or Overtaken when this reading is wanted no longer."""
    now = Intake.objects.filter(pk=intake.pk).values_list("reading", "stop_asked").first()
    if now is None or now[0] != intake.reading:
        raise Overtaken
    if now[1]:
        raise Stopped


def _keep(series: Series, checked: CheckedRows, track: Track) -> list[BadRow]:
    """Write checked rows and their columns; the rows whose code came before in the table are left out and named."""
    count = len(checked.lines)
    if not count:
        return []
    first = (Code.objects.aggregate(last=Max("pk"))["last"] or 0) + 1
    texts = bitting_texts(track, checked.steps)
    rows = zip(checked.codes, checked.looked_up, texts, checked.broken, strict=True)
    Code.objects.bulk_create(
        (
            Code(id=pk, series_id=series.pk, code=code, looked_up=looked_up, bitting=bitting, broken=broken)
            for pk, (code, looked_up, bitting, broken) in enumerate(rows, start=first)
        ),
        ignore_conflicts=True,
    )
    Column.objects.bulk_create(
        Column(series=series, first=first, space=space, steps=column.tobytes())
        for space, column in enumerate(checked.steps.T)
    )
    names = np.array([code.encode() for code in checked.codes])
    Names.objects.create(series=series, first=first, width=names.itemsize, codes=names.tobytes())
    kept = Code.objects.filter(pk__gte=first, series=series)
    if kept.count() == count:
        return []
    there = set(kept.values_list("pk", flat=True))
    missing = [place for place in range(count) if first + place not in there]
    before = dict(
        Code.objects.filter(series=series, looked_up__in={checked.looked_up[place] for place in missing}).values_list(
            "looked_up", "code"
        )
    )
    return [
        BadRow(
            checked.lines[place],
            checked.codes[place],
            f"the same code as {before.get(checked.looked_up[place], 'one')}, earlier in the table",
        )
        for place in missing
    ]


@transaction.atomic
def _finish(intake: Intake) -> None:
    series = intake.series
    _check_wanted(intake)
    if not intake.rows:
        raise InputError("codes", "there is no code in it")
    changes = compare(series, series.replaces) if series.replaces else None
    intake.read = intake.size
    if changes is not None:
        intake.added, intake.changed, intake.gone = changes.added, changes.changed, changes.gone
    intake.save()
    series.state = SeriesState.CHECKED
    series.save()


def stop_reading(actor: User, series: Series) -> None:
    """Ask the process that reads a table to stop and keep nothing; where it died, throw the table away here.

    Raises InputError for a table that is read already.
    """
    if series.state != SeriesState.READING:
        raise InputError("series", "it is read already; throw it away instead")
    if series.intake.is_silent or series.intake.problem:
        discard(actor, series)
        return
    Intake.objects.filter(series=series).update(stop_asked=True)
    write_down(Event.SERIES_DISCARDED, actor, series=series.slug, edition=series.edition)


def discard(actor: User | None, series: Series) -> None:
    """Throw away a table that is not in force. Raises InputError for one that is or was, or is gone.

    From the first moment on it cannot come in force: its rows go a run at a time.
    """
    waits = Series.objects.filter(pk=series.pk, state__in=(SeriesState.READING, SeriesState.CHECKED))
    if not waits.update(state=SeriesState.READING):
        raise InputError("series", "it is in force, or was; keys may have been cut from it")
    clear(series)
    with transaction.atomic():
        if not waits.exists():
            raise InputError("series", "it is thrown away already")
        Path(series.intake.file).unlink(missing_ok=True)
        if actor is not None:
            write_down(Event.SERIES_DISCARDED, actor, series=series.slug, edition=series.edition)
        series.delete()


def clear(series: Series) -> None:
    """Take out the rows of a table that is not in force, a run at a time so that others write in between."""
    series.count = series.flagged = 0
    for column in series.columns.filter(space=0).only("first", "steps"):
        with transaction.atomic():
            Code.objects.filter(pk__range=(column.first, column.first + len(column.steps) - 1)).delete()
            series.columns.filter(first=column.first).delete()
            series.names.filter(first=column.first).delete()
    BadCode.objects.filter(intake__series=series).delete()


@action
def bring_in(actor: User, series: Series, *, without: int | None = None) -> Series:
    """Put a checked edition in force, all of it at once, in the place of the one before.

    A table with bad rows comes in only ``without`` them: as many as the person saw, and left out knowingly.
    Raises InputError while it is being read, has other bad rows or no good one, or another edition came
    in meanwhile.
    """
    if series.state != SeriesState.CHECKED:
        raise InputError("series", "it is not read and checked yet, or in force already")
    if series.intake.bad and without != series.intake.bad:
        raise InputError("codes", f"{series.intake.bad:,} rows cannot be taken; mend them, or leave them out")
    if not series.count:
        raise InputError("codes", "there is no code in it that can be taken")
    if series.family_record.is_checked:
        raise InputError("family", f"{series.family_record.named} is not in force yet; put that in force first")
    in_force = list(Series.objects.in_force().filter(slug=series.slug))
    if any(other != series.replaces for other in in_force):
        raise InputError("edition", "another edition was brought in meanwhile; offer this one again")
    for other in in_force:
        other.state = SeriesState.REPLACED
        other.save()
    series.state = SeriesState.IN_FORCE
    if series.intake.bad:
        series.note = f"{series.note} {series.intake.bad:,} rows of the table left out.".strip()[:300]
    series.save()
    Path(series.intake.file).unlink(missing_ok=True)
    write_down(Event.SERIES_IMPORTED, actor, series=series.slug, edition=series.edition, codes=series.count)
    return series
