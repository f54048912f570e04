"""Records."""

from django.urls import path

from wryfalcon.records import views

app_name = "records"
urlpatterns = [
    path("", views.history, name="history"),
    path("find", views.find_anything, name="find"),
    path("again/<int:number>", views.again, name="again"),
    path("bring-back", views.bring_back, name="bring-back"),
]
