"""Addresses of the kit."""

from django.urls import path

from apps.kit.api import items
from apps.kit.api.views import ReferencesView

urlpatterns = [
    path("references/", ReferencesView.as_view(), name="references"),
    path("kit/", items.KitGroupsView.as_view(), name="kit-groups"),
    path("kit/files/<int:file_id>/", items.KitFileView.as_view(), name="kit-file"),
    path("kit/<str:group>/", items.KitItemsView.as_view(), name="kit-items"),
    path("kit/<str:group>/<path:code>/state/", items.KitStateView.as_view(), name="kit-state"),
    path("kit/<str:group>/<path:code>/incoming/", items.KitIncomingView.as_view(), name="kit-incoming"),
    path("kit/<str:group>/<path:code>/files/", items.KitFilesView.as_view(), name="kit-files"),
    path("kit/<str:group>/<path:code>/", items.KitItemView.as_view(), name="kit-item"),
]
