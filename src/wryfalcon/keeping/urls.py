"""Keeping machines true, and why a key came out wrong."""

from django.urls import path

from wryfalcon.keeping.book import particulars
from wryfalcon.keeping.book import views as book
from wryfalcon.keeping.course import views as course
from wryfalcon.keeping.faces import views as faces
from wryfalcon.keeping.fittings import views as fittings
from wryfalcon.keeping.practising import views as practising
from wryfalcon.keeping.touching import views as touching
from wryfalcon.keeping.tracing import views as tracing
from wryfalcon.keeping.trimming import views as trimming
from wryfalcon.keeping.wheels import views as wheels
from wryfalcon.keeping.why import views as why

app_name = "keeping"
urlpatterns = [
    path("machines/<int:pk>", book.show, name="machine"),
    path("machines/<int:pk>/put-back", book.put_it_back, name="put-back"),
    path("machines/<int:pk>/course", course.course, name="course"),
    path("machines/<int:pk>/due", course.due, name="due"),
    path("machines/<int:pk>/practice", practising.practice, name="practice"),
    path("machines/<int:pk>/particulars", particulars.show, name="particulars"),
    path("machines/<int:pk>/describe", particulars.describe, name="describe"),
    path("machines/<int:pk>/care", book.care, name="care"),
    path("machines/<int:pk>/offset", particulars.offset, name="offset"),
    path("machines/<int:pk>/undo/<int:change>", book.undo, name="undo"),
    path("machines/<int:pk>/trim", trimming.begin, name="begin-trim"),
    path("machines/<int:pk>/touch", touching.show, name="touch"),
    path("machines/<int:pk>/touch/showed", touching.showed, name="touch-showed"),
    path("machines/<int:pk>/duplicates", tracing.duplicates, name="duplicates"),
    path("machines/<int:pk>/duplicates/<int:duplicate>/withdraw", tracing.withdraw, name="duplicate-withdraw"),
    path("machines/<int:pk>/faces", faces.show, name="faces"),
    path("machines/<int:pk>/faces/<int:side>/touch", faces.touch, name="touch-face"),
    path("machines/<int:pk>/faces/<int:side>/put-in", faces.put_in, name="put-face-in"),
    path("machines/<int:pk>/fitted", fittings.fitted, name="fitted"),
    path("machines/<int:pk>/cutter", fittings.cutter, name="fit-cutter"),
    path("machines/<int:pk>/followers/<int:follower>/fit", fittings.follower, name="fit-follower"),
    path("machines/<int:pk>/clamps", fittings.new_clamp, name="add-clamp"),
    path("machines/<int:pk>/followers", fittings.new_follower, name="add-follower"),
    path("machines/cutters/<int:pk>", wheels.wheel, name="wheel"),
    path("machines/trims/<int:pk>", trimming.show, name="trim"),
    path("machines/trims/<int:pk>/paper", trimming.paper, name="trim-paper"),
    path("machines/trims/<int:pk>/caliper", trimming.caliper, name="trim-caliper"),
    path("machines/trims/<int:pk>/measured", trimming.measured, name="trim-measured"),
    path("machines/trims/<int:pk>/caliper/<int:piece>", trimming.read_caliper, name="trim-read"),
    path("machines/trims/<int:pk>/clampings/<int:clamping>/withdraw", trimming.withdraw, name="trim-withdraw"),
    path("machines/trims/<int:pk>/tag", trimming.hang, name="trim-tag"),
    path("machines/trims/<int:pk>/close", trimming.close, name="trim-close"),
    path("tags/<int:number>/prove/<int:piece>/why", why.show, name="why"),
    path("tags/<int:number>/prove/<int:piece>/why.json", why.file, name="why-file"),
]
