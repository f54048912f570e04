"""Editions."""

from django.urls import path

from wryfalcon.editions import views

app_name = "editions"
urlpatterns = [
    path("", views.overview, name="overview"),
    path("bring-in", views.bring_in, name="bring-in"),
    path("put-in-force", views.force_all, name="force-all"),
    path("<int:pk>", views.one, name="one"),
    path("<int:pk>/put-in-force", views.force, name="force"),
    path("<int:pk>/throw-away", views.discard, name="discard"),
]
