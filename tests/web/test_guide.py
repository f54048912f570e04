"""The fitting guide on its pages: found, asked, taken in, brought in, changed, and what it has no row for."""

from __future__ import annotations

import io
import json
import re

import pytest
from django.test import Client

from web.jobs import People
from wryfalcon.bench.models import Tag
from wryfalcon.demonstration.making import settle_as
from wryfalcon.library.models import Blank, FamilyRecord, Guide, GuideEntry, NotInGuide
from wryfalcon.log.models import AuditEntry, Event

pytestmark = pytest.mark.django_db


def test_a_few_words_and_an_answer_lead_to_a_tag(smith: Client) -> None:
    page = smith.get("/library/guide?words=day+boats").content.decode()
    assert "2 of 17 rows left" in page
    assert "What is in its head?" in page
    page = smith.get("/library/guide?words=day+boats&electronics=none").content.decode()
    assert "1 of 17 rows left" in page
    assert "1996 to 2010" in page
    blank = Blank.objects.get(code="DM-5")
    assert f"hook {blank.hook}, {blank.left} left" in page
    entry = GuideEntry.objects.get(what__startswith="Day boats", since=1996)
    form = smith.get(f"/tags/new?guide={entry.pk}").content.decode()
    assert 'value="Day boats hired by the hour"' in form
    assert f'<option value="{blank.pk}" selected>' in form
    posted = {
        "title": "Day boat 4", "customer": "Boat hire", "on_bench": "worn-key", "in_hand": "1", "quantity": "1",
        "family": _family(form), "blank": blank.pk,
        "locks-TOTAL_FORMS": "0", "locks-INITIAL_FORMS": "0",
    }  # fmt: skip
    assert 'name="guide" value="' in form
    assert smith.post("/tags/new", {**posted, "guide": entry.pk}).status_code == 302
    tag = Tag.objects.get()
    assert (tag.family.id, tag.guide["clamp"], tag.guide["stop"]) == ("harbour-five", "A", "shoulder")
    again = {**posted, "family": FamilyRecord.objects.get(slug="theatre-six").pk, "blank": ""}
    assert smith.post(f"/tags/{tag.number}/take-in", again).status_code == 302
    assert Tag.objects.get().guide == {}  # it was said of another family


def test_what_the_guide_says_of_making_it_stands_at_set_up_and_a_contradiction_is_named(
    smith: Client, people: People
) -> None:
    tag = hung_without_a_family(smith)
    entry = GuideEntry.objects.get(what__startswith="Day boats", since=1996)
    entry.clamp, entry.stop, entry.procedure = "B", "tip", "lubricate the lock first"
    entry.save()
    smith.post(f"/tags/{tag.number}/family", {"guide": entry.pk})
    tag = Tag.objects.get(pk=tag.pk)
    settle_as(people["tam"], tag, {"A": ["3", "5", "2", "4", "1"]})
    page = re.sub(r"\s+", " ", smith.get(f"/tags/{tag.number}/set-up").content.decode())
    assert "side B, named by the guide" in page
    assert f"The guide ({entry.guide}) says: clamp B, face front, stop: tip, lubricate the lock first." in page
    assert "The table counts from the shoulder: look which of the two is right" in page


def _family(form: str) -> str:
    """The family that a form has chosen."""
    choice = form[form.index('name="family"') :]
    return choice[: choice.index(" selected")].rsplit('value="', 1)[1].rstrip('"')


@pytest.mark.parametrize(
    ("query", "says"),
    [
        ("blank=dm5", "Pilot boat"),
        ("blank=H5+R", "Pilot boat"),  # of another supplier
        ("words=kiosks", "What is it for?"),
        ("words=kiosks&use=box", "money boxes"),
        ("words=pilot&year=2012", "No row is for that"),
        ("words=pilot&since=2005", "Pilot boat"),
        ("year=soon", "“soon” is no year"),
        ("cuts=99", "“99” is no count of cuts"),
        ("words=museum", "family not known"),
    ],
)
def test_it_is_found_by_what_is_known(smith: Client, query: str, says: str) -> None:
    assert says in smith.get(f"/library/guide?{query}").content.decode()


