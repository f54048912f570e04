"""Every door into the application."""

from django.urls import include, path

urlpatterns = [
    path("", include("wryfalcon.bench.urls")),
    path("library/", include("wryfalcon.library.urls")),
    path("codes/", include("wryfalcon.codes.urls")),
    path("machines/", include("wryfalcon.machines.urls")),
    path("records/", include("wryfalcon.records.urls")),
    path("accounts/", include("wryfalcon.accounts.urls")),
]
