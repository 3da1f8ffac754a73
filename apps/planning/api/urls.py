"""Addresses of planning."""

from django.urls import path

from apps.planning.api import due, rounds
from apps.planning.api.views import TodayView

urlpatterns = [
    path("today/", TodayView.as_view(), name="today"),
    path("due/days/", due.DueDaysView.as_view(), name="due-days"),
    path("due/", due.DueView.as_view(), name="due"),
    path("due/file/", due.DueFileView.as_view(), name="due-file"),
    path("instruments/<path:tag>/defer/", due.DeferView.as_view(), name="defer"),
    path("instruments/<path:tag>/use/", due.UseView.as_view(), name="use"),
    path("instruments/<path:tag>/happened/", due.TriggerView.as_view(), name="happened"),
    path("deferrals/<int:deferral_id>/", due.DecideDeferralView.as_view(), name="decide-deferral"),
    path("feeds/", due.FeedsView.as_view(), name="feeds"),
    path("feeds/<int:feed_id>/", due.RevokeFeedView.as_view(), name="revoke-feed"),
    path("calendars/<str:token>.ics", due.CalendarView.as_view(), name="calendar"),
    path("plans/", rounds.RoundsView.as_view(), name="plans"),
    path("plans/<uuid:round_id>/", rounds.RoundView.as_view(), name="plan"),
    path("plans/<uuid:round_id>/pack.pdf", rounds.PackView.as_view(), name="print-plan"),
    path("plans/<uuid:round_id>/solve/", rounds.SolveView.as_view(), name="solve-plan"),
    path("plans/<uuid:round_id>/kit/", rounds.ExchangeView.as_view(), name="exchange-plan-kit"),
    path("plans/<uuid:round_id>/jobs/<path:tag>/", rounds.JobView.as_view(), name="plan-job"),
]
