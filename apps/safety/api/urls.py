"""Addresses of the safety functions."""

from django.urls import path

from apps.safety.api import views

urlpatterns = [
    path("functions/", views.FunctionsView.as_view()),
    path("functions/<str:code>/", views.FunctionView.as_view()),
    path("functions/<str:code>/members/<path:tag>/", views.MemberView.as_view()),
]
