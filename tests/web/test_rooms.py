"""Doors and rooms: who may do what, the library, records, files, security, and counted queries."""

from __future__ import annotations

import io
import json
from pathlib import Path
from typing import Any

import ezdxf
import jsonschema
import pygcode
import pytest
from django.contrib.staticfiles import finders
from django.test import Client
from pypdf import PdfReader

from keycore.documents.schemas import schema_of
from keycore.units import Unit
from specimens import DAMAGED, tiny
from web.jobs import People, carded, hang, read, settled
from wryfalcon.accounts.models import Role
from wryfalcon.accounts.permissions import MAY, Act
from wryfalcon.bench.models import Tag
from wryfalcon.demonstration.open_jobs import hang_open_tags
from wryfalcon.lengths import NotALength, parse_length, show_length
from wryfalcon.library.models import Blank, FamilyRecord
from wryfalcon.log.models import AuditEntry, Event
from wryfalcon.machines.models import Machine
from wryfalcon.records.document import record_of

pytestmark = pytest.mark.django_db

PAGES = ["/", "/tags/new", "/library/", "/library/theatre-six", "/library/bring-in", "/machines/", "/records/",
         "/records/find?q=a", "/records/bring-back"]  # fmt: skip
STAGES = ["take-in", "read", "settle", "set-up", "cut", "prove", "hand-over"]
DOCUMENTS = ["record.json", "job-card.pdf"]


@pytest.fixture
def ready(people: People) -> Tag:
    """A tag with a card on the machine."""
    tag = hang(people)
    read(people, tag)
    settled(people, tag)
    carded(people, tag, Machine.objects.get(name="Old Gannet"))
    return tag


@pytest.mark.parametrize("path", [*PAGES, "/tags/401/read", "/library/theatre-six.json"])
def test_every_door_asks_who_is_there(client: Client, people: People, path: str) -> None:
    hang(people)
    answer = client.get(path)
    assert answer.status_code == 302
    assert answer["Location"].startswith("/accounts/login")


DOORS = {
    "/tags/new": Act.TAKE_IN,
    "/tags/401/decline": Act.TAKE_IN,
    "/tags/401/read/value": Act.READ_KEYS,
    "/tags/401/settle/overrule": Act.SETTLE,
    "/tags/401/settle/keep": Act.SETTLE,
    "/tags/401/settle/read-back": Act.SETTLE,
    "/tags/401/set-up/choose": Act.CUT,
    "/tags/401/cut/next": Act.CUT,
    "/tags/401/cut/1": Act.CUT,
    "/tags/401/cut/1/end": Act.CUT,
    "/machines/1/home": Act.CUT,
    "/machines/1/misreports": Act.CUT,
    "/tags/401/record.json": Act.LOOK,
    "/tags/401/prove/1/why.json": Act.PROVE,
    "/tags/401/prove/1/value": Act.PROVE,
    "/tags/401/hand-over/close": Act.HAND_OVER,
    "/library/bring-in": Act.KEEP_LIBRARY,
    "/library/guide/cannot": Act.TAKE_IN,
    "/library/guide/bring-in": Act.KEEP_LIBRARY,
    "/library/guide/rows/1": Act.KEEP_LIBRARY,
    "/library/blanks/1": Act.KEEP_LIBRARY,
    "/records/bring-back": Act.SETTLE,
}


@pytest.mark.parametrize("role", Role)
@pytest.mark.parametrize("door", DOORS)
def test_who_may_do_what(client: Client, people: People, role: Role, door: str) -> None:
    hang(people)
    person = next(p for p in people.values() if p.role == role)
    client.force_login(person)
    assert (client.post(door, {}).status_code != 403) == (DOORS[door] in MAY[role])


@pytest.mark.parametrize("document", DOCUMENTS)
def test_documents_with_a_bitting_are_asked_for_by_post(
    smith: Client, people: People, ready: Tag, document: str
) -> None:
    fresh = hang(people)
    for tag in (ready, fresh):
        assert smith.get(f"/tags/{tag}/{document}").status_code == 405
        assert smith.post(f"/tags/{tag}/{document}").status_code == 200
    seen = AuditEntry.objects.filter(event=Event.BITTING_SEEN, tag=ready)
    assert [look.data["what"] for look in seen] == [{"record.json": "the record"}.get(document, "the job card")]


