"""Addresses of the year ahead."""

from django.urls import path

from apps.agenda.api import views

urlpatterns = [
    path("year/", views.YearView.as_view()),
    path("year/week/", views.WeekView.as_view()),
    path("year/others/", views.OthersView.as_view()),
    path("year/hours/", views.HoursView.as_view()),
    path("year/moves/", views.MovesView.as_view()),
    path("year/file/", views.YearFileView.as_view()),
]
