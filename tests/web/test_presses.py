"""Where a press that is refused leads: back to the page that was pressed on, with the reason."""

from __future__ import annotations

import ast
from pathlib import Path

import pytest
from django.test import Client
from django.utils import timezone

from conftest import SOURCE
from web.jobs import People, carded, hang, settled
from wryfalcon.bench.reading.source_actions import add_source
from wryfalcon.demonstration.making import finished_key
from wryfalcon.machines.models import Machine

US = "http://testserver"


@pytest.mark.parametrize(
    ("came_from", "leads_to"),
    [
        ("", "/tags/{tag}/settle"),
        (US + "/tags/{tag}/read?track=A&cut=2", "/tags/{tag}/read?track=A&cut=2"),
        (US + "/library/", "/library/"),
        (US + "/tags/{tag}/read/mark", "/tags/{tag}/read"),  # the answer to a form: no page of its own
        (US + "/no/such/page", "/"),
        ("http://elsewhere.example/tags/{tag}/read", "/tags/{tag}/settle"),
        ("rubbish", "/tags/{tag}/settle"),
    ],
)
def test_a_refused_press_leads_back_and_says_why(smith: Client, people: People, came_from: str, leads_to: str) -> None:
    tag = hang(people)
    at = f"/tags/{tag}/settle/keep"
    answer = smith.post(at, {}, headers={"Referer": came_from.format(tag=tag)} if came_from else {})
    assert (answer.status_code, answer.headers["Location"]) == (302, leads_to.format(tag=tag))
    said = smith.get(leads_to.format(tag=tag)).context["messages"]
    assert [str(each) for each in said] == ["Track A has not been read yet."]


def test_what_is_said_of_a_key_is_said_on_its_page_whichever_was_made_since(smith: Client, people: People) -> None:
    tag = hang(people, quantity=2)
    settled(people, tag)
    carded(people, tag, Machine.objects.get(name="Old Gannet"))
    first, since = (finished_key(tag, timezone.now(), number) for number in (1, 2))
    page = f"{US}/tags/{tag}/prove"  # shows the last one made
    assert smith.get(page).context["piece"] == since
    answer = smith.post(f"/tags/{tag}/prove/{first.pk}/take-off", {"at": "A:2"}, headers={"Referer": page}, follow=True)
    assert answer.context["piece"] == first
    assert [str(each) for each in answer.context["messages"]] == ["Say by how much."]


def test_what_is_said_of_a_source_is_said_on_its_page_whichever_stands_first_by_now(
    smith: Client, people: People
) -> None:
    tag = hang(people)
    calipers, beside = (add_source(people["tam"], tag, "A", kind) for kind in ("calipers", "calipers"))
    page = f"{US}/tags/{tag}/read"
    assert smith.get(page).context["source"].record == calipers
    at = f"/tags/{tag}/read/{beside.pk}/compare"
    answer = smith.post(at, {"first": "1", "beside": "1", "compared": "x"}, headers={"Referer": page}, follow=True)
    assert answer.context["source"].record == beside


def test_a_press_at_a_machine_leads_back_to_its_page(client: Client, people: People) -> None:
    client.force_login(people["orla"])
    slip = Machine.objects.get(name="The Slip")
    answer = client.post(f"/machines/{slip.pk}/trim", {"family": ""}, follow=True)
    assert answer.redirect_chain == [(f"/machines/{slip.pk}", 302)]
    assert [str(each) for each in answer.context["messages"]] == [
        "Choose the family whose blanks the test key is cut on."
    ]


def test_every_view_that_takes_posts_alone_is_a_press() -> None:
    """One that is not would be gone back to, and could not be shown."""
    views = [path for path in SOURCE.glob("wryfalcon/**/*.py") if "require_POST" in path.read_text()]
    assert [path.name for path in views] == ["presses.py"]


