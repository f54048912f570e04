"""Code series."""

from django.urls import path

from wryfalcon.codes import views

app_name = "codes"
urlpatterns = [
    path("", views.series, name="series"),
    path("bring-in", views.bring_in, name="bring-in"),
]
