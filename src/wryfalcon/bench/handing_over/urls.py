"""Addresses of ``handing_over``."""

from django.urls import path

from wryfalcon.bench.handing_over import views

urlpatterns = [
    path("tags/<int:number>/hand-over", views.hand_over_stage, name="hand-over"),
    path("tags/<int:number>/hand-over/close", views.close_tag, name="close"),
]
