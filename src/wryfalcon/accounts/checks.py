"""What is set wrongly for log-in, said when the application is checked for running for real."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.core.checks import CheckMessage, Tags, Warning, register


@register(Tags.security, deploy=True)
def names_its_proxies(**_: Any) -> list[CheckMessage]:
    """Behind a server that is not named, everybody who logs in has that server's address."""
    if settings.TRUSTED_PROXIES:
        return []
    return [
        Warning(
            "No proxy is named: behind one, everybody logs in from one address, and wrong passwords count together.",
            hint="Set WRY_FALCON_PROXIES to the addresses of the servers in front, such as 127.0.0.1.",
            id="accounts.W001",
        )
    ]
