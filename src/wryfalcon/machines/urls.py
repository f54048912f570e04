"""The machines."""

from django.urls import path

from wryfalcon.machines import views

app_name = "machines"
urlpatterns = [
    path("", views.machines, name="machines"),
    path("<int:pk>/home", views.home, name="home"),
    path("<int:pk>/panel", views.panel, name="panel"),
]
