"""Django's own admin, listing the tags of the shop: what a plain page of the framework costs on this machine."""

from __future__ import annotations

from django.contrib import admin
from django.urls import include, path

from wryfalcon.bench.models import Tag


@admin.register(Tag)
class TagList(admin.ModelAdmin):
    """The same few fields of twenty tags, nothing related, no filters and no search."""

    list_display = ("number", "title", "on_bench", "authority", "quantity", "state", "taken_in_at", "closed_at")
    list_per_page = 20


urlpatterns = [path("admin/", admin.site.urls), path("", include("wryfalcon.urls"))]
