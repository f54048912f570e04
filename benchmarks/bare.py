"""A view that does nothing but answer so many bytes, behind the same middleware and log-in."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.urls import include, path

from wryfalcon.accounts.permissions import Act, needs


@needs(Act.LOOK)
def bare(request: HttpRequest, size: int) -> HttpResponse:
    """So many bytes."""
    return HttpResponse(b"x" * size)


urlpatterns = [path("bare/<int:size>", bare), path("", include("wryfalcon.urls"))]
