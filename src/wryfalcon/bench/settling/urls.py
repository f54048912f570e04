"""Addresses of ``settling``."""

from django.urls import path

from wryfalcon.bench.settling import paper_views, views

urlpatterns = [
    path("tags/<int:number>/settle", views.settle_stage, name="settle"),
    path("tags/<int:number>/settle/overrule", views.overrule_cut, name="overrule"),
    path("tags/<int:number>/real-size", paper_views.real_size, name="real-size"),
    path("tags/<int:number>/settle/fill", views.fill_cuts, name="fill-cuts"),
    path("tags/<int:number>/settle/keep", views.settle_tag, name="settle-tag"),
    path("tags/<int:number>/settle/read-back", views.read_back_tag, name="read-back"),
]
