"""A million codes: bringing them in, finding one, finding any part of a bitting; both sides on the same connection."""

from __future__ import annotations

import os
import shutil
import sqlite3
import tempfile
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from random import Random
from statistics import median
from typing import Any

from benchmarks.figure import Figure, in_turn

CODES = 1_000_000
IMPORT = 6.0
FIND = 3.0
PARTIAL = 20.0
PATTERNS = 200
FAMILY = "theatre-six"  # six spaces of ten depths

BARE = "SELECT id, series_id, code, bitting, broken FROM codes_code WHERE looked_up = %s"
SCAN = "SELECT id, series_id, code, bitting, broken FROM codes_code WHERE series_id = %s AND bitting LIKE %s"


def measure() -> Iterator[Figure]:
    """Made-up codes of six cuts, in a shop of their own."""
    with _shop() as folder:
        table, rows = _table(folder)
        series, figure = _bring_in(folder, table, rows)
        yield figure
        yield _find(rows)
        yield _partial(series)


@contextmanager
def _shop() -> Iterator[Path]:
    with tempfile.TemporaryDirectory() as name:
        os.environ.update(
            DJANGO_SETTINGS_MODULE="wryfalcon.settings.demo", WRY_FALCON_DB=f"{name}/shop.sqlite3", WRY_FALCON_VAR=name
        )
        import django
        from django.core.management import call_command
        from django.db import connection

        django.setup()
        call_command("migrate", verbosity=0)
        from wryfalcon.demonstration.shop import furnish

        furnish()
        try:
            yield Path(name)
        finally:
            connection.close()


def _table(folder: Path) -> tuple[Path, list[tuple[str, str]]]:
    """A CSV of different codes with bittings within MACS."""
    from keycore.bittings import list_bittings
    from keycore.documents.family import read_family

    family = read_family(FAMILY)
    track = family.tracks[0]
    every = list_bittings(track, family.rules, True).tolist()
    random = Random(7)
    rows = [
        (f"T-{number:07d}", " ".join(track.labels[step] for step in random.choice(every))) for number in range(CODES)
    ]
    path = folder / "table.csv"
    with path.open("w") as out:
        out.write("code,bitting\n")
        out.writelines(f"{code},{bitting}\n" for code, bitting in rows)
    return path, rows


def _bring_in(folder: Path, table: Path, rows: list[tuple[str, str]]) -> tuple[Any, Figure]:
    from django.db import connection

    from keycore.documents.series import SeriesDocument
    from wryfalcon.accounts.models import User
    from wryfalcon.codes.actions import offer as offering
    from wryfalcon.codes.actions.intake import bring_in, read_in
    from wryfalcon.codes.models import Series

    owner = User.objects.get(username="orla")
    offering.read_in_background = lambda intake: None  # it is read here, to be timed
    series = offering.offer(owner, table.read_bytes(), SeriesDocument("million", "Million", FAMILY))
    connection.close()
    shutil.copy(folder / "shop.sqlite3", folder / "bare.sqlite3")
    bare = _bulk_insert(folder / "bare.sqlite3", series.pk, rows)
    with _another_writer(folder / "shop.sqlite3") as waits:
        begun = time.perf_counter()
        read_in(series.intake.pk)
        bring_in(owner, Series.objects.get(pk=series.pk))
        taken = time.perf_counter() - begun
    series = Series.objects.get(pk=series.pk)
    whole = series.count == CODES
    ratio = taken / bare
    says = (
        f"{series.count:,} codes from CSV, checked and in force: {taken:.1f} s, {ratio:.1f} times sqlite3's own bulk "
        f"insert with the same index (goal {IMPORT:g}); another writer waited {1000 * max(waits, default=0):.0f} ms"
    )
    return series, Figure(says, whole and ratio <= IMPORT)


def _bulk_insert(path: Path, series: int, rows: list[tuple[str, str]]) -> float:
    """The same rows by sqlite3 alone, in one transaction, into the same table with the same index."""
    ready = [
        (number, series, code, code.replace("-", ""), bitting, "")
        for number, (code, bitting) in enumerate(rows, start=1)
    ]
    bare = sqlite3.connect(path)
    for pragma in ("journal_mode=WAL", "synchronous=NORMAL", "foreign_keys=ON", "cache_size=-20000"):
        bare.execute(f"PRAGMA {pragma}")
    begun = time.perf_counter()
    with bare:
        bare.executemany(
            "INSERT INTO codes_code (id, series_id, code, looked_up, bitting, broken) VALUES (?, ?, ?, ?, ?, ?)", ready
        )
    taken = time.perf_counter() - begun
    bare.close()
    return taken


@contextmanager
def _another_writer(path: Path) -> Iterator[list[float]]:
    """Somebody who writes a row now and then; how long each had to wait."""
    waits: list[float] = []
    done = threading.Event()

    def write() -> None:
        other = sqlite3.connect(path, timeout=20, isolation_level=None)
        other.execute("CREATE TABLE other_work (at REAL)")
        while not done.wait(0.05):
            begun = time.perf_counter()
            other.execute("INSERT INTO other_work VALUES (1)")
            waits.append(time.perf_counter() - begun)
        other.close()

    worker = threading.Thread(target=write)
    worker.start()
    try:
        yield waits
    finally:
        done.set()
        worker.join()


def _find(rows: list[tuple[str, str]]) -> Figure:
    from django.db import connection

    from wryfalcon.codes.queries.by_code import rows_called

    random = Random(11)
    codes = [random.choice(rows)[0] for _ in range(50)]

    def bare() -> list[list[tuple[object, ...]]]:
        found = []
        for code in codes:
            with connection.cursor() as cursor:
                cursor.execute(BARE, [code.replace("-", "")])
                found.append(cursor.fetchall())
        return found

    same = bare() == [rows_called(code) for code in codes]
    plain, taken = in_turn(bare, lambda: [rows_called(code) for code in codes])
    ratio = taken / plain
    says = f"find by code: {1e6 * taken / len(codes):.0f} µs, {ratio:.1f} times a bare indexed query (goal {FIND:g})"
    return Figure(says if same else f"{says}, OTHER ROWS", same and ratio <= FIND)


def _partial(series: Any) -> Figure:
    from django.db import connection

    from keycore.codes.pattern import parse_pattern
    from wryfalcon.codes.queries.by_bitting import Table

    family = series.family_record.family
    track = family.track(series.track)
    table, random = Table(series, track), Random(13)
    ratios, times, same, leading = [], [], True, 0
    for number in range(PATTERNS):
        cuts = [random.choice(track.labels) if random.random() < 0.5 else "?" for _ in track.spaces]
        if number % 2:
            cuts[0] = "?"
        if set(cuts) == {"?"}:
            cuts[-1] = random.choice(track.labels)
        leading += cuts[0] == "?"
        pattern = parse_pattern(track, " ".join(cuts))
        begun = time.perf_counter()
        with connection.cursor() as cursor:
            cursor.execute(SCAN, [series.pk, " ".join(cuts).replace("?", "_")])
            scanned = cursor.fetchall()
        between = time.perf_counter()
        found = table.rows(table.agreeing(pattern), family.rules)
        times.append(time.perf_counter() - between)
        ratios.append((between - begun) / times[-1])
        same = same and found == scanned
    ratio = median(ratios)
    says = (
        f"{PATTERNS} partial bittings, {leading} with the first cut unknown: {1000 * median(times):.1f} ms, "
        f"{ratio:.0f} times as fast as a LIKE scan, the same rows (goal {PARTIAL:g})"
    )
    return Figure(says if same else f"{says}, OTHER ROWS", same and ratio >= PARTIAL)
