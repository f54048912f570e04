"""Code series: brought in whole or not at all, found as a smith writes codes, covered until asked for."""

from __future__ import annotations

import json
import os
import re
import subprocess
import sys
import time
from io import BytesIO
from pathlib import Path
from typing import Any
from zipfile import ZIP_DEFLATED, ZipFile

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from django.utils import timezone
from openpyxl import Workbook, load_workbook

from keycore.documents.series import SeriesDocument
from keycore.errors import InputError
from shops import furnish
from web.jobs import People, hang
from web.test_bench import words
from web.test_sources import reading_of
from wryfalcon.bench.models import OnBench, Tag
from wryfalcon.bench.reading.actions import state_labels
from wryfalcon.bench.reading.source_actions import add_source
from wryfalcon.codes import tables
from wryfalcon.codes.actions import intake as reading_in
from wryfalcon.codes.actions import offer as offering
from wryfalcon.codes.actions.intake import Overtaken, _begin_reading, _take, bring_in, read_in, stop_reading
from wryfalcon.codes.actions.offer import offer
from wryfalcon.codes.models import SILENT, BadCode, Code, Column, Intake, Series, SeriesState
from wryfalcon.demonstration.making import family_record
from wryfalcon.library.models import FamilyRecord
from wryfalcon.log.models import AuditEntry, Event

pytestmark = pytest.mark.django_db

TABLE = "code,bitting\nT 0041,3 5 2 4 1\nT-0042,35241\nT0043,1 6 1 6 1\n"
ABOUT = {"id": "theatre-t", "name": "Theatre T", "family": "harbour-five"}


def in_force(people: People, rows: list[tuple[str, str]], **about: str) -> Series:
    """A series in force, brought in as a document."""
    document = {"format": "wry-falcon.series/1", **ABOUT, **about, "codes": [list(row) for row in rows]}
    return bring_in(people["orla"], offer(people["orla"], json.dumps(document).encode()))


def offered(owner: Client, **posted: object) -> str:
    return " ".join(owner.post("/codes/bring-in", {**ABOUT, **posted}, follow=True).content.decode().split())


def put_in_force(owner: Client) -> str:
    page = owner.post(f"/codes/{Series.objects.latest('pk').pk}/bring-in", follow=True)
    return " ".join(page.content.decode().split())


def test_a_table_is_read_and_checked_before_any_of_it_is_in_force(owner: Client) -> None:
    assert "3 codes for Harbour five, 1 of them breaking a rule of the family" in offered(owner, table=TABLE)
    assert "No series in force has that code" in words(owner, "/codes/", code="T0041")
    assert "Theatre T is in force, 3 codes." in put_in_force(owner)
    said = words(owner, "/codes/", code="t 00-42")
    assert "T-0042 looked up as T0042 Theatre T Harbour five" in said  # as it was printed, however it is asked for
    assert "breaks macs" in words(owner, "/codes/", code="T0043")
    assert "No series in force has that code" in words(owner, "/codes/", code="T42")  # leading zeros are kept
    assert "T 0041" in words(owner, "/codes/", code="T0041 to T0042")
    assert "theatre-t is in the library already" in offered(owner, table=TABLE)


@pytest.mark.parametrize(
    ("table", "says"),
    [
        ("code,bitting\nT1,3 5 2 4 1\nT2,3 5 2\n", "line 3, T2: 3 cuts where the family has 5"),
        ("code,bitting\nT1,3 5 2 4 1\n t-1 ,3 5 2 4 1\n", "line 3, t-1: the same code as T1, earlier in the table"),
        ("code,bitting\n,3 5 2 4 1\nT2,\n", "line 2, no code: no code"),
    ],
)
def test_a_bad_row_is_named_with_its_line_and_nothing_comes_in_force(owner: Client, table: str, says: str) -> None:
    assert says in offered(owner, table=table)
    assert "rows cannot be taken; mend them, or leave them out" in put_in_force(owner)
    assert Series.objects.get().state == SeriesState.CHECKED
    assert says in offered(owner, table=table)  # offered again it makes way for itself
    series = Series.objects.get()
    owner.post(f"/codes/{series.pk}/throw-away")
    assert not (Series.objects.exists())
    assert not (Code.objects.exists())
    assert not (Column.objects.exists())
    assert not (BadCode.objects.exists())


