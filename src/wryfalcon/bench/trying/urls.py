"""Addresses of ``trying``."""

from django.urls import path

from wryfalcon.bench.trying import views

urlpatterns = [
    path("tags/<int:number>/tries", views.show, name="tries"),
    path("tags/<int:number>/tries/manner", views.manner, name="tries-manner"),
    path("tags/<int:number>/tries/tried", views.tried, name="tries-tried"),
    path("tags/<int:number>/tries/send", views.send, name="tries-send"),
    path("tags/<int:number>/tries/out", views.tried_out, name="tries-out"),
    path("tags/<int:number>/tries/learned", views.learned, name="tries-learned"),
    path("tags/<int:number>/tries/take-back", views.take_back, name="tries-take-back"),
]
