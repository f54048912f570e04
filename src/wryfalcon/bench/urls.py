"""The bench and the stages of a tag: the addresses of each of its packages."""

from django.urls import include, path

app_name = "bench"
urlpatterns = [
    path("", include("wryfalcon.bench.tags.urls")),
    path("", include("wryfalcon.bench.copying.urls")),
    path("", include("wryfalcon.bench.reading.urls")),
    path("", include("wryfalcon.bench.settling.urls")),
    path("", include("wryfalcon.bench.trying.urls")),
    path("", include("wryfalcon.bench.setting_up.urls")),
    path("", include("wryfalcon.bench.cutting.urls")),
    path("", include("wryfalcon.bench.filing.urls")),
    path("", include("wryfalcon.bench.proving.urls")),
    path("", include("wryfalcon.bench.handing_over.urls")),
    path("", include("wryfalcon.bench.tools.urls")),
]
