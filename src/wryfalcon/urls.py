"""Every door into the application."""

from django.urls import include, path

handler500 = "wryfalcon.requests.went_wrong"
urlpatterns = [
    path("", include("wryfalcon.bench.urls")),
    path("library/editions/", include("wryfalcon.editions.urls")),
    path("library/", include("wryfalcon.library.urls")),
    path("codes/", include("wryfalcon.codes.urls")),
    path("machines/", include("wryfalcon.machines.urls")),
    path("", include("wryfalcon.keeping.urls")),
    path("", include("wryfalcon.records.papers")),
    path("records/", include("wryfalcon.records.urls")),
    path("accounts/", include("wryfalcon.accounts.urls")),
]
