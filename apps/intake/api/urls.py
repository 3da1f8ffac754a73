"""Addresses of files into the smaller registers."""

from django.urls import path

from apps.intake.api import views

urlpatterns = [
    path("beginning/", views.BeginningView.as_view()),
    path("intakes/", views.IntakesView.as_view()),
    path("intakes/registers/", views.RegistersView.as_view()),
    path("intakes/template/", views.TemplateView.as_view()),
    path("intakes/certificates/<path:code>/", views.CertificateView.as_view()),
    path("intakes/<uuid:intake_id>/", views.IntakeView.as_view()),
    path("intakes/<uuid:intake_id>/write/", views.WriteView.as_view()),
    path("intakes/<uuid:intake_id>/undo/", views.UndoView.as_view()),
]
