"""Addresses of ``proving``."""

from django.urls import path

from wryfalcon.bench.proving import views

urlpatterns = [
    path("tags/<int:number>/prove", views.prove_stage, name="prove"),
    path("tags/<int:number>/prove/<int:piece>/value", views.type_proof_value, name="type-proof-value"),
    path("tags/<int:number>/prove/<int:piece>/over", views.over, name="measure-over"),
    path("tags/<int:number>/prove/<int:piece>/measure", views.measure, name="measure"),
    path("tags/<int:number>/prove/<int:piece>/try", views.try_key, name="try-key"),
    path("tags/<int:number>/prove/<int:piece>/take-off", views.take_off, name="take-off"),
    path("tags/<int:number>/prove/<int:piece>/beside", views.lay_beside, name="lay-beside"),
    path("tags/<int:number>/prove/<int:piece>/verdict", views.keep_verdict, name="keep-verdict"),
]
