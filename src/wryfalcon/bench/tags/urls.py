"""Addresses of ``tags``."""

from django.urls import path

from wryfalcon.bench.tags import quotation_views, views

urlpatterns = [
    path("", views.tags, name="tags"),
    path("tags/new", views.new, name="new"),
    path("tags/new/fill", views.fill_from_maker, name="fill-from-maker"),
    path("tags/<int:number>", views.at_its_stage, name="tag"),
    path("tags/<int:number>/take-in", views.take_in_stage, name="take-in"),
    path("tags/<int:number>/family", views.learn, name="learn-family"),
    path("tags/<int:number>/edition", views.take_edition, name="go-over"),
    path("tags/<int:number>/picture.jpg", quotation_views.picture, name="picture"),
    path("tags/<int:number>/picture", quotation_views.send_picture, name="send-picture"),
    path("tags/<int:number>/answers", quotation_views.answer, name="answer"),
    path("tags/<int:number>/decline", views.decline_tag, name="decline"),
]
