"""The machines."""

from django.urls import path

from wryfalcon.machines.views import book, fittings, hands, particulars, room, touch, tracing, trim, wheels

app_name = "machines"
urlpatterns = [
    path("", room.machines, name="machines"),
    path("hands", hands.hands, name="hands"),
    path("<int:pk>", book.show, name="machine"),
    path("<int:pk>/course", book.course, name="course"),
    path("<int:pk>/due", book.due, name="due"),
    path("<int:pk>/home", room.home, name="home"),
    path("<int:pk>/misreports", room.misreports, name="misreports"),
    path("<int:pk>/practice", room.practice, name="practice"),
    path("<int:pk>/panel", room.panel, name="panel"),
    path("<int:pk>/particulars", particulars.show, name="particulars"),
    path("<int:pk>/describe", particulars.describe, name="describe"),
    path("<int:pk>/care", book.care, name="care"),
    path("<int:pk>/offset", particulars.offset, name="offset"),
    path("<int:pk>/undo/<int:change>", book.undo, name="undo"),
    path("<int:pk>/trim", trim.begin, name="begin-trim"),
    path("<int:pk>/touch", touch.show, name="touch"),
    path("<int:pk>/touch/showed", touch.showed, name="touch-showed"),
    path("<int:pk>/duplicates", tracing.duplicates, name="duplicates"),
    path("<int:pk>/duplicates/<int:duplicate>/withdraw", tracing.withdraw, name="duplicate-withdraw"),
    path("<int:pk>/fitted", fittings.fitted, name="fitted"),
    path("<int:pk>/cutter", fittings.cutter, name="fit-cutter"),
    path("<int:pk>/followers/<int:follower>/fit", fittings.follower, name="fit-follower"),
    path("<int:pk>/clamps", fittings.new_clamp, name="add-clamp"),
    path("<int:pk>/followers", fittings.new_follower, name="add-follower"),
    path("cutters/<int:pk>", wheels.wheel, name="wheel"),
    path("trims/<int:pk>", trim.show, name="trim"),
    path("trims/<int:pk>/paper", trim.paper, name="trim-paper"),
    path("trims/<int:pk>/caliper", trim.caliper, name="trim-caliper"),
    path("trims/<int:pk>/measured", trim.measured, name="trim-measured"),
    path("trims/<int:pk>/caliper/<int:piece>", trim.read_caliper, name="trim-read"),
    path("trims/<int:pk>/clampings/<int:clamping>/withdraw", trim.withdraw, name="trim-withdraw"),
    path("trims/<int:pk>/tag", trim.hang, name="trim-tag"),
    path("trims/<int:pk>/close", trim.close, name="trim-close"),
]