@pytest.mark.parametrize("stage", STAGES)
def test_every_stage_can_be_looked_at_at_any_time(smith: Client, people: People, ready: Tag, stage: str) -> None:
    fresh = hang(people)
    for tag in (ready, fresh):
        assert smith.get(f"/tags/{tag}/{stage}").status_code == 200


def test_the_demonstration_hangs_a_job_at_every_stage(smith: Client, people: People) -> None:
    hang_open_tags({**people}) if _has_past(people) else None
    stages = {smith.get(f"/tags/{tag}").headers["Location"].rsplit("/", 1)[1] for tag in Tag.objects.all()}
    assert stages == {"read", "settle", "cut", "prove"}


def _has_past(people: People) -> bool:
    """A key brought back needs a tag that made one."""
    hang(people, family=FamilyRecord.objects.get(slug="boathouse-four"))
    return True


@pytest.mark.parametrize(("document", "field"), DAMAGED.values(), ids=DAMAGED)
def test_a_damaged_family_is_refused_by_field_and_nothing_is_lost(
    client: Client, people: People, document: Any, field: str
) -> None:
    client.force_login(people["orla"])
    answer = client.post("/library/bring-in", {"document": json.dumps(document)})
    assert answer.status_code == 422
    assert "Nothing in the library has changed" in answer.content.decode()
    assert field in answer.content.decode()
    assert not FamilyRecord.objects.filter(slug="tiny").exists()


def test_a_family_comes_in_and_goes_out_word_for_word(client: Client, people: People) -> None:
    client.force_login(people["orla"])
    upload = io.BytesIO(json.dumps(tiny(), ensure_ascii=False).encode())
    upload.name = "tiny.json"
    answer = client.post("/library/bring-in", {"file": upload, "restricted": "1"})
    assert answer["Location"] == "/library/tiny"
    assert client.get("/library/tiny.json").json() == tiny()
    record = FamilyRecord.objects.get(slug="tiny")
    assert record.restricted
    client.post(f"/library/blanks/{Blank.objects.get(code='T').pk}", {"hook": "D4", "left": "12"})
    assert str(Blank.objects.get(code="T")) == "T, hook D4, 12 left"


def test_a_family_in_use_keeps_the_edition_its_keys_were_cut_from(client: Client, people: People) -> None:
    hang(people)
    client.force_login(people["orla"])
    document = {**tiny(), "id": "harbour-five"}
    answer = client.post("/library/bring-in", {"document": json.dumps(document)})
    assert answer.status_code == 302
    assert FamilyRecord.objects.in_force().get(slug="harbour-five").family.name == "Harbour five"
    assert FamilyRecord.objects.checked().get(slug="harbour-five").family.name == "Tiny"  # to be looked at first


def test_a_family_whose_tools_are_not_known_is_kept_counted_and_drawn_bare(client: Client, people: People) -> None:
    client.force_login(people["orla"])
    document = {**tiny(), "kind": "dimple"}
    document["tracks"] = [{name: value for name, value in document["tracks"][0].items() if name != "cut"}]
    client.post("/library/bring-in", {"document": json.dumps(document)})
    said = " ".join(client.get("/library/tiny").content.decode().split())
    assert "drill or row of track A: not known" in said
    assert "17 allowed" in said
    assert "Tiny, uncut, drawn to scale: its front face" in said


def test_a_record_makes_the_same_key_again(smith: Client, people: People, ready: Tag) -> None:
    record = record_of(ready)
    jsonschema.Draft202012Validator(schema_of("record")).validate(record)
    answer = smith.post("/records/bring-back", {"document": json.dumps(record), "authority": "known"})
    again = Tag.objects.get(number=ready.number + 1)
    assert answer["Location"] == f"/tags/{again.number}/settle"
    assert again.settlement is not None
    assert ready.settlement is not None
    assert again.settlement.values == ready.settlement.values
    assert again.settlement.read_back_at is None


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"format": "wry-falcon.record/9"}, "format"),
        ({"key": None}, "key: must be an object"),
        ({"surprise": 1}, "surprise: is not a field of this document"),
    ],
)
def test_a_damaged_record_is_refused_and_no_tag_is_hung(
    smith: Client, ready: Tag, change: dict[str, Any], says: str
) -> None:
    answer = smith.post("/records/bring-back", {"document": json.dumps({**record_of(ready), **change})})
    assert answer.status_code == 422
    assert says in answer.content.decode()
    assert Tag.objects.count() == 1


