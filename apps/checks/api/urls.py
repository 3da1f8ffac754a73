"""Addresses of the rounds of function checks."""

from django.urls import path

from apps.checks.api import views

urlpatterns = [
    path("checks/due/", views.ChecksDueView.as_view()),
    path("checks/", views.CheckRoundsView.as_view()),
    path("checks/<uuid:round_id>/", views.CheckRoundView.as_view()),
    path("checks/<uuid:round_id>/begin/", views.BeginView.as_view()),
    path("checks/<uuid:round_id>/read/", views.ReadView.as_view()),
    path("checks/<uuid:round_id>/on/", views.GoOnView.as_view()),
    path("checks/<uuid:round_id>/tap/", views.TapView.as_view()),
    path("checks/<uuid:round_id>/back/", views.GiveBackView.as_view()),
    path("checks/<uuid:round_id>/again/", views.AgainView.as_view()),
    path("checks/<uuid:round_id>/aside/", views.AsideView.as_view()),
    path("checks/<uuid:round_id>/gas/", views.GasView.as_view()),
    path("checks/<uuid:round_id>/sign/", views.SignAllView.as_view()),
]
