"""Addresses of the kit."""

from django.urls import path

from apps.kit.api.views import ReferencesView

urlpatterns = [path("references/", ReferencesView.as_view(), name="references")]