def test_what_no_row_is_for_is_written_down_in_one_press(smith: Client) -> None:
    page = smith.get("/library/guide?words=hovercraft").content.decode()
    assert "We cannot do this one" in page
    for _ in range(2):
        page = smith.post("/library/guide/cannot", {"words": "hovercraft"}, follow=True).content.decode()
    assert "hovercraft, 2 times" in page
    assert "Say what was asked for" in smith.post("/library/guide/cannot", {}, follow=True).content.decode()
    assert NotInGuide.objects.count() == 2


def test_a_table_goes_out_and_comes_in_as_it_was_and_is_run_by_no_spreadsheet(owner: Client) -> None:
    entry = GuideEntry.objects.first()
    assert entry is not None
    owner.post(f"/library/guide/rows/{entry.pk}", {"what": "=1+1 boats", "cuts": "5", "blanks": "Gull:-5"})
    before = [each.row for each in GuideEntry.objects.all()]
    assert before[0].what == "=1+1 boats"
    table = owner.get("/library/guide/boats-and-buildings.csv").content
    assert b"'=1+1 boats" in table
    upload = io.BytesIO(table)
    upload.name = "guide.csv"
    answer = owner.post("/library/guide/bring-in", {"file": upload, "name": "Boats and buildings", "edition": "2027"})
    assert answer.status_code == 302
    assert [each.row for each in GuideEntry.objects.all()] == before
    document = owner.get("/library/guide/boats-and-buildings.json").content.decode()
    assert json.loads(document)["edition"] == "2027"
    owner.post("/library/guide/bring-in", {"table": document})
    assert [each.row for each in GuideEntry.objects.all()] == before
    assert Guide.objects.count() == 1
    assert AuditEntry.objects.filter(event=Event.GUIDE_BROUGHT_IN).count() == 3


@pytest.mark.parametrize(
    ("table", "says"),
    [
        ("what,cuts\nHut,five\n", "line 2: &#x27;five&#x27; is no whole number"),
        ("who\nHut\n", "the first line must name the columns"),
        ('{"format": "wry-falcon.guide/1", "id": "a b", "name": "A", "rows": []}', "use small letters"),
        ("what\n" + "x" * 130 + "\n", "longer than 120 characters"),
        ("", "the first line must name the columns"),
    ],
)
def test_a_table_that_is_no_guide_changes_nothing(owner: Client, table: str, says: str) -> None:
    before = GuideEntry.objects.count()
    answer = owner.post("/library/guide/bring-in", {"table": table, "name": "Boats and buildings"})
    assert answer.status_code == 422
    assert says in answer.content.decode()
    assert GuideEntry.objects.count() == before


def test_a_row_that_cannot_be_is_refused_and_what_was_typed_stays(owner: Client) -> None:
    entry = GuideEntry.objects.first()
    assert entry is not None
    answer = owner.post(f"/library/guide/rows/{entry.pk}", {"what": "Hut", "from": "2004", "to": "1988"})
    assert answer.status_code == 422
    assert "1988 is before 2004" in answer.content.decode()
    assert 'value="2004"' in answer.content.decode()
    entry.refresh_from_db()
    assert entry.what.startswith("Pilot boat")


def test_who_may_change_the_guide(client: Client, people: People) -> None:
    entry = GuideEntry.objects.first()
    assert entry is not None
    for name, may in (("wren", 403), ("tam", 403), ("orla", 200)):
        client.force_login(people[name])
        assert client.get("/library/guide").status_code == 200
        assert client.get("/library/guide/bring-in").status_code == may
        assert client.get(f"/library/guide/rows/{entry.pk}").status_code == may


def hung_without_a_family(smith: Client, **more: str) -> Tag:
    posted = {
        "title": "day boats", "customer": "Boat hire", "on_bench": "worn-key", "in_hand": "1", "quantity": "2",
        "locks-TOTAL_FORMS": "1", "locks-INITIAL_FORMS": "0", "locks-0-name": "Boat 4", **more,
    }  # fmt: skip
    answer = smith.post("/tags/new", posted)
    assert answer.status_code == 302
    return Tag.objects.latest("number")


