"""Addresses about people."""

from django.urls import path

from apps.accounts.api.access import AccessOfView, AccessView, EntryView, PasswordView
from apps.accounts.api.second_factor import DeviceView
from apps.accounts.api.views import FirstStartView, SessionView

urlpatterns = [
    path("session/", SessionView.as_view(), name="session"),
    path("first-start/", FirstStartView.as_view(), name="first-start"),
    path("access/", AccessView.as_view(), name="access"),
    path("access/<str:username>/", AccessOfView.as_view(), name="access-of"),
    path("password/", PasswordView.as_view(), name="password"),
    path("second-factor/", DeviceView.as_view(), name="second-factor"),
    path("entry/<str:secret>/", EntryView.as_view(), name="entry"),
]
