"""The demonstration: plain HTTP on this machine only, and a secret made for it alone."""

from __future__ import annotations

from secrets import token_urlsafe

from wryfalcon.settings.base import *
from wryfalcon.settings.base import VAR

DEBUG = False
DEMONSTRATION = True
ALLOWED_HOSTS = ["127.0.0.1", "localhost", "[::1]"]
SESSION_COOKIE_SECURE = False
CSRF_COOKIE_SECURE = False

_secret = VAR / "demo-secret"
if not _secret.exists():
    _secret.write_text(token_urlsafe(50))
    _secret.chmod(0o600)
SECRET_KEY = _secret.read_text()