@pytest.mark.parametrize(
    ("posted", "says"),
    [
        ({"table": '{"format": "wry-falcon.series/1"}'}, "is missing"),
        ({"table": TABLE, "id": "Theatre T"}, "small letters"),
        ({"table": TABLE, "family": "no-such"}, "there is no family"),
        ({"table": TABLE, "printed": "##?"}, "use # for each character that counts"),
        ({}, "choose a file, paste a table"),
        ({"first": "Q1", "last": "R9", "rule": "counted"}, "must be written as the first code is"),
    ],
)
def test_what_is_no_table_is_refused_and_nothing_is_kept(owner: Client, posted: dict[str, str], says: str) -> None:
    page = owner.post("/codes/bring-in", {**ABOUT, **posted})
    problem = Series.objects.first()
    said = page.content.decode() if problem is None else words(owner, f"/codes/{problem.pk}")
    assert says in said
    assert not Code.objects.exists()


def test_all_that_a_series_lacks_is_said_at_once_and_its_file_is_still_here(
    owner: Client, settings: Any, tmp_path: Path
) -> None:
    settings.TABLE_FOLDER = tmp_path
    page = owner.post("/codes/bring-in", {"id": "Not One", "file": SimpleUploadedFile("boats.csv", TABLE.encode())})
    said = page.content.decode()
    assert all(f"<strong>{field}</strong>" in said for field in ("name", "id", "family"))
    assert "<strong>boats.csv</strong> is still here" in said
    held = re.search(r'name="held" value="([^"]+)"', said)[1]  # type: ignore[index]
    refused = owner.post(
        "/codes/bring-in", {**ABOUT, "id": "", "held": held, "held_name": "boats.csv"}
    ).content.decode()
    assert "<strong>boats.csv</strong> is still here" in refused
    offered(owner, held=held, held_name="boats.csv")
    assert Series.objects.get().intake.rows == 3
    assert "choose it again" in offered(owner, id="again", held=held[:-1] + "x")
    (file,) = tmp_path.glob("held-*")
    os.utime(file, (0, 0))
    owner.post("/codes/bring-in", {"id": "", "file": SimpleUploadedFile("other.csv", b"code,bitting\n")})
    assert not file.exists()


def test_a_file_that_stops_being_a_table_says_where(owner: Client, monkeypatch: pytest.MonkeyPatch) -> None:
    at_once(monkeypatch)
    assert "the first line must name the columns code and bitting" in offered(owner, table="number,cuts\nT1,35241\n")
    upload = SimpleUploadedFile("codes.csv", b"code,bitting\nT1,35241\n\xff\xfe,1\n")
    assert "not UTF-8 text before byte" in offered(owner, id="other", file=upload)
    broken = SimpleUploadedFile("codes.xlsx", b"PK\x03\x04 nothing like a sheet")
    assert "not a spreadsheet that can be read" in offered(owner, id="third", file=broken)


def at_once(monkeypatch: pytest.MonkeyPatch) -> None:
    """What is read in the background is read at once."""
    monkeypatch.setattr(offering, "read_in_background", lambda intake: read_in(intake.pk))


def test_a_spreadsheet_goes_in_and_out_with_its_zeros(owner: Client, monkeypatch: pytest.MonkeyPatch) -> None:
    at_once(monkeypatch)
    book, out = Workbook(), BytesIO()
    for row in (("Bitting", "Code"), (35241, "0041"), ("3 5 2 4 2", 42.0)):
        book.active.append(row)
    book.save(out)
    offered(owner, file=SimpleUploadedFile("codes.xlsx", out.getvalue()))
    put_in_force(owner)
    rows = [("code", "bitting"), ("0041", "3 5 2 4 1"), ("42", "3 5 2 4 2")]
    series = Series.objects.get()
    sheet = load_workbook(BytesIO(owner.post(f"/codes/{series.pk}/codes.xlsx").content)).active
    assert list(sheet.iter_rows(values_only=True)) == rows
    table = b"".join(owner.post(f"/codes/{series.pk}/codes.csv").streaming_content).decode()
    assert table.splitlines() == [",".join(row) for row in rows]
    document = json.loads(b"".join(owner.post(f"/codes/{series.pk}/codes.json").streaming_content))
    assert document["codes"] == [list(row) for row in rows[1:]]
    assert (document["id"], document["family"]) == ("theatre-t", "harbour-five")
    assert AuditEntry.objects.filter(event=Event.CODES_SEEN).count() == 3  # taking them away is a look as well


def zipped(**parts: bytes) -> bytes:
    out = BytesIO()
    with ZipFile(out, "w", ZIP_DEFLATED) as archive:
        for name, content in parts.items():
            archive.writestr(name, content)
    return out.getvalue()