def test_a_tag_begins_without_a_family_and_learns_it_from_the_guide(smith: Client) -> None:
    tag = hung_without_a_family(smith)
    assert "its family to be found" in smith.get("/").content.decode()
    assert smith.get(f"/tags/{tag.number}")["Location"].endswith("/take-in")
    page = smith.get(f"/tags/{tag.number}/take-in").content.decode()
    assert "What key is it?" in page
    assert f"/tags/{tag.number}/read" not in page  # nothing leads where nothing can be done
    for closed in ("read", "settle", "set-up", "cut", "prove", "tries", "codes", "cutters", "real-size", "set-up/card"):
        assert smith.get(f"/tags/{tag.number}/{closed}").status_code == 404, closed
    for posted in ("read/value", "settle/keep", "cut/next", "record.json", "job-card.pdf"):
        assert smith.post(f"/tags/{tag.number}/{posted}").status_code == 404, posted
    assert smith.get(f"/tags/{tag.number}/hand-over").status_code == 200
    page = smith.get(f"/library/guide?tag={tag.number}&words=day+boats,+one+more").content.decode()
    assert page.count("It is this") == 2
    entry = GuideEntry.objects.get(what__startswith="Day boats", since=1996)
    answer = smith.post(f"/tags/{tag.number}/family", {"guide": entry.pk})
    assert answer["Location"].endswith("/read")
    tag.refresh_from_db()
    assert (tag.family.id, str(tag.blank)[:4], tag.quantity) == ("harbour-five", "DM-5", 2)
    assert smith.get(f"/tags/{tag.number}/read").status_code == 200


def test_a_family_once_said_is_changed_under_take_in_and_never_taken_away(smith: Client) -> None:
    tag = hung_without_a_family(smith)
    entry = GuideEntry.objects.get(what__startswith="Day boats", since=1996)
    smith.post(f"/tags/{tag.number}/family", {"guide": entry.pk})
    other = GuideEntry.objects.get(what="Lighthouse stores")
    page = smith.post(f"/tags/{tag.number}/family", {"guide": other.pk}, follow=True).content.decode()  # a second tab
    assert "is of Harbour five: change it under Take in" in page
    again = {
        "title": "day boats", "customer": "Boat hire", "on_bench": "worn-key", "quantity": "2", "family": "",
        "locks-TOTAL_FORMS": "0", "locks-INITIAL_FORMS": "0",
    }  # fmt: skip
    answer = smith.post(f"/tags/{tag.number}/take-in", again)
    assert answer.status_code == 422
    assert "keeps one: choose another" in answer.content.decode()
    tag.refresh_from_db()
    assert tag.family.id == "harbour-five"


def test_a_restricted_family_is_not_learned_without_the_authority(smith: Client) -> None:
    tag = hung_without_a_family(smith)
    entry = GuideEntry.objects.get(what="Harbour Office")
    Tag.objects.filter(pk=tag.pk).update(authority="")
    page = smith.post(f"/tags/{tag.number}/family", {"guide": entry.pk}, follow=True).content.decode()
    assert "is restricted: write down under Take in" in page
    museum = GuideEntry.objects.get(what__startswith="Museum")
    page = smith.post(f"/tags/{tag.number}/family", {"guide": museum.pk}, follow=True).content.decode()
    assert "names no family of this library" in page
    tag.refresh_from_db()
    assert tag.family_record is None


def test_a_job_whose_key_nobody_knows_ends_honestly(smith: Client) -> None:
    tag = hung_without_a_family(smith)
    smith.post(f"/tags/{tag.number}/decline", {"why_declined": "no row in the guide"})
    for page in ("/", "/records/", "/records/find?q=day+boats", f"/tags/{tag.number}/hand-over"):
        answer = smith.get(page)
        assert answer.status_code == 200, page
        assert "None" not in answer.content.decode(), page
    assert "Job card, PDF" not in smith.get(f"/tags/{tag.number}/hand-over").content.decode()
