"""What the application takes from Django is what Django promises: its documented names, the rest with a reason each."""

from __future__ import annotations

import ast
from pathlib import Path

SOURCE = Path(__file__).parents[2] / "src"
DOCUMENTED = {
    "django": "forms template",
    "django.apps": "AppConfig",
    "django.conf": "settings",
    "django.contrib": "messages",
    "django.contrib.auth.decorators": "login_not_required",
    "django.contrib.auth.hashers": "make_password",
    "django.contrib.auth.models": "AbstractUser",
    "django.contrib.auth.password_validation": "validate_password",
    "django.contrib.auth.views": "LoginView LogoutView",
    "django.contrib.messages.storage.fallback": "FallbackStorage",
    "django.core": "signing",
    "django.core.checks": "CheckMessage Error Tags Warning register",
    "django.core.exceptions": "ImproperlyConfigured ObjectDoesNotExist PermissionDenied ValidationError",
    "django.core.management": "call_command execute_from_command_line",
    "django.core.management.base": "BaseCommand CommandError",
    "django.core.paginator": "Paginator",
    "django.core.validators": "RegexValidator",
    "django.core.wsgi": "get_wsgi_application",
    "django.db": "OperationalError close_old_connections connection connections models transaction",
    "django.db.models": "Count Exists F Max Min Model OuterRef Prefetch Q QuerySet Subquery Sum",
    "django.db.models.functions": "Coalesce Length",
    "django.db.models.signals": "pre_migrate",
    "django.http": "Http404 HttpRequest HttpResponse HttpResponseBase HttpResponseRedirect JsonResponse "
    "StreamingHttpResponse",
    "django.shortcuts": "get_object_or_404 redirect render",
    "django.template.loader": "render_to_string",
    "django.urls": "Resolver404 include path resolve reverse",
    "django.utils": "timezone",
    "django.utils.functional": "lazy",
    "django.utils.html": "format_html",
    "django.utils.http": "urlencode",
    "django.utils.safestring": "SafeString mark_safe",
    "django.utils.text": "slugify",
    "django.views.decorators.http": "require_POST require_http_methods require_safe",
    "django.views.generic": "RedirectView",
}
"""As the reference and the guides of 5.2 have them; from memory, checked by hand against what each is used for."""
WITH_A_REASON = {
    ("django.db.migrations.recorder", "MigrationRecorder"): "which migrations a database has, before any is applied",
    ("django.forms.utils", "ErrorDict"): "the type of the errors of a form",
    ("django.utils.crypto", "salted_hmac"): "the name that machines know this shop by must stay what it was",
    (
        "django.utils.http",
        "url_has_allowed_host_and_scheme",
    ): "what its own log-in asks of an address to go back to",
}
PRIVATE = {"_meta", "_base_manager"}
"""Names with an underscore that Django documents all the same."""


def imported(file: Path) -> set[tuple[str, str]]:
    """What a file takes from Django."""
    found: set[tuple[str, str]] = set()
    for node in ast.walk(ast.parse(file.read_text())):
        if isinstance(node, ast.ImportFrom) and (node.module or "").split(".")[0] == "django":
            found |= {(node.module or "", each.name) for each in node.names}
        elif isinstance(node, ast.Import):
            found |= {(each.name, "") for each in node.names if each.name.split(".")[0] == "django"}
    return found


FILES = sorted(path for path in SOURCE.rglob("*.py") if "migrations" not in path.parts)


def test_nothing_is_taken_from_django_that_it_does_not_promise() -> None:
    known = {(module, name) for module, names in DOCUMENTED.items() for name in names.split()} | set(WITH_A_REASON)
    taken = {each for file in FILES for each in imported(file)}
    assert taken <= known, sorted(taken - known)
    assert known <= taken, f"no longer used: {sorted(known - taken)}"


def test_no_name_with_an_underscore_is_used_of_anything_but_oneself() -> None:
    odd = {
        (file.name, ast.unparse(node))
        for file in FILES if "wryfalcon" in file.parts
        for node in ast.walk(ast.parse(file.read_text()))
        if isinstance(node, ast.Attribute) and node.attr.startswith("_") and not node.attr.startswith("__")
        and not (isinstance(node.value, ast.Name) and node.value.id in ("self", "cls"))
        and node.attr not in PRIVATE
    }  # fmt: skip
    assert not odd
