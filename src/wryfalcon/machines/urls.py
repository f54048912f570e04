"""The machines."""

from django.urls import path

from wryfalcon.machines.hands import views as hands
from wryfalcon.machines.line import views as line

app_name = "machines"
urlpatterns = [
    path("", line.machines, name="machines"),
    path("hands", hands.hands, name="hands"),
    path("<int:pk>/home", line.home, name="home"),
    path("<int:pk>/misreports", line.misreports, name="misreports"),
    path("<int:pk>/panel", line.panel, name="panel"),
]
