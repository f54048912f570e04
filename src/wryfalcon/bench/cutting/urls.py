"""Addresses of ``cutting``."""

from django.urls import path

from wryfalcon.bench.cutting import views

urlpatterns = [
    path("tags/<int:number>/cut/<int:piece>/walked", views.walked, name="walked"),
    path("tags/<int:number>/cut", views.cut_stage, name="cut"),
    path("tags/<int:number>/cut/next", views.cut_next, name="cut-next"),
    path("tags/<int:number>/cut/by-hand", views.by_hand, name="cut-by-hand"),
    path("tags/<int:number>/cut/<int:piece>/made", views.say_made, name="say-made"),
    path("tags/<int:number>/cut/<int:piece>", views.operate_piece, name="operate"),
    path("tags/<int:number>/cut/<int:piece>/end", views.end, name="end-piece"),
]
