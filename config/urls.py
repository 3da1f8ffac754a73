"""Addresses: the API under /api/v1/, everything else is the page."""

from django.urls import include, path, re_path
from drf_spectacular.views import SpectacularAPIView

from config.views import api_not_found, page

handler500 = "config.views.broken"
urlpatterns = [
    path("api/v1/", include("apps.accounts.api.urls")),
    path("api/v1/", include("apps.kit.api.urls")),
    path("api/v1/", include("apps.runs.api.urls")),
    path("api/v1/", include("apps.bench.api.urls")),
    path("api/v1/", include("apps.records.api.urls")),
    path("api/v1/", include("apps.planning.api.urls")),
    path("api/v1/", include("apps.checks.api.urls")),
    path("api/v1/", include("apps.batches.api.urls")),
    path("api/v1/", include("apps.followups.api.urls")),
    path("api/v1/", include("apps.safety.api.urls")),
    path("api/v1/", include("apps.agenda.api.urls")),
    path("api/v1/", include("apps.intake.api.urls")),
    path("api/v1/", include("apps.evidence.api.urls")),
    path("api/v1/", include("apps.plant.api.urls")),  # last: a tag may hold a slash, so the instrument's own address takes what is left
    path("api/schema/", SpectacularAPIView.as_view(), name="schema"),
    re_path(r"(?s)^api/(?P<path>.*)$", api_not_found),
    re_path(r"(?s)^(?!static/)(?P<path>.*)$", page),
]
