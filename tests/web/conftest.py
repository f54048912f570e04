"""A furnished shop without a past, and its people."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import pytest
from django.template.backends.jinja2 import Template
from django.test import Client
from django.test.signals import template_rendered

from wryfalcon.demonstration.shop import furnish

if TYPE_CHECKING:
    from wryfalcon.accounts.models import User


@pytest.fixture(autouse=True)
def told_of_context(monkeypatch: pytest.MonkeyPatch) -> None:
    """Answers know what their page was given: Django tells its test client so of its own templates only."""
    render = Template.render

    def told(self: Template, context: dict[str, Any] | None = None, request: Any = None) -> str:
        template_rendered.send(sender=self, template=self, context=dict(context or {}))
        return render(self, context, request)

    monkeypatch.setattr(Template, "render", told)


@pytest.fixture(autouse=True)
def none_looks_into_it(monkeypatch: pytest.MonkeyPatch) -> None:
    """A query that was to be written ahead and cannot be is answered all the same; here it is a fault."""

    def fail(words: str, *given: object) -> None:
        raise AssertionError(words % given)

    monkeypatch.setattr("wryfalcon.prepared.log.error", fail)


@pytest.fixture
def people(db: None) -> dict[str, User]:
    return furnish()


@pytest.fixture
def owner(people: dict[str, User], client: Client) -> Client:
    client.force_login(people["orla"])
    return client


@pytest.fixture
def smith(people: dict[str, User], client: Client) -> Client:
    """A browser in which Tam, the smith, is logged in."""
    client.force_login(people["tam"])
    return client