def test_a_record_of_another_edition_is_not_quietly_cut_from_ours(smith: Client, ready: Tag) -> None:
    """Its own edition is kept for it and not put in force; the next record of it finds that one."""
    record, in_force = record_of(ready), ready.family_record
    record["family"]["tracks"][0]["depths"][0]["value"] = 0.327
    for _ in range(2):
        smith.post("/records/bring-back", {"document": json.dumps(record), "authority": "known"})
        again = Tag.objects.latest("pk")
        assert again.family.tracks[0].values[0] == 0.327
        assert again.settlement is not None
    assert FamilyRecord.objects.in_force().get(slug=again.family.id) == in_force
    assert FamilyRecord.objects.filter(slug=again.family.id).count() == 2


def test_the_gcode_reads_back_as_the_cuts_it_stands_for(smith: Client, ready: Tag) -> None:
    """Read by pygcode, a parser of others."""
    written = smith.post(f"/tags/{ready}/set-up/plan.nc").content.decode()
    machine = pygcode.Machine()
    plunged = []
    for text in written.splitlines():
        line = pygcode.Line(text.strip("%"))
        machine.process_block(line.block)
        if any(isinstance(code, pygcode.GCodeLinearMove) for code in line.block.gcodes):
            plunged.append((machine.pos.values["X"], machine.pos.values["Z"]))
    assert ready.set_up is not None
    told = [(command["position"], command["value"]) for command in ready.set_up.commands]
    assert plunged == [pytest.approx(cut, abs=1e-4) for cut in told]


def test_the_dxf_reads_back_as_the_profile(smith: Client, ready: Tag) -> None:
    written = smith.post(f"/tags/{ready}/set-up/plan.dxf").content.decode()
    drawing = ezdxf.read(io.StringIO(written))  # type: ignore[attr-defined]
    assert not drawing.audit().has_errors
    (line,) = drawing.modelspace().query("LWPOLYLINE")
    points = [(x, y) for x, y, *_ in line.get_points()]
    assert points[0][0] == 0.0
    assert points[-1][0] == pytest.approx(1.04 * 25.4)
    assert min(y for _, y in points) == pytest.approx(0.246 * 25.4, abs=1e-6)


def test_the_job_card_is_a_pdf_with_the_bitting_on_it(smith: Client, ready: Tag) -> None:
    answer = smith.post(f"/tags/{ready}/job-card.pdf")
    text = PdfReader(io.BytesIO(answer.content)).pages[0].extract_text().replace("\xa0", " ")
    assert f"Tag {ready}" in text
    assert "3 5 2" in text


def test_pages_send_a_strict_policy_and_hold_no_inline_code(smith: Client, ready: Tag) -> None:
    answer = smith.get(f"/tags/{ready}/settle", {"again": "1"})
    assert "script-src 'self'" in answer["Content-Security-Policy"]
    assert "unsafe" not in answer["Content-Security-Policy"]
    page = answer.content.decode()
    assert "<style" not in page
    assert " style=" not in page
    assert "http://" not in page.replace("http://www.w3.org/2000/svg", "")
    assert "https://" not in page


def test_log_in_is_throttled(client: Client, people: People, settings: Any) -> None:
    settings.AXES_ENABLED = True
    for _ in range(6):
        client.post("/accounts/login", {"username": "orla", "password": "wrong"})
    answer = client.post("/accounts/login", {"username": "orla", "password": "wrong"})
    assert answer.status_code == 429
    assert "Too many wrong passwords" in answer.content.decode()


def wrongly(client: Client, name: str, address: str) -> int:
    given = {"username": name, "password": "wrong"}
    return client.post("/accounts/login", given, REMOTE_ADDR=address).status_code


