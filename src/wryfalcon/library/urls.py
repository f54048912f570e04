"""The library."""

from django.urls import path

from wryfalcon.library import views

app_name = "library"
urlpatterns = [
    path("", views.families, name="families"),
    path("preview", views.preview, name="preview"),
    path("which", views.which, name="which"),
    path("measured", views.measured, name="measured"),
    path("bring-in", views.bring_in, name="bring-in"),
    path("blanks/<int:pk>", views.count, name="count"),
    path("<slug:slug>", views.family, name="family"),
    path("<slug:slug>.json", views.family_document, name="document"),
]