MAIN = 'xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"'
SHARED = 'ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.sharedStrings+xml"'


def crafted(cell: str = "T1", strings: int = 0) -> bytes:
    """A small spreadsheet of one code, with a cell of any size and any number of strings that no cell has."""
    book, out = Workbook(), BytesIO()
    for row in (("code", "bitting"), ("T1", "35241")):
        book.active.append(row)
    book.save(out)
    parts = {each: ZipFile(out).read(each).decode() for each in ZipFile(out).namelist()}
    sheet, types = "xl/worksheets/sheet1.xml", "[Content_Types].xml"
    parts[sheet] = parts[sheet].replace("<t>T1</t>", f"<t>{cell}</t>")
    parts["xl/sharedStrings.xml"] = f"<sst {MAIN}>{'<si><t>a</t></si>' * strings}</sst>"
    parts[types] = parts[types].replace("</Types>", f'<Override PartName="/xl/sharedStrings.xml" {SHARED} /></Types>')
    return zipped(**{name: part.encode() for name, part in parts.items()})


READ_IN_LIMITS = """
import sys, django; django.setup()
from pathlib import Path
from wryfalcon.codes.management.commands import read_series
from wryfalcon.codes.actions.intake import _in_a_line
from wryfalcon.codes.tables import TableFile
read_series.SECONDS, read_series.MEMORY = int(sys.argv[2]), int(sys.argv[3])
read_series.limit_work()
try:
    with TableFile(Path(sys.argv[1])) as table:
        print(list(table.rows()))
except (ValueError, MemoryError, read_series.TooMuchWork) as error:
    print(_in_a_line(error))
"""


@pytest.mark.parametrize(
    ("raw", "limits", "says"),
    [
        (crafted(), (20, 300_000_000), "[(2, 'T1', '35241')]"),
        (crafted(strings=5_000_000), (2, 2_000_000_000), "it takes longer than 2 s to read; save it as CSV"),
        (crafted("x" * 100_000_000), (30, 60_000_000), "it takes more memory than a table may; save it as CSV"),
        (crafted("x" * 40_000), (20, 300_000_000), "a cell of 40,000 characters in line 2; 32,767 at most"),
    ],
)
def test_a_spreadsheet_is_bounded_by_the_work_it_makes(
    tmp_path: Path, raw: bytes, limits: tuple[int, int], says: str
) -> None:
    assert len(raw) < 400_000
    (tmp_path / "x.xlsx").write_bytes(raw)
    command = [sys.executable, "-c", READ_IN_LIMITS, str(tmp_path / "x.xlsx"), *map(str, limits)]
    environment = {**os.environ, "PYTHONPATH": str(Path(__file__).parents[2] / "src")}
    done = subprocess.run(command, env=environment, capture_output=True, text=True, timeout=60, check=True)
    assert done.stdout.strip() == says


def test_a_spreadsheet_is_never_read_within_the_request_and_empty_rows_end_it(
    owner: Client, monkeypatch: pytest.MonkeyPatch
) -> None:
    book, out = Workbook(), BytesIO()
    book.active.append(("code", "bitting"))
    book.active.append(("T1", "35241"))
    book.active.cell(row=3000, column=1, value="T2")
    book.save(out)
    begun: list[int] = []
    monkeypatch.setattr(offering, "read_in_background", lambda intake: begun.append(intake.pk))
    assert "Getting ready to read it" in offered(owner, file=SimpleUploadedFile("codes.xlsx", out.getvalue()))
    monkeypatch.setattr(tables, "MOST_EMPTY", 2000)
    read_in(begun[0])
    assert "more than 2,000 empty rows before line 2,003" in Intake.objects.get().problem


def test_codes_with_characters_that_cannot_be_seen_are_bad_rows(owner: Client) -> None:
    said = offered(owner, table="code,bitting\nT\x071,35241\nT\u202e2,35241\nT3,35241\n")
    assert said.count("a code with characters that cannot be seen") == 2
    assert "1 code for Harbour five" in said


@pytest.mark.parametrize("bitting", ["3,5,2,4,1", "3;5;2;4;1", "3/5/2/4/1", "3, 5, 2, 4, 1"])
def test_a_bitting_may_have_commas(owner: Client, bitting: str) -> None:
    offered(owner, table=f'code,bitting\nT1,"{bitting}"\n')
    put_in_force(owner)
    assert Code.objects.get().bitting == "3 5 2 4 1"


ODD_CODES = ["=1+1", "+41", "-7", "@SUM", "'=2", "''-3", "'T", "T1"]


