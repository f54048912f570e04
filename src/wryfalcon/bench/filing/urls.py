"""Addresses of ``filing``."""

from django.urls import path

from wryfalcon.bench.filing import views

urlpatterns = [
    path("tags/<int:number>/cut/<int:piece>/filed", views.look, name="filed"),
]
