"""A furnished shop without a past, and its people."""

from __future__ import annotations

from typing import TYPE_CHECKING

import pytest
from django.test import Client

from shops import furnish

if TYPE_CHECKING:
    from wryfalcon.accounts.models import User


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
