"""Addresses of ``tools``."""

from django.urls import path

from wryfalcon.bench.tools import views

urlpatterns = [
    path("tools", views.tools, name="tools"),
    path("tools/make", views.make, name="make-tools"),
    path("tools/<int:pk>", views.change, name="change-tool"),
]