@pytest.mark.parametrize("ending", ["csv", "xlsx"])
def test_no_spreadsheet_runs_an_exported_code_and_it_comes_back_in_unchanged(
    owner: Client, people: People, monkeypatch: pytest.MonkeyPatch, ending: str
) -> None:
    at_once(monkeypatch)
    in_force(people, [(code, "3 5 2 4 1") for code in ODD_CODES])
    series = Series.objects.get()
    answer = owner.post(f"/codes/{series.pk}/codes.{ending}")
    raw = answer.content if ending == "xlsx" else b"".join(answer.streaming_content)
    if ending == "csv":
        assert [line for line in raw.decode().splitlines() if line[0] in "=+-@"] == []
    else:
        cells = [row[0] for row in load_workbook(BytesIO(raw)).active.iter_rows(min_row=2)]
        assert {cell.data_type for cell in cells} == {"s"}
    offered(owner, file=SimpleUploadedFile(f"x.{ending}", raw), edition="again")
    put_in_force(owner)
    again = Series.objects.in_force().get()
    assert list(again.codes.order_by("pk").values_list("code", flat=True)) == ODD_CODES


def test_the_good_rows_come_in_without_the_bad_ones_only_when_asked(owner: Client) -> None:
    said = offered(owner, table="code,bitting\nT1,35241\n=T2,99\nT3,35242\n")
    assert "Bring in the 2 good ones, without those 1" in said
    assert "mend them, or leave them out" in put_in_force(owner)
    series = Series.objects.get()
    mending = b"".join(owner.post(f"/codes/{series.pk}/bad-rows.csv").streaming_content).decode()
    assert mending.splitlines() == ["code,bitting,line,reason", "'=T2,99,3,2 cuts where the family has 5"]
    stale = owner.post(f"/codes/{series.pk}/bring-in", {"without": "2"}, follow=True).content.decode()
    assert "mend them, or leave them out" in stale
    owner.post(f"/codes/{series.pk}/bring-in", {"without": "1"})
    series.refresh_from_db()
    assert (series.state, series.note) == (SeriesState.IN_FORCE, "1 rows of the table left out.")
    assert set(Code.objects.values_list("code", flat=True)) == {"T1", "T3"}


