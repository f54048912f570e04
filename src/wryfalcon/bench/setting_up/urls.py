"""Addresses of ``setting_up``."""

from django.urls import path

from wryfalcon.bench.setting_up import cutter_views, views

urlpatterns = [
    path("tags/<int:number>/set-up", views.set_up_stage, name="set-up"),
    path("tags/<int:number>/set-up/choose", views.choose_fitting, name="choose-fitting"),
    path("tags/<int:number>/set-up/tick", views.tick_checks, name="tick"),
    path("tags/<int:number>/set-up/anew", views.make_anew, name="make-card-anew"),
    path("tags/<int:number>/set-up/height", views.measure_height, name="measure-height"),
    path("tags/<int:number>/set-up/card", views.print_card, name="print-card"),
    path("tags/<int:number>/set-up/plan.<slug:kind>", views.cut_plan_file, name="cut-plan"),
    path("tags/<int:number>/cutters", cutter_views.show, name="cutters"),
]
