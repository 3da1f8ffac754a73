"""Addresses about people."""

from django.urls import path

from apps.accounts.api.views import SessionView

urlpatterns = [path("session/", SessionView.as_view(), name="session")]