def test_a_reading_that_died_is_taken_up_by_itself_and_closed_when_it_dies_again_and_again(
    owner: Client, people: People, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(offering, "AT_ONCE", 0)
    begun: list[int] = []
    monkeypatch.setattr(offering, "read_in_background", lambda intake: begun.append(intake.pk))
    series = offer(people["orla"], TABLE.encode(), SeriesDocument("wharf", "Wharf", "harbour-five"))
    assert offering.take_up_dead() == 0  # it was just begun
    for reading in (1, 2):
        Intake.objects.update(heard_at=timezone.now() - 2 * SILENT, reading=reading)
        assert offering.take_up_dead() == 1
        assert offering.take_up_dead() == 0
    Intake.objects.update(heard_at=timezone.now() - 2 * SILENT, reading=3)
    assert offering.take_up_dead() == 0
    assert "its reading ended unfinished again and again" in words(owner, f"/codes/{series.pk}")
    assert len(begun) == 3


def test_a_series_by_formula_is_written_out_and_says_its_rule(owner: Client) -> None:
    posted = {"first": "K11000", "last": "K33999", "rule": "digits", "places": "2 3 4 5 6"}
    offered(owner, **posted)
    put_in_force(owner)
    series = Series.objects.get()
    # Harbour five has depths 1 to 6: numbers with a 0, 7, 8 or 9 in them are no codes of the series.
    assert series.count == 2 * 6**4 + 3 * 6**3 == 2 * 1296 + 648
    assert "the cuts are characters 2, 3, 4, 5, 6 of the code" in words(owner, f"/codes/{series.pk}")
    assert Code.objects.get(code="K23456").bitting == "2 3 4 5 6"


def test_a_code_is_looked_up_by_the_rule_of_its_series_and_both_are_shown(owner: Client, people: People) -> None:
    in_force(people, [("T0041K", "3 5 2 4 1")], printed="#####x")
    in_force(people, [("T0041K", "1 2 1 2 1")], id="other", name="Other")
    for code in ("T-0041-K", "t0041", "T0041Q"):
        assert "T0041K looked up as T0041 Theatre T" in words(owner, "/codes/", code=code)
    said = words(owner, "/codes/", code="T0041K")
    assert "T0041K looked up as T0041" in words(owner, "/codes/", code="T0040K to T0042K")  # a range by the same rule
    assert "T0041K Other" in said  # where every character counts, as it is printed
    assert (
        "Other"
        not in words(owner, "/codes/", code="T0041K", narrow="theatre").split("Every series")[0].split("It is")[0]
    )


def test_the_same_cuts_under_two_makers_are_shown_together(smith: Client, people: People) -> None:
    record = family_record("harbour-five")
    document = json.loads(record.document)
    other = {**document, "id": "shed-five", "name": "Shed five", "blank": {**document["blank"], "code": "SH-5"}}
    FamilyRecord.objects.create(slug="shed-five", name="Shed five", kind=record.kind, document=json.dumps(other))
    in_force(people, [("C7", "3 5 2 4 1")], maker="Breakwater")
    in_force(people, [("C-7", "35241")], id="shed-c", name="Shed C", family="shed-five", maker="Sandbar")
    in_force(people, [("C7", "1 1 1 1 1")], id="third", name="Third")
    said = words(smith, "/codes/", code="c7")
    assert said.count("The same cuts in 2 series: choose the blank by what is on the bench.") == 1
    assert "Breakwater" in said
    assert "Sandbar" in said


def test_bittings_are_covered_until_somebody_asks_and_each_look_is_kept(owner: Client, people: People) -> None:
    in_force(people, [("T1001", "3 5 2 4 1")])
    assert "3 5 2 4 1" not in words(owner, "/codes/", code="T1001")
    assert "3 5 2 4 1" in owner.post("/codes/?code=T1001").content.decode()
    assert "3 5 2 4 1" not in words(owner, "/codes/", code="T1001")
    owner.post("/codes/?code=T9999")  # nothing was seen
    look = AuditEntry.objects.get(event=Event.CODES_SEEN)
    assert (look.actor.username, look.data["codes"]) == ("orla", [Code.objects.get().pk])
    assert "by name T1001, Theatre T" in words(owner, "/codes/seen")


def test_codes_are_found_by_part_of_their_bitting_from_either_end(smith: Client, people: People) -> None:
    rows = [("A1", "1 2 3 4 5"), ("A2", "1 2 3 3 5"), ("A3", "5 4 3 2 1"), ("A4", "2 2 2 2 2")]
    in_force(people, rows)

    def found(bitting: str, **more: str) -> set[str]:
        given = {"family": family_record("harbour-five").pk, "bitting": bitting, **more}
        page = smith.post("/codes/by-bitting?" + "&".join(f"{k}={v}".replace("+", "%2B") for k, v in given.items()))
        return {code for code, _ in rows if re.search(rf">\s*{code}\s*<", page.content.decode())}

    assert found("1 2 ? 3+ 5") == {"A1", "A2"}
    assert found("1 2 ? 4/6 5") == {"A1"}
    assert found("5 4-6 3 ? 1", **{"from": "tip"}) == {"A1"}
    assert found("12345") == {"A1"}
    assert found("12345", misread="on") == {"A1", "A2"}
    assert found("? ? ? ? ?") == {"A1", "A2", "A3", "A4"}
    assert found("6????") == set()
    assert "Find by bitting" in words(smith, "/codes/by-bitting")
    page = smith.get("/codes/by-bitting", {"family": family_record("harbour-five").pk, "bitting": "1 2 9 4 5"})
    assert page.status_code == 422
    other = smith.get("/codes/by-bitting", {"family": family_record("harbour-five").pk, "bitting": "1", "track": "Z"})
    assert other.status_code == 422
    assert "<strong>cut 3</strong>: &#x27;9&#x27; is none of the depths 1, 2, 3, 4, 5, 6." in page.content.decode()


def test_a_new_edition_says_what_it_changes_and_which_keys_that_touches(owner: Client, people: People) -> None:
    first = in_force(people, [("T1", "3 5 2 4 1"), ("T2", "1 2 1 2 1"), ("T3", "2 2 2 2 2")], edition="2024")
    tag = hang(people, on_bench=OnBench.CODE)
    source = add_source(people["tam"], tag, "A", "code")
    owner.post(f"/tags/{tag}/read/{source.pk}/code", {"code": "T1"})
    table = "code,bitting\nT1,3 5 2 4 2\nT2,1 2 1 2 1\nT4,2 2 2 2 2\n"
    said = offered(owner, table=table, edition="2026")
    assert "Against Theatre T, 2024: 1 new, 1 with another bitting, 1 no longer in it." in said
    put_in_force(owner)
    first.refresh_from_db()
    assert first.state == SeriesState.REPLACED
    now = Series.objects.in_force().get()
    assert f"{tag} {tag.title} T1 ▪ ▪ ▪ ▪ ▪ ▪" in words(owner, f"/codes/{now.pk}")  # covered until asked
    shown = owner.post(f"/codes/{now.pk}").content.decode()
    assert "3 5 2 4 1" in shown
    assert "3 5 2 4 2" in shown
    assert AuditEntry.objects.filter(event=Event.CODES_SEEN, data__what="keys touched by Theatre T, 2026").count() == 1
    assert "T1 Theatre T, 2026" in words(owner, "/codes/", code="T1")
    source.refresh_from_db()
    assert source.code.series == first  # a key remembers its own edition


@pytest.mark.django_db(transaction=True)
def test_a_large_table_is_read_by_a_process_of_its_own_with_progress(monkeypatch: pytest.MonkeyPatch) -> None:
    people = furnish()
    monkeypatch.setattr(offering, "AT_ONCE", 0)
    rows = "".join(f"W{n:05d},{1 + n % 3}{1 + n // 3 % 3}222\n" for n in range(30_000))
    about = SeriesDocument("wharf", "Wharf", "harbour-five")
    series = offer(people["orla"], f"code,bitting\n{rows}".encode(), about)
    assert series.state == SeriesState.READING
    for _ in range(600):
        series = Series.objects.select_related("intake").get(pk=series.pk)
        if series.state != SeriesState.READING:
            break
        time.sleep(0.05)
    assert (series.state, series.count) == (SeriesState.CHECKED, 30_000)
    assert (series.intake.rows, series.intake.share) == (30_000, 1.0)
    assert Column.objects.filter(space=0).count() == -(-30_000 // reading_in.ROWS)  # a column a batch
    client = Client(headers={"HX-Request": "true"})
    client.force_login(people["orla"])
    assert client.get(f"/codes/{series.pk}").headers["HX-Refresh"] == "true"  # the watching page turns to the next
    with pytest.raises(InputError, match="it is read already; throw it away instead"):
        stop_reading(people["orla"], series)


def test_a_reading_that_is_asked_to_stop_keeps_nothing(people: People, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(offering, "AT_ONCE", 0)
    series = offer(people["orla"], TABLE.encode(), SeriesDocument("wharf", "Wharf", "harbour-five"))
    stop_reading(people["orla"], series)
    read_in(series.intake.pk)
    assert not (Series.objects.exists())
    assert not (Code.objects.exists())
    assert not (Column.objects.exists())


def test_a_reading_whose_process_died_is_thrown_away_or_begun_again(
    owner: Client, people: People, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(offering, "AT_ONCE", 0)
    about = SeriesDocument("wharf", "Wharf", "harbour-five")
    series = offer(people["orla"], TABLE.encode(), about)
    assert "Getting ready to read it" in words(owner, f"/codes/{series.pk}")
    refused = owner.post(f"/codes/{series.pk}/again", follow=True).content.decode()
    assert "It is being read, or read already." in refused
    Intake.objects.update(heard_at=timezone.now() - 2 * SILENT)
    assert "Nothing was heard of the reading for a while." in words(owner, f"/codes/{series.pk}")
    owner.post(f"/codes/{series.pk}/again")
    assert not Intake.objects.get().is_silent
    Intake.objects.update(heard_at=timezone.now() - 2 * SILENT)
    owner.post(f"/codes/{series.pk}/stop")
    assert not Series.objects.exists()


def test_a_reading_that_was_overtaken_gives_up_and_disturbs_nothing(
    people: People, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(offering, "AT_ONCE", 0)
    series = offer(people["orla"], TABLE.encode(), SeriesDocument("wharf", "Wharf", "harbour-five"))
    slow = _begin_reading(series.intake.pk)
    read_in(series.intake.pk)
    with pytest.raises(Overtaken):
        _take(slow, [(2, "T9", "35241")], 10)
    series.refresh_from_db()
    assert (series.state, series.count, Code.objects.count()) == (SeriesState.CHECKED, 3, 3)


def test_a_table_of_another_family_ends_early_and_every_bad_row_is_listed(
    owner: Client, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(reading_in, "MOST_BAD", 120)
    monkeypatch.setattr(reading_in, "ROWS", 60)
    said = offered(owner, table="code,bitting\n" + "".join(f"T{n},999\n" for n in range(1000)))
    assert "more than 120 rows cannot be taken; is it the right table, and the right family?" in said
    assert "180 rows cannot be taken." in said
    assert "line 2, T0: 3 cuts where the family has 5" in said
    series = Series.objects.get()
    assert "line 181, T179" in words(owner, f"/codes/{series.pk}", page="4")


def test_half_a_lock_is_filled_from_the_code_that_fits(smith: Client, people: People) -> None:
    rows = ["M1,2 3 1 2 4 3 4 2", "M2,2 3 1 2 4 2 1 1", "M3,1 1 1 1 1 1 1 1"]
    in_force(people, [tuple(row.split(",")) for row in rows], id="moorings", name="Moorings", family="lighthouse-eight")
    tag = hang(people, family=family_record("lighthouse-eight"), on_bench=OnBench.PART_LOCK)
    source = add_source(people["tam"], tag, tag.family.tracks[0].name, "parts")
    state_labels(people["tam"], tag, source, {s: [label] for s, label in enumerate("231243", start=1)})
    said = words(smith, f"/tags/{tag}/settle")
    assert "one of Moorings, over 99 in 100 of the codes" in said
    assert "M1 " not in said  # covered here as well
    smith.post(f"/tags/{tag}/settle/fill", {"code": Code.objects.get(code="M1").pk})
    reading = reading_of(tag)
    assert reading.labels == list("23124342")
    assert reading.locks == {"boot locker": True, "engine cover": True}
    assert {o.reason for o in reading.overruled.values()} == {"code M1 of Moorings"}
    assert f"{tag} {tag.title}" in words(smith, "/records/find", q="m-1")
    about = {"id": "moorings", "name": "Moorings", "family": "lighthouse-eight", "edition": "2026"}
    later = in_force(people, [("M1", "2 3 1 2 4 3 4 3")], **about)
    assert f"{tag} {tag.title} M1" in words(smith, f"/codes/{later.pk}")


def test_from_a_code_to_a_settled_bitting_with_its_provenance(smith: Client, people: People) -> None:
    in_force(people, [("T-1001", "3 5 2 4 1")])
    found = words(smith, "/records/find", q="t1001")
    assert "Theatre T, Harbour five" in found
    assert "3 5 2 4 1" not in found
    code = Code.objects.get()
    assert "From code T-1001 of Theatre T." in words(smith, "/tags/new", code=str(code.pk))
    job = {
        "code": code.pk, "title": "Spare", "customer": "Quay", "on_bench": "code", "quantity": "1",
        "family": code.series.family_record_id, "locks-TOTAL_FORMS": "0", "locks-INITIAL_FORMS": "0",
    }  # fmt: skip
    refused = smith.post("/tags/new", job)
    assert refused.status_code == 422
    assert "write down what shows that they may have this key" in refused.content.decode()
    assert not Tag.objects.exists()
    page = smith.post("/tags/new", {**job, "authority": "lease seen"}, follow=True).content.decode()
    assert "Settle on 3 5 2 4 1" in page
    assert "By a code: T-1001, Theatre T." in page
    tag = Tag.objects.get()
    assert str(reading_of(tag).sources[0].record) == "A code: T-1001, Theatre T"
    assert reading_of(tag).chance is not None
    other = smith.post(
        "/tags/new", {**job, "authority": "seen", "family": family_record("theatre-six").pk}
    ).content.decode()
    assert "is a series of Harbour five" in other
    assert Tag.objects.count() == 1  # a tag is not hung without its code


def test_a_code_written_on_a_tag_is_looked_up_as_it_is_hung(smith: Client, people: People) -> None:
    """Without a family the only one that has it; an unknown code keeps what was typed; the counter is not asked."""
    counter = Client()
    counter.force_login(people["wren"])
    in_force(people, [("T-1001", "3 5 2 4 1")])
    assert "Its code" in smith.get("/tags/new").content.decode()
    assert "Its code" not in counter.get("/tags/new").content.decode()
    job = {
        "title": "Spare", "customer": "Quay", "on_bench": "code", "quantity": "1", "authority": "lease seen",
        "code_on_it": "t 9", "locks-TOTAL_FORMS": "0", "locks-INITIAL_FORMS": "0",
    }  # fmt: skip
    refused = smith.post("/tags/new", job)
    assert refused.status_code == 422
    assert "No series of the library has the code “t 9”." in refused.context["form"].errors["code_on_it"]
    assert not Tag.objects.exists()
    assert smith.post("/tags/new", {**job, "code_on_it": "t 1001"})["Location"].endswith("/settle")
    tag = Tag.objects.get()
    assert tag.family_record == Code.objects.get().series.family_record
    assert reading_of(tag).labels == ["3", "5", "2", "4", "1"]
    counter.post("/tags/new", {**job, "code_on_it": "t 1001"})
    assert not Tag.objects.latest("pk").sources.exists()
    of_a_key = smith.post("/tags/new", {**job, "on_bench": "worn-key", "code_on_it": "t 1001"})
    assert "looked up where one lies on the bench" in str(of_a_key.context["form"].errors["code_on_it"])


def test_a_code_that_is_another_in_two_series_is_never_guessed(smith: Client, people: People) -> None:
    """At Take in and on Read: both are named; a word after a comma says which; the same bitting in both is one code."""
    in_force(people, [("T-1001", "3 5 2 4 1"), ("T-1002", "1 2 3 2 1")])
    in_force(people, [("T-1001", "1 3 5 4 2"), ("T-1002", "1 2 3 2 1")], id="quays", name="Quays", edition="2026")
    job = {
        "title": "Spare", "customer": "Quay", "on_bench": "code", "quantity": "1", "authority": "lease seen",
        "locks-TOTAL_FORMS": "0", "locks-INITIAL_FORMS": "0",
    }  # fmt: skip
    for typed, says in (("t1001", "another in each of Quays"), ("T1001 - T1002", "not a range")):
        refused = smith.post("/tags/new", {**job, "code_on_it": typed})
        assert says in str(refused.context["form"].errors["code_on_it"])
    assert not Tag.objects.exists()
    smith.post("/tags/new", {**job, "code_on_it": "t1001, quays"})
    assert reading_of(Tag.objects.get()).labels == ["1", "3", "5", "4", "2"]
    tag = hang(people, on_bench=OnBench.CODE)
    source = add_source(people["tam"], tag, "A", "code")
    refused = smith.post(f"/tags/{tag}/read/{source.pk}/code", {"code": "t1001"})
    assert refused.status_code == 422
    assert "type a comma and a word" in refused.content.decode()
    smith.post(f"/tags/{tag}/read/{source.pk}/code", {"code": "t1002"})
    assert reading_of(tag).labels == ["1", "2", "3", "2", "1"]


def test_a_code_typed_on_read_is_looked_up_in_the_familys_own_series(smith: Client, people: People) -> None:
    in_force(people, [("T-1001", "3 5 2 4 1")])
    tag = hang(people, on_bench=OnBench.CODE)
    source = add_source(people["tam"], tag, "A", "code")
    refused = smith.post(f"/tags/{tag}/read/{source.pk}/code", {"code": "T 9"})
    assert refused.status_code == 422
    assert "No series of this family has the code “T 9”." in refused.content.decode()
    smith.post(f"/tags/{tag}/read/{source.pk}/code", {"code": "t 1001"})
    assert reading_of(tag).labels == ["3", "5", "2", "4", "1"]


def test_a_key_made_before_is_found_by_its_code_and_made_again(smith: Client, people: People) -> None:
    in_force(people, [("T-1001", "3 5 2 4 1")], printed="####x", edition="2024")
    tag = hang(people, on_bench=OnBench.CODE, title="Spare for the net loft")
    source = add_source(people["tam"], tag, "A", "code")
    smith.post(f"/tags/{tag}/read/{source.pk}/code", {"code": "T100"})
    assert "has no bitting settled" in smith.post(f"/records/again/{tag}", follow=True).content.decode()
    smith.post(f"/tags/{tag}/settle/keep", {"intent": "restore"})
    in_force(people, [("T-1001", "1 2 1 2 1")], printed="####x", edition="2026")
    assert f"{tag} Spare for the net loft" in words(smith, "/records/find", q="t-1001")
    smith.post(f"/records/again/{tag}", {"authority": "seen before", "quantity": "2"})
    again = Tag.objects.latest("number")
    assert again.settlement is not None
    assert again.settlement.bitting == {"A": ["3", "5", "2", "4", "1"]}
    assert again.settlement.read_back_at is None
    assert (again.quantity, again.sources.get().code.series.edition) == (2, "2024")
    assert words(smith, "/records/find", q="t1001").count("made from the code") == 2


def test_series_are_listed_by_the_page(owner: Client, people: People, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("wryfalcon.codes.views.find.SERIES_A_PAGE", 2)
    for name in ("one", "two", "three"):
        in_force(people, [("T1", "3 5 2 4 1")], id=name, name=name.capitalize())
    pages = [owner.get("/codes/", {"page": number}).context["page"] for number in (1, 2)]
    assert sorted(str(each) for page in pages for each in page) == ["One", "Three", "Two"]
    assert [len(page) for page in pages] == [2, 1]
