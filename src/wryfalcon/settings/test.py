"""For the tests: a database file each worker owns, no manifest, no throttling of log-ins."""

from __future__ import annotations

import os

from wryfalcon.settings.base import *
from wryfalcon.settings.base import DATABASE_OPTIONS, DATABASES, PRAGMAS, VAR

DEBUG = False
DEMONSTRATION = True
SECRET_KEY = "only-for-the-tests-" + "x" * 40
ALLOWED_HOSTS = ["127.0.0.1", "localhost", "testserver"]
SESSION_COOKIE_SECURE = False
CSRF_COOKIE_SECURE = False
AXES_ENABLED = os.environ.get("WRY_FALCON_TEST_AXES") == "1"
PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
MACHINE_SECONDS_TO_ANSWER = 8.0  # the simulated machine shares its processor with all the tests
STORAGES = {
    "default": {"BACKEND": "django.core.files.storage.FileSystemStorage"},
    "staticfiles": {"BACKEND": "django.contrib.staticfiles.storage.StaticFilesStorage"},
}
WHITENOISE_USE_FINDERS = True
WHITENOISE_AUTOREFRESH = True

DATABASES["default"]["OPTIONS"] = {**DATABASE_OPTIONS, "init_command": PRAGMAS.replace("FULL", "OFF")}
DATABASES["default"]["TEST"] = {"NAME": VAR / "test.sqlite3"}  # in memory, parallel requests collide
CUT_PLAN_FOLDER = VAR / "test-cut-plans"
TABLE_FOLDER = VAR / "test-tables"
