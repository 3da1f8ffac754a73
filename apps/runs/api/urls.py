"""Addresses of runs."""

from django.urls import path

from apps.runs.api import duties, holds, views, vouching
from apps.runs.api.gas import GasKitView, GasOptionsView
from apps.runs.api.offers import OffersView
from apps.runs.api.sensor_life import SensorLifeView
from apps.runs.api.trends import TrendsView

urlpatterns = [
    path("runs/", views.StartView.as_view(), name="start-run"),
    path("runs/<uuid:run_id>/", views.RunDetailView.as_view(), name="run"),
    path("runs/<uuid:run_id>/log/", views.LogView.as_view(), name="run-log"),
    path("runs/<uuid:run_id>/events/", views.EventsView.as_view(), name="run-events"),
    path("runs/<uuid:run_id>/override-reference/", views.OverrideView.as_view(), name="run-override"),
    path("runs/<uuid:run_id>/sign/", views.SignView.as_view(), name="run-sign"),
    path("runs/<uuid:run_id>/countersign/", views.CountersignView.as_view(), name="run-countersign"),
    path("runs/<uuid:run_id>/review/", views.ReviewView.as_view(), name="run-review"),
    path("runs/<uuid:run_id>/void/", views.VoidView.as_view(), name="run-void"),
    path("runs/<uuid:run_id>/second/", views.SecondView.as_view(), name="run-second"),
    path("runs/<uuid:run_id>/gas/<str:role>/", GasOptionsView.as_view(), name="gas-options"),
    path("runs/<uuid:run_id>/offers/<str:role>/", OffersView.as_view(), name="offers"),
    path("runs/<uuid:run_id>/chromatogram/", vouching.ChromatogramView.as_view(), name="run-chromatogram"),
    path("instruments/<path:tag>/validity/", vouching.ValidityView.as_view(), name="validity"),
    path("instruments/<path:tag>/samples/", vouching.SamplesView.as_view(), name="samples"),
    path("gas/", GasKitView.as_view(), name="gas"),
    path("holds/", holds.HoldsView.as_view(), name="holds"),
    path("holds/<uuid:hold_id>/", holds.HoldView.as_view(), name="hold"),
    path("duties/", duties.DutiesView.as_view(), name="duties"),
    path("duties/<uuid:duty_id>/", duties.DutyView.as_view(), name="duty"),
    path("colleagues/", holds.ColleaguesView.as_view(), name="colleagues"),
    path("instruments/<path:tag>/sensor-life/", SensorLifeView.as_view(), name="sensor-life"),
    path("instruments/<path:tag>/trends/", TrendsView.as_view(), name="trends"),
]
