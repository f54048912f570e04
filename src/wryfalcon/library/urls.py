"""The library."""

from django.urls import path

from wryfalcon.library.views import families, guide

app_name = "library"
urlpatterns = [
    path("", families.families, name="families"),
    path("preview", families.preview, name="preview"),
    path("which", families.which, name="which"),
    path("measured", families.measured, name="measured"),
    path("bring-in", families.bring_in, name="bring-in"),
    path("blanks/<int:pk>", families.count, name="count"),
    path("guide", guide.guide, name="guide"),
    path("guide/cannot", guide.cannot, name="guide-cannot"),
    path("guide/bring-in", guide.bring_in, name="guide-bring-in"),
    path("guide/rows/<int:pk>", guide.row, name="guide-row"),
    path("guide/<slug:slug>.<str:ending>", guide.export, name="guide-export"),
    path("<slug:slug>", families.family, name="family"),
    path("<slug:slug>/section", families.section, name="section"),
    path("<slug:slug>.json", families.family_document, name="document"),
]
