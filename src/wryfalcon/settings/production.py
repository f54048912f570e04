"""For real: behind a server that speaks HTTPS. Everything secret comes from the environment."""

from __future__ import annotations

import os

from django.core.exceptions import ImproperlyConfigured

from wryfalcon.settings.base import *

DEBUG = False
DEMONSTRATION = False


def _needed(name: str) -> str:
    try:
        return os.environ[name]
    except KeyError:
        raise ImproperlyConfigured(f"set {name}; see README, 'Running it for real'") from None


SECRET_KEY = _needed("WRY_FALCON_SECRET_KEY")
ALLOWED_HOSTS = _needed("WRY_FALCON_HOSTS").split(",")
CSRF_TRUSTED_ORIGINS = [f"https://{host}" for host in ALLOWED_HOSTS]
SECURE_SSL_REDIRECT = True
SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https")
SECURE_HSTS_SECONDS = 31_536_000
SECURE_HSTS_INCLUDE_SUBDOMAINS = True
SECURE_HSTS_PRELOAD = True
