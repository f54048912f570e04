"""Addresses of ``copying``."""

from django.urls import path

from wryfalcon.bench.copying import views

urlpatterns = [
    path("tags/new/copy", views.new_copy, name="new-copy"),
    path("tags/<int:number>/copying", views.change_way, name="change-way"),
    path("tags/<int:number>/copying/brief", views.brief, name="brief"),
    path("tags/<int:number>/cut/at/<int:machine>", views.step, name="copy-step"),
    path("tags/<int:number>/cut/<int:piece>/clamped", views.clamped, name="clamped"),
]
