"""What every request has: an id that its log lines and its error page share, and an answer nobody else keeps."""

from __future__ import annotations

import logging
from collections.abc import Callable
from contextvars import ContextVar
from ipaddress import ip_address, ip_network
from typing import TypeVar

from django.conf import settings
from django.db import OperationalError
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import render

from keycore.units import Unit
from wryfalcon.drawings.paper import DESK, PAPERS, laid_on
from wryfalcon.lengths import shown_in
from wryfalcon.numbers import plain_word

REQUEST_ID: ContextVar[str] = ContextVar("request_id", default="")
Answer = Callable[[HttpRequest], HttpResponse]
FoundT = TypeVar("FoundT")

UNWRITABLE = {
    "SQLITE_FULL": "the disk is full",
    "SQLITE_BUSY": "something else has held the database for too long",
    "SQLITE_LOCKED": "something else has held the database for too long",
    "SQLITE_READONLY": "the database may only be read",
    "SQLITE_IOERR": "the disk does not take it",
    "SQLITE_CANTOPEN": "the database cannot be opened",
}
"""Why nothing can be written, by how SQLite names it."""

log = logging.getLogger("wryfalcon.requests")


def or_404(found: FoundT | None) -> FoundT:
    """What was found; nothing is here where it was not."""
    if found is None:
        raise Http404
    return found


def with_id(answer: Answer) -> Answer:
    """Middleware: give a request an id, for its log lines, its error page and the answer's ``X-Request-ID``."""

    def middleware(request: HttpRequest) -> HttpResponse:
        # Left as it is afterwards: an answer of 400 and more is logged when it has left all middleware.
        REQUEST_ID.set(plain_word(8))
        answered = answer(request)
        answered["X-Request-ID"] = REQUEST_ID.get()
        return answered

    return middleware


def not_kept(answer: Answer) -> Answer:
    """Middleware: what a person who is logged in gets is kept by no browser and no proxy."""

    def middleware(request: HttpRequest) -> HttpResponse:
        answered = answer(request)
        if request.user.is_authenticated or "Set-Cookie" in answered:
            answered["Cache-Control"] = "no-store, private"
        return answered

    return middleware


def in_their_unit(answer: Answer) -> Answer:
    """Middleware: sentences, drawings and tables are in the unit of the person who asks."""

    def middleware(request: HttpRequest) -> HttpResponse:
        person = request.user
        with shown_in(Unit(getattr(person, "unit", Unit.INCH)), fine=getattr(person, "fine", False)):
            return answer(request)

    return middleware


def on_their_paper(answer: Answer) -> Answer:
    """Middleware: keys are drawn for the width of the screen that asks, as its script says in a cookie."""

    def middleware(request: HttpRequest) -> HttpResponse:
        with laid_on(PAPERS.get(request.COOKIES.get("paper", ""), DESK)):
            return answer(request)

    return middleware


def address_of(request: HttpRequest) -> str:
    """The address a request comes from: what a proxy says counts only where the proxy is one of ours."""
    nearest = str(request.META.get("REMOTE_ADDR", ""))
    hops = [hop.strip() for hop in request.META.get("HTTP_X_FORWARDED_FOR", "").split(",") if hop.strip()]
    while hops and _is_ours(nearest):
        nearest = hops.pop()
    return nearest


def _is_ours(address: str) -> bool:
    try:
        return any(ip_address(address) in ip_network(proxy) for proxy in settings.TRUSTED_PROXIES)
    except ValueError:
        return False


def went_wrong(request: HttpRequest) -> HttpResponse:
    """The page for an error of ours: what to do now, and the id to find it by in the log."""
    asked_by_htmx = bool(request.headers.get("HX-Request"))
    context = {"request_id": REQUEST_ID.get(), "is_part": asked_by_htmx, "was_post": request.method == "POST"}
    try:
        return render(request, "500.html", context, status=500)
    except Exception:  # whatever broke the page may break this one: plainly, then
        log.exception("the error page itself failed")
        return HttpResponse(
            f"Something went wrong here. Its number is {REQUEST_ID.get()}. What was kept is still kept.",
            content_type="text/plain; charset=utf-8",
            status=500,
        )


class WhenNothingIsWritten:
    """Middleware: a disk that is full or a database that is held is said so, on the page that met it.

    Whoever sees a bitting is kept first, so that a page that could not keep it shows none.
    """

    def __init__(self, answer: Answer) -> None:
        self.answer = answer

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Pass the request on."""
        return self.answer(request)

    def process_exception(self, request: HttpRequest, error: Exception) -> HttpResponse | None:
        """The page for a database that takes nothing now; any other error is not for here."""
        name = getattr(error.__cause__, "sqlite_errorname", "")
        why = next((words for code, words in UNWRITABLE.items() if name.startswith(code)), "")
        if not isinstance(error, OperationalError) or not why:
            return None
        log.error("Nothing can be written: %s", name)
        context = {"why": why, "request_id": REQUEST_ID.get(), "was_post": request.method == "POST"}
        return render(request, "503.html", context, status=503)


class WithRequestId(logging.Filter):
    """Puts the id of the request under way on every line of the log."""

    def filter(self, record: logging.LogRecord) -> bool:
        """Every line passes."""
        record.request_id = REQUEST_ID.get()
        request = getattr(record, "request", None)
        if isinstance(request, HttpRequest):
            record.method, record.path = request.method, request.path
            record.person = getattr(getattr(request, "user", None), "pk", None)
            vars(record).pop("request")  # it is no line of a log
        return True
