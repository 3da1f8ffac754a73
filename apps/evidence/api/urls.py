"""Addresses of the evidence."""

from django.urls import path

from apps.evidence.api import views

urlpatterns = [
    path("evidence/", views.EvidenceView.as_view()),
    path("evidence/anchor/", views.AnchorView.as_view()),
    path("evidence/backup/", views.BackupView.as_view()),
    path("evidence/look-through/", views.LookThroughView.as_view()),
    path("evidence/verify.py", views.VerifyView.as_view()),
    path("journal/", views.JournalView.as_view()),
    path("journal/file/", views.JournalFileView.as_view()),
]
