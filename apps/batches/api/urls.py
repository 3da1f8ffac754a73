"""Addresses of the batches of sensors."""

from django.urls import path

from apps.batches.api import views

urlpatterns = [
    path("batches/sensors/", views.SensorsView.as_view()),
    path("batches/proposal/", views.ProposalView.as_view()),
    path("batches/", views.BatchesView.as_view()),
    path("batches/<uuid:batch_id>/", views.BatchView.as_view()),
    path("batches/<uuid:batch_id>/on/", views.GoOnView.as_view()),
    path("batches/<uuid:batch_id>/back/", views.PutBackView.as_view()),
    path("batches/<uuid:batch_id>/drop/", views.DropView.as_view()),
    path("batches/<uuid:batch_id>/sign/", views.SignAllView.as_view()),
]
