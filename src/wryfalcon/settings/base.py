"""What every way of running shares. Secure unless a file that builds on this says otherwise."""

from __future__ import annotations

import os
from pathlib import Path

from csp.constants import NONE, SELF

ROOT = Path(__file__).resolve().parents[3]
VAR = Path(os.environ.get("WRY_FALCON_VAR", ROOT / "var"))
VAR.mkdir(mode=0o700, parents=True, exist_ok=True)

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.messages",
    "django.contrib.sessions",
    "django.contrib.staticfiles",
    "axes",
    "csp",
    "django_htmx",
    "wryfalcon",
    "wryfalcon.accounts",
    "wryfalcon.library",
    "wryfalcon.codes",
    "wryfalcon.machines",
    "wryfalcon.bench",
    "wryfalcon.keeping",
    "wryfalcon.records",
    "wryfalcon.editions",
    "wryfalcon.drawings",
    "wryfalcon.demonstration",
]

MIDDLEWARE = [
    "wryfalcon.requests.with_id",
    "django.middleware.security.SecurityMiddleware",
    "csp.middleware.CSPMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "wryfalcon.requests.not_kept",
    "wryfalcon.requests.in_their_unit",
    "wryfalcon.requests.on_their_paper",
    "django.contrib.auth.middleware.LoginRequiredMiddleware",
    "django.contrib.messages.middleware.MessageMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "django_htmx.middleware.HtmxMiddleware",
    "axes.middleware.AxesMiddleware",
    "wryfalcon.presses.RefusalsAreSaid",
    "wryfalcon.requests.WhenNothingIsWritten",
    "wryfalcon.entries.EachEntryOnce",
]

ROOT_URLCONF = "wryfalcon.urls"
WSGI_APPLICATION = "wryfalcon.wsgi.application"

TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "APP_DIRS": True,
        "OPTIONS": {
            "builtins": [
                "django.templatetags.static",
                "wryfalcon.templatetags.drawn",
                "wryfalcon.templatetags.figures",
                "wryfalcon.templatetags.posted",
            ],
            "context_processors": [
                "django.template.context_processors.request",
                "django.contrib.auth.context_processors.auth",
                "django.contrib.messages.context_processors.messages",
                "wryfalcon.accounts.context.shop",
            ],
        },
    }
]

# IMMEDIATE, since a read that later writes must not lose the race for the write lock.
# FULL, since machines act on what was committed: it must be on the disk by then.
PRAGMAS = (
    "PRAGMA journal_mode=WAL;PRAGMA synchronous=FULL;PRAGMA foreign_keys=ON;"
    "PRAGMA journal_size_limit=27103364;PRAGMA cache_size=-20000;"
)
DATABASE_OPTIONS = {"timeout": 20, "transaction_mode": "IMMEDIATE", "init_command": PRAGMAS}
DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.sqlite3",
        "NAME": os.environ.get("WRY_FALCON_DB", VAR / "wry-falcon.sqlite3"),
        "CONN_MAX_AGE": None,
        "OPTIONS": DATABASE_OPTIONS,
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

AUTH_USER_MODEL = "accounts.User"
AUTHENTICATION_BACKENDS = [
    "axes.backends.AxesStandaloneBackend",
    "django.contrib.auth.backends.ModelBackend",
]
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator", "OPTIONS": {"min_length": 10}},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
]
LOGIN_URL = "accounts:login"
LOGIN_REDIRECT_URL = "bench:tags"
LOGOUT_REDIRECT_URL = "accounts:login"

AXES_FAILURE_LIMIT = 6
AXES_COOLOFF_TIME = 0.25  # hours
AXES_LOCKOUT_TEMPLATE = "accounts/locked_out.html"
AXES_HANDLER = "wryfalcon.accounts.throttle.SlowerAlone"
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"], "username", "ip_address"]  # together; each alone far later
AXES_RESET_ON_SUCCESS = True
AXES_CLIENT_IP_CALLABLE = "wryfalcon.requests.address_of"
TRUSTED_PROXIES = [proxy for proxy in os.environ.get("WRY_FALCON_PROXIES", "").split(",") if proxy]

CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": [NONE],
        "script-src": [SELF],
        "style-src": [SELF],
        "font-src": [SELF],
        "img-src": [SELF],
        "connect-src": [SELF],
        "form-action": [SELF],
        "base-uri": [NONE],
        "frame-ancestors": [NONE],
    }
}
X_FRAME_OPTIONS = "DENY"
SECURE_REFERRER_POLICY = "same-origin"
SESSION_COOKIE_HTTPONLY = True
SESSION_COOKIE_SAMESITE = "Lax"
SESSION_COOKIE_SECURE = True
CSRF_COOKIE_SECURE = True
CSRF_COOKIE_HTTPONLY = True

MESSAGE_STORAGE = "wryfalcon.messages.NoticesOfTags"
LANGUAGE_CODE = "en-gb"
USE_I18N = False  # one language; nothing on a page is looked up twice
TIME_ZONE = os.environ.get("WRY_FALCON_TIME_ZONE", "UTC")
USE_TZ = True

STATIC_URL = "static/"
STATIC_ROOT = VAR / "static"
STORAGES = {
    "default": {"BACKEND": "django.core.files.storage.FileSystemStorage"},
    "staticfiles": {"BACKEND": "whitenoise.storage.CompressedManifestStaticFilesStorage"},
}
BLANK_PRICE = float(os.environ.get("WRY_FALCON_BLANK_PRICE", "2"))
TRY_MINUTES = float(os.environ.get("WRY_FALCON_TRY_MINUTES", "2"))
HOUR_PRICE = float(os.environ.get("WRY_FALCON_HOUR_PRICE", "60"))
"""What a try costs: a blank and an hour at the bench, in the shop's money. The figures are guesses, no source."""
FULL_RECORD_ALSO = [each for each in os.environ.get("WRY_FALCON_FULL_RECORD", "").split(",") if each]
"""What lies on the bench for which this shop writes the authority down too, such as worn-key,good-key."""

# Structured: one JSON object a line, tracebacks in it, the id of the request on every line.
LOG_FILE = os.environ.get("WRY_FALCON_LOG", "")
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "filters": {"with_request_id": {"()": "wryfalcon.requests.WithRequestId"}},
    "formatters": {
        "json": {
            "()": "pythonjsonlogger.json.JsonFormatter",
            "format": "{asctime}{levelname}{name}{message}{request_id}",
            "style": "{",
            "rename_fields": {"asctime": "at", "levelname": "level", "name": "logger"},
        }
    },
    "handlers": {
        "log": {
            "formatter": "json",
            "filters": ["with_request_id"],
            **(
                {"class": "logging.handlers.WatchedFileHandler", "filename": LOG_FILE}
                if LOG_FILE
                else {"class": "logging.StreamHandler"}
            ),
        }
    },
    "root": {"handlers": ["log"], "level": "WARNING"},
    "loggers": {
        "django": {"handlers": [], "level": "WARNING", "propagate": True},
        "wryfalcon": {"level": "INFO"},
        "axes": {"level": "ERROR"},  # names of those who failed to log in are kept in its own table
    },
}

DATA_UPLOAD_MAX_MEMORY_SIZE = 6_000_000
DATA_UPLOAD_MAX_NUMBER_FILES = 400  # a yearly update is a folder
MACHINE_SECONDS_TO_ANSWER = 2.0  # for a whole answer, however slowly it comes
CUT_PLAN_FOLDER = VAR / "cut-plans"
TABLE_FOLDER = VAR / "tables"  # of codes, while they are read
FILE_UPLOAD_MAX_MEMORY_SIZE = 2_500_000
