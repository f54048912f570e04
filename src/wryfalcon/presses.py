"""Presses of buttons: an address that only a form is sent to, and where its person goes back to when it is refused."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any, TypeVar
from urllib.parse import urlsplit

from django.contrib import messages
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect, JsonResponse
from django.shortcuts import redirect
from django.urls import Resolver404, resolve
from django.utils.http import url_has_allowed_host_and_scheme
from django.views.decorators.http import require_POST

from keycore.errors import InputError
from wryfalcon.fields import WORD, posted
from wryfalcon.refusal import NotDone, SecondLook

if TYPE_CHECKING:
    from wryfalcon.requests import Answer

ViewT = TypeVar("ViewT", bound=Callable[..., Any])


def press(view: ViewT) -> ViewT:
    """Make a view the address of a press: it is no page that one could go back to."""
    pressed = require_POST(view)
    pressed.is_press = True  # type: ignore[attr-defined]
    return pressed


class RefusalsAreSaid:
    """Middleware: what was refused is a message on the page that was pressed on.

    A page that keeps a line of values is answered in its own terms.
    """

    def __init__(self, answer: Answer) -> None:
        self.answer = answer

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Pass the request on."""
        return self.answer(request)

    def process_exception(self, request: HttpRequest, error: Exception) -> HttpResponse | None:
        """Say it there; any other error is not for here."""
        if request.method != "POST":
            return None
        if isinstance(error, NotDone) and wants_json(request):
            answer = {"refusal": error.says, "suggest": error.suggest}
            more = {"is_second": True, "has": error.has} if isinstance(error, SecondLook) else {}
            return JsonResponse(answer | more, status=422)
        if isinstance(error, NotDone):
            messages.error(request, error.says)
        elif isinstance(error, InputError):
            messages.error(request, f"{error.reason[:1].upper()}{error.reason[1:]}. Nothing has changed.")
        else:
            return None
        return redirect(page_pressed_on(request))


def wants_json(request: HttpRequest) -> bool:
    """Whether a page that keeps a line of values asks, rather than a form."""
    return request.headers.get("Accept") == "application/json"


def back_to(request: HttpRequest, usual: str) -> HttpResponse:
    """Go back where the person came from, if that is a page of ours; else where one usually goes."""
    back = posted(request, back=WORD)["back"]
    is_ours = back.startswith("/") and url_has_allowed_host_and_scheme(back, allowed_hosts={request.get_host()})
    return HttpResponseRedirect(back if is_ours else usual)


def page_pressed_on(request: HttpRequest) -> str:
    """The page of the form that was sent: as its view says, or the browser; else the nearest above the form's address.

    What the browser names may itself have been the answer to a form that was refused, which cannot be asked for again.
    """
    if told := getattr(request, "goes_back_to", ""):
        return str(told)
    came = urlsplit(request.headers.get("Referer", ""))
    if came.netloc == request.get_host() and _is_page(came.path):
        return f"{came.path}?{came.query}" if came.query else came.path
    path = came.path if came.netloc == request.get_host() else request.path
    while path.strip("/"):
        path = path.rstrip("/").rpartition("/")[0]
        for page in (path, f"{path}/"):
            if _is_page(page):
                return page
    return "/"


def _is_page(path: str) -> bool:
    try:
        return not getattr(resolve(path).func, "is_press", False)
    except Resolver404:
        return False
