"""Addresses of planning."""

from django.urls import path

from apps.planning.api.views import TodayView

urlpatterns = [path("today/", TodayView.as_view(), name="today")]
