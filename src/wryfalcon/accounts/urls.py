"""Logging in and out, and preferences."""

from django.contrib.auth.decorators import login_not_required
from django.contrib.auth.views import LoginView, LogoutView
from django.urls import path
from django.views.generic import RedirectView

from wryfalcon.accounts import views

app_name = "accounts"
urlpatterns = [
    path(
        "login", LoginView.as_view(template_name="accounts/login.html", redirect_authenticated_user=True), name="login"
    ),
    path("login/", login_not_required(RedirectView.as_view(pattern_name="accounts:login", query_string=True))),
    path("logout", LogoutView.as_view(), name="logout"),
    path("prefer", views.prefer, name="prefer"),
]
