"""Addresses of ``reading``."""

from django.urls import path

from wryfalcon.bench.reading import code_views, lock_views, source_views, views

urlpatterns = [
    path("tags/<int:number>/measure-lock", lock_views.measure_lock, name="measure-lock"),
    path("tags/<int:number>/read", views.read_stage, name="read"),
    path("tags/<int:number>/read/value", views.type_value, name="type-value"),
    path("tags/<int:number>/read/withdraw", views.withdraw_value, name="withdraw-value"),
    path("tags/<int:number>/read/sources", source_views.add, name="add-source"),
    path("tags/<int:number>/read/describe", source_views.describe, name="describe-source"),
    path("tags/<int:number>/read/<int:source>/change", source_views.change, name="change-source"),
    path("tags/<int:number>/read/<int:source>/labels", source_views.type_labels, name="type-labels"),
    path("tags/<int:number>/read/<int:source>/card", source_views.card, name="read-card"),
    path("tags/<int:number>/read/<int:source>/code", source_views.look_up, name="read-code"),
    path("tags/<int:number>/read/<int:source>/grid", source_views.tap_grid, name="tap-grid"),
    path("tags/<int:number>/read/<int:source>/look", source_views.look, name="look"),
    path("tags/<int:number>/read/<int:source>/swing", source_views.swing, name="swing"),
    path("tags/<int:number>/read/<int:source>/stage", source_views.stage, name="stage-cut"),
    path("tags/<int:number>/read/<int:source>/compare", source_views.compare, name="compare-cuts"),
    path("tags/<int:number>/read/mark", source_views.mark, name="mark-cut"),
    path("tags/<int:number>/codes", code_views.show, name="codes"),
]
