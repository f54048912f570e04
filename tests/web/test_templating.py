"""What the templates of all pages can count on: nothing is run that was typed, figures and days are the shop’s."""

from __future__ import annotations

import re
from datetime import UTC, date, datetime
from typing import Any

from django.template import engines
from django.test import Client, override_settings
from django.test.utils import override_script_prefix

from wryfalcon.bench.tags.actions import TagDetails, take_in
from wryfalcon.demonstration.making import family_record


def _written(source: str, **context: Any) -> str:
    return engines["django"].from_string(source).render(context)


def test_what_was_typed_is_shown_and_never_run() -> None:
    typed = """<script>alert('x')</script> & "so" """
    for page in (
        "{{ typed }}",
        "{{ typed|default:'none' }}",
        "{{ several|join:', ' }}",
        "{{ typed|capfirst }}",
    ):
        shown = _written(page, typed=typed, several=[typed])
        assert "<" not in shown
        assert '"' not in shown
        assert "&lt;" in shown
    assert "<b>" not in _written("{% options choices '1' %}", choices=[("1", "<b>")])


def test_a_tag_called_by_a_script_is_a_tag_on_every_page_of_it(people: dict[str, Any], owner: Client) -> None:
    title = "<script>alert(1)</script>"
    tag = take_in(people["orla"], TagDetails(title, "<b>Bold</b> & Sons", "worn-key", family_record("pier-six")))
    for page in ("/", f"/tags/{tag.number}/take-in", f"/tags/{tag.number}/read", "/records/", "/?q=script"):
        shown = owner.get(page).content.decode()
        assert title not in shown
        assert "<b>Bold" not in shown


def test_the_chosen_option_is_marked_whatever_it_is_typed_as() -> None:
    page = _written("{% options choices chosen %}", choices=[("", "–"), (3, "three")], chosen="3")
    assert '<option value="3" selected>three</option>' in page
    assert page.count("selected") == 1


def test_moments_are_written_as_the_shops_clock_has_them() -> None:
    winter, summer = datetime(2026, 1, 5, 23, 30, tzinfo=UTC), datetime(2026, 7, 5, 23, 30, tzinfo=UTC)
    with override_settings(TIME_ZONE="Europe/Dublin"):
        assert _written("{{ at|moment }}", at=winter) == "5 Jan 2026, 23:30"
        assert _written("{{ at|moment }}", at=summer) == "6 Jul 2026, 00:30"
    assert _written("{{ on|day }}", on=date(2026, 2, 3)) == "3 Feb 2026"


def test_addresses_lead_below_wherever_the_application_is_served(owner: Client) -> None:
    for prefix in ("/", "/falcon/", "/"):
        with override_script_prefix(prefix):
            assert f'href="{prefix}library/pier-six"' in owner.get("/library/").content.decode()


def test_the_forms_of_a_page_share_a_token_that_is_another_on_every_page(owner: Client) -> None:
    pages = [owner.get("/machines/1").content.decode() for _ in range(2)]
    tokens = [set(re.findall(r'csrfmiddlewaretoken" value="([^"]+)', page)) for page in pages]
    assert [len(each) for each in tokens] == [1, 1]
    assert tokens[0] != tokens[1], "masked anew for every answer, so that its length tells nothing of it"
