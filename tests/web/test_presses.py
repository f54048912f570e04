"""Where a press that is refused leads: back to the page that was pressed on, with the reason."""

from __future__ import annotations

import pytest
from django.test import Client

from conftest import SOURCE
from web.jobs import People, hang
from wryfalcon.machines.models import Machine

US = "http://testserver"


@pytest.mark.parametrize(
    ("came_from", "leads_to"),
    [
        ("", "/tags/{tag}/read"),
        (US + "/tags/{tag}/read?track=A&cut=2", "/tags/{tag}/read?track=A&cut=2"),
        (US + "/tags/{tag}/settle", "/tags/{tag}/settle"),
        (US + "/tags/{tag}/read/mark", "/tags/{tag}/read"),  # the answer to a form: no page of its own
        (US + "/no/such/page", "/"),
        ("http://elsewhere.example/tags/{tag}/settle", "/tags/{tag}/read"),
        ("rubbish", "/tags/{tag}/read"),
    ],
)
def test_a_refused_press_leads_back_and_says_why(smith: Client, people: People, came_from: str, leads_to: str) -> None:
    tag = hang(people)
    at = f"/tags/{tag}/read/withdraw"
    answer = smith.post(at, {"track": "A"}, headers={"Referer": came_from.format(tag=tag)} if came_from else {})
    assert (answer.status_code, answer.headers["Location"]) == (302, leads_to.format(tag=tag))
    said = smith.get(leads_to.format(tag=tag)).context["messages"]
    assert [str(each) for each in said] == ["There is nothing to take back."]


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
