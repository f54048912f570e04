"""Code series."""

from django.urls import path

from wryfalcon.codes.views import find, series, table

app_name = "codes"
urlpatterns = [
    path("", find.by_code, name="series"),
    path("by-bitting", find.by_bitting, name="by-bitting"),
    path("seen", find.seen, name="seen"),
    path("bring-in", table.bring_in_table, name="bring-in"),
    path("<int:pk>", series.show, name="one"),
    path("<int:pk>/bring-in", series.put_in_force, name="put-in-force"),
    path("<int:pk>/stop", series.stop, name="stop"),
    path("<int:pk>/again", series.again, name="again"),
    path("<int:pk>/throw-away", series.throw_away, name="throw-away"),
    path("<int:pk>/bad-rows.csv", series.bad_rows, name="bad-rows"),
    path("<int:pk>/codes.<str:ending>", series.export, name="export"),
]