def test_one_who_types_wrong_locks_out_nobody_else(client: Client, people: People, settings: Any) -> None:
    settings.AXES_ENABLED = True
    assert [wrongly(client, "orla", "10.0.0.1") for _ in range(7)][-1] == 429
    assert wrongly(client, "orla", "10.0.0.2") == 200  # the person herself, elsewhere
    assert wrongly(client, "tam", "10.0.0.1") == 200  # somebody else behind the same address


@pytest.mark.parametrize(("what", "times"), [("name", 30), ("address", 60)])
def test_a_name_and_an_address_alone_are_locked_out_far_later(
    client: Client, people: People, settings: Any, what: str, times: int
) -> None:
    """One name from many places, and many names from one place."""
    settings.AXES_ENABLED = True
    for at in range(times):
        name, address = ("orla", f"10.0.0.{at}") if what == "name" else (f"nobody{at}", "10.0.0.1")
        assert wrongly(client, name, address) != 429 or at == times - 1
    assert wrongly(client, *(("orla", "10.0.0.99") if what == "name" else ("tam", "10.0.0.1"))) == 429
    assert wrongly(client, "wren", "10.0.1.1") == 200


def test_who_logs_in_forgives_nobody_elses_failures(client: Client, people: People, settings: Any) -> None:
    settings.AXES_ENABLED = True
    for _ in range(5):
        wrongly(client, "orla", "10.0.0.1")
    client.post("/accounts/login", {"username": "tam", "password": "dunmere-harbour"}, REMOTE_ADDR="10.0.0.1")
    client.logout()
    assert wrongly(client, "orla", "10.0.0.1") == 429


def test_a_preference_is_kept_and_leads_nowhere_else(smith: Client, people: People) -> None:
    for odd in ("0", "bench:tags", "../x", ""):
        assert smith.post("/accounts/prefer", {"fine": "NaN", "back": odd})["Location"] == "/"
    answer = smith.post("/accounts/prefer", {"unit": "mm", "back": "https://elsewhere.example/"})
    assert answer["Location"] == "/"
    people["tam"].refresh_from_db()
    assert people["tam"].unit == "mm"


def test_scripts_styles_and_fonts_ship_with_the_project() -> None:
    for name in ("app.css", "app.js", "vendor/htmx.min.js", "vendor/alpine-csp.min.js", "icon.svg"):
        found = finders.find(name)
        assert found
        assert Path(found).stat().st_size > 0


def test_every_file_of_others_that_ships_has_its_licence_beside_it() -> None:
    static = Path(str(finders.find("app.css"))).parent
    said = (static / "LICENCES.txt").read_text()
    others = [*static.glob("vendor/*"), *static.glob("fonts/*"), static / "app.css"]
    assert len(others) == 4
    for file in others:
        assert str(file.relative_to(static)) in said
    for licence in ("Zero-Clause BSD", "MIT License", "SIL OPEN FONT LICENSE"):
        assert licence in said


@pytest.mark.parametrize(
    ("typed", "shop", "value"),
    [
        ("0.301", Unit.INCH, 0.301), (".301", Unit.INCH, 0.301), ("0,301", Unit.INCH, 0.301),
        ("301", Unit.INCH, 0.301), ("7.65 mm", Unit.INCH, 7.65 / 25.4), ("12 thou", Unit.MILLIMETRE, 0.012),
        ("765", Unit.MILLIMETRE, 7.65 / 25.4), ("7,65", Unit.MILLIMETRE, 7.65 / 25.4),
        ('0.301"', Unit.MILLIMETRE, 0.301),
    ],
)  # fmt: skip
def test_lengths_are_understood(typed: str, shop: Unit, value: float) -> None:
    assert parse_length(typed, shop, Unit.INCH).value == pytest.approx(value)


@pytest.mark.parametrize("typed", ["", "o.301", "1e3", "0.3.1", "--1", "0.3 cm", "٣"])
def test_what_is_no_length_is_refused(typed: str) -> None:
    with pytest.raises(NotALength):
        parse_length(typed, Unit.INCH, Unit.INCH)


def test_minus_is_a_minus_sign() -> None:
    assert show_length(-0.00001, Unit.INCH, Unit.INCH, signed=True) == "0.000"
    assert show_length(-0.0013, Unit.INCH, Unit.INCH, fine=True, signed=True) == "\N{MINUS SIGN}0.0013"
