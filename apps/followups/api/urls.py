"""Addresses of the follow-ups."""

from django.urls import path

from apps.followups.api import views

urlpatterns = [
    path("follow-ups/", views.FollowUpsView.as_view()),
    path("follow-ups/<uuid:follow_up_id>/", views.FollowUpView.as_view()),
    path("follow-ups/<uuid:follow_up_id>/close/", views.CloseView.as_view()),
]
