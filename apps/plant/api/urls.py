"""Addresses of the register."""

from django.urls import path

from apps.plant.api.views import InstrumentsView, InstrumentView

urlpatterns = [
    path("instruments/", InstrumentsView.as_view(), name="instruments"),
    path("instruments/<str:tag>/", InstrumentView.as_view(), name="instrument"),
]
