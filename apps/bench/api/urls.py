"""Addresses of the bench."""

from django.urls import path

from apps.bench.api import indicator, views
from apps.bench.api.stream import live_stream, watch_stream

urlpatterns = [
    path("signals/", views.SignalsView.as_view(), name="signals"),
    path("modems/", views.ModemsView.as_view(), name="modems"),
    path("auto-captures/", views.AutoCapturesView.as_view(), name="auto-captures"),
    path("auto-captures/plan/", views.BatchPlanView.as_view(), name="batch-plan"),
    path("auto-captures/candidates/", views.CandidatesView.as_view(), name="batch-candidates"),
    path("auto-captures/<uuid:auto_id>/stop/", views.StopAutoCaptureView.as_view(), name="auto-capture-stop"),
    path("runs/<uuid:run_id>/live/", live_stream, name="run-live"),
    path("runs/<uuid:run_id>/watch/", watch_stream, name="run-watch"),
    path("runs/<uuid:run_id>/capture/", views.CaptureView.as_view(), name="run-capture"),
    path("runs/<uuid:run_id>/key/", views.KeyView.as_view(), name="run-key"),
    path("runs/<uuid:run_id>/indicator/", indicator.IndicatorView.as_view(), name="indicator"),
    path("runs/<uuid:run_id>/indicator/parameters.json", indicator.IndicatorFileView.as_view(), name="indicator-file"),
    path("runs/<uuid:run_id>/indicator/read/", indicator.IndicatorReadView.as_view(), name="indicator-read"),
    path("runs/<uuid:run_id>/indicator/send/", indicator.IndicatorSendView.as_view(), name="indicator-send"),
    path("runs/<uuid:run_id>/chromatogram/live/", views.LiveChromatogramView.as_view(), name="run-live-chromatogram"),
    path("runs/<uuid:run_id>/gas-on/", views.GasOnView.as_view(), name="run-gas-on"),
    path("runs/<uuid:run_id>/device/read/", views.ReadDeviceView.as_view(), name="device-read"),
    path("runs/<uuid:run_id>/device/accept/", views.AcceptDeviceView.as_view(), name="device-accept"),
    path("runs/<uuid:run_id>/device/send/", views.SendView.as_view(), name="device-send"),
    path("runs/<uuid:run_id>/device/act/", views.ActView.as_view(), name="device-act"),
    path("runs/<uuid:run_id>/parameters/<slug:kind>.json", views.ParameterFileView.as_view(), name="parameter-file"),
    path("parameters/compare/", views.CompareView.as_view(), name="parameter-compare"),
]