@pytest.mark.parametrize(
    ("posted", "says"),
    [
        ({"cut": "one", "mark": "nicked"}, "Cut: Enter a whole number."),
        ({"cut": "-1", "mark": "nicked"}, "Cut: Ensure this value is greater than or equal to 0."),
        ({"cut": "9" * 12, "mark": "nicked"}, "Cut: Ensure this value is less than or equal to 999999999."),
        ({"cut": "1", "mark": "nick\0ed"}, "Mark: Null characters are not allowed."),
    ],
)
def test_what_no_page_sends_is_refused_in_words_that_name_its_field(
    smith: Client, people: People, posted: dict[str, str], says: str
) -> None:
    tag = hang(people)
    answer = smith.post(f"/tags/{tag}/read/mark", posted, follow=True)
    assert [str(each) for each in answer.context["messages"]] == [says]
    assert not tag.sources.exists()


def test_a_page_that_keeps_a_line_of_values_is_refused_in_its_own_terms(smith: Client, people: People) -> None:
    tag = hang(people)
    for posted in ({"cut": "1", "typed": "nonsense"}, {"cut": "one", "typed": "0.278"}):
        answer = smith.post(f"/tags/{tag}/read/value", posted, headers={"Accept": "application/json"})
        assert (answer.status_code, set(answer.json())) == (422, {"refusal", "suggest"})


def test_what_is_posted_is_read_by_a_form() -> None:
    """But for which button of several was pressed, and what every form has: the key of its entry and its unit."""
    read = [
        f"{path.name}: {ast.unparse(node)}"
        for path in (Path(SOURCE) / "wryfalcon").rglob("*.py")
        if path.name not in ("entries.py", "fields.py")
        for node in ast.walk(ast.parse(path.read_text()))
        if not isinstance(node, ast.Call | ast.Compare)  # handed to a form, or asked whether a name is in it
        for part in ast.iter_child_nodes(node)
        if isinstance(part, ast.Attribute) and part.attr == "POST" and not ast.unparse(node).endswith("POST or None")
    ]
    assert sorted(read) == ["families.py: request.POST.keys", "lock_views.py: request.POST.keys",
                            "source_views.py: request.POST.keys"]  # fmt: skip


@pytest.mark.parametrize(
    ("at", "name"),
    [("/library/bring-in", "document"), ("/records/bring-back", "document"), ("/codes/bring-in", "table"),
     ("/library/guide/bring-in", "table")],
)  # fmt: skip
def test_what_was_pasted_is_shown_again_whatever_is_in_it(owner: Client, people: People, at: str, name: str) -> None:
    answer = owner.post(at, {name: "half a table \0"})
    assert (answer.status_code, answer.context["pasted"]) == (422, "half a table \0")


def test_a_place_on_a_key_that_is_none_is_refused_and_not_left_out(smith: Client, people: People) -> None:
    tag = hang(people)
    settled(people, tag)
    carded(people, tag, Machine.objects.get(name="Old Gannet"))
    piece, lock = finished_key(tag, timezone.now()), tag.locks.create(name="Door")
    for at, kept in (("A:0", 0), (":3", 0), ("A:x", 0), ("A:99", 0), ("A:2", 1)):
        posted = {"lock": lock.pk, "way_up": "up", "turns": "rubs", "at": at}
        smith.post(f"/tags/{tag}/prove/{piece.pk}/try", posted)
        assert piece.trials.count() == kept, at


def test_a_new_tag_s_form_with_a_row_of_the_guide_that_is_none_is_shown_again(smith: Client, people: People) -> None:
    posted = {
        "title": "A key", "customer": "Wharf", "on_bench": "worn-key", "quantity": "1", "guide": "none",
        "locks-TOTAL_FORMS": "0", "locks-INITIAL_FORMS": "0",
    }  # fmt: skip
    answer = smith.post("/tags/new", posted)
    assert answer.status_code == 422
    assert answer.context["form"].non_field_errors() == ["Guide: Enter a whole number."]
