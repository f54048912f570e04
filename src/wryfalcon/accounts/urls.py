"""Logging in and out, and preferences."""

from django.contrib.auth.views import LoginView, LogoutView
from django.urls import path

from wryfalcon.accounts import views

app_name = "accounts"
urlpatterns = [
    path(
        "login", LoginView.as_view(template_name="accounts/login.html", redirect_authenticated_user=True), name="login"
    ),
    path("logout", LogoutView.as_view(), name="logout"),
    path("prefer", views.prefer, name="prefer"),
]
