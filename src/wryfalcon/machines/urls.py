"""The machines."""

from django.urls import path

from wryfalcon.machines.views import hands, room

app_name = "machines"
urlpatterns = [
    path("", room.machines, name="machines"),
    path("hands", hands.hands, name="hands"),
    path("<int:pk>/home", room.home, name="home"),
    path("<int:pk>/misreports", room.misreports, name="misreports"),
    path("<int:pk>/panel", room.panel, name="panel"),
]
