"""Who may do what: the one table, and the decorator that views ask it through."""

from __future__ import annotations

from collections.abc import Callable
from enum import Enum, auto
from functools import wraps
from typing import Any, Concatenate

from django.core.exceptions import PermissionDenied
from django.http import HttpRequest, HttpResponseBase
from django_htmx.middleware import HtmxDetails

from wryfalcon.accounts.models import Role, User


class Act(Enum):
    """Something a person may be allowed to do."""

    LOOK = auto()
    TAKE_IN = auto()
    READ_KEYS = auto()
    SETTLE = auto()
    CUT = auto()
    PROVE = auto()
    HAND_OVER = auto()
    KEEP_LIBRARY = auto()


_COUNTER = {Act.LOOK, Act.TAKE_IN, Act.HAND_OVER}
_SMITH = _COUNTER | {Act.READ_KEYS, Act.SETTLE, Act.CUT, Act.PROVE}
MAY = {
    Role.COUNTER: frozenset(_COUNTER),
    Role.SMITH: frozenset(_SMITH),
    Role.OWNER: frozenset(_SMITH | {Act.KEEP_LIBRARY}),
}


def may(user: Any, act: Act) -> bool:
    """Whether a person may do something."""
    return isinstance(user, User) and user.is_active and act in MAY[Role(user.role)]


class PersonRequest(HttpRequest):
    """A request of someone logged in, which the log-in middleware sees to."""

    user: User
    htmx: HtmxDetails
    goes_back_to: str
    """Where a refusal leads, if not to the page that was pressed on: that may show another record by now."""


View = Callable[Concatenate[PersonRequest, ...], HttpResponseBase]


def needs(act: Act) -> Callable[[View], View]:
    """Refuse a view to people whose role does not allow the act."""

    def guard(view: View) -> View:
        @wraps(view)
        def guarded(request: PersonRequest, *args: Any, **kwargs: Any) -> HttpResponseBase:
            if not may(request.user, act):
                raise PermissionDenied
            return view(request, *args, **kwargs)

        return guarded

    return guard


def needs_to_change(act: Act) -> Callable[[View], View]:
    """Anyone who may look can read the page; changing anything on it needs the act."""

    def guard(view: View) -> View:
        @wraps(view)
        def guarded(request: PersonRequest, *args: Any, **kwargs: Any) -> HttpResponseBase:
            if not may(request.user, Act.LOOK if request.method in ("GET", "HEAD") else act):
                raise PermissionDenied
            return view(request, *args, **kwargs)

        return guarded

    return guard
