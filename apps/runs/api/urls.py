"""Addresses of runs."""

from django.urls import path

from apps.runs.api import views

urlpatterns = [
    path("runs/", views.StartView.as_view(), name="start-run"),
    path("runs/<uuid:run_id>/", views.RunDetailView.as_view(), name="run"),
    path("runs/<uuid:run_id>/log/", views.LogView.as_view(), name="run-log"),
    path("runs/<uuid:run_id>/events/", views.EventsView.as_view(), name="run-events"),
    path("runs/<uuid:run_id>/override-reference/", views.OverrideView.as_view(), name="run-override"),
    path("runs/<uuid:run_id>/sign/", views.SignView.as_view(), name="run-sign"),
    path("runs/<uuid:run_id>/review/", views.ReviewView.as_view(), name="run-review"),
    path("runs/<uuid:run_id>/void/", views.VoidView.as_view(), name="run-void"),
    path("holds/", views.HoldsView.as_view(), name="holds"),
]
