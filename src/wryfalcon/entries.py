"""Forms that are pressed twice, or sent again because no answer came."""

from __future__ import annotations

import hashlib
import json
import time
from contextlib import suppress
from datetime import timedelta

from django.db import OperationalError
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect
from django.utils import timezone

from wryfalcon.action import ENTRY, Entry, TakenAlready
from wryfalcon.log.models import EntryTaken
from wryfalcon.presses import page_pressed_on
from wryfalcon.requests import Answer

ENTRIES_KEPT = timedelta(days=1)


class EachEntryOnce:
    """Middleware: a form that is pressed twice, or sent again when no answer came, is one entry.

    The second press goes where the first went. A form with something else in it is another entry.
    """

    def __init__(self, answer: Answer) -> None:
        self.answer = answer

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Have the first action of the request take its entry, and keep where that led."""
        key = request.POST.get("entry", "") if request.method == "POST" else ""
        token = ENTRY.set(Entry(_digest(request, key)) if key else None)
        try:
            answered = self.answer(request)
            entry = ENTRY.get()
        finally:
            ENTRY.reset(token)
        if entry is not None and entry.is_taken:
            _keep_where_it_led(entry.digest, answered.get("Location", ""))
        return answered

    def process_exception(self, request: HttpRequest, error: Exception) -> HttpResponse | None:
        """Go where the first press went; where that is not known, to the page that was pressed on."""
        entry = ENTRY.get()
        if not isinstance(error, TakenAlready) or entry is None:
            return None
        for _ in range(20):
            location = EntryTaken.objects.filter(digest=entry.digest).values_list("location", flat=True).first()
            if location:
                return redirect(location)
            time.sleep(0.05)
        if request.headers.get("HX-Request"):
            return HttpResponse(headers={"HX-Refresh": "true"})
        return redirect(page_pressed_on(request))


def _digest(request: HttpRequest, key: str) -> str:
    said = {name: values for name, values in request.POST.lists() if name != "csrfmiddlewaretoken"}
    files = [(name, each.name, each.size) for name, uploads in request.FILES.lists() for each in uploads]
    whole = json.dumps([request.path, request.session.session_key, key, said, files], sort_keys=True)
    return hashlib.sha256(whole.encode()).hexdigest()


def _keep_where_it_led(digest: str, location: str) -> None:
    with suppress(OperationalError):  # what was entered is kept all the same
        EntryTaken.objects.filter(digest=digest).update(location=location if len(location) <= 500 else "")
        if digest.startswith("00"):  # now and then
            EntryTaken.objects.filter(at__lt=timezone.now() - ENTRIES_KEPT).delete()
