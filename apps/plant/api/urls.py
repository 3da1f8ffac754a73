"""Addresses of the register."""

from django.urls import path

from apps.plant.api.imports import (
    ExportView,
    FindView,
    ImportRowsView,
    ImportRowView,
    ImportsView,
    ImportView,
    LabelsView,
    UndoImportView,
    WriteImportView,
)
from apps.plant.api.people import PeopleView, QualificationsView, QualificationView
from apps.plant.api.policies import PoliciesView
from apps.plant.api.views import AreaView, InstrumentFilesView, InstrumentFileView, InstrumentsView, InstrumentView

urlpatterns = [
    path("instruments/", InstrumentsView.as_view(), name="instruments"),
    path("policies/", PoliciesView.as_view(), name="policies"),
    path("people/", PeopleView.as_view(), name="people"),
    path("people/<str:username>/qualifications/", QualificationsView.as_view(), name="give-qualification"),
    path("qualifications/<int:qualification_id>/end/", QualificationView.as_view(), name="end-qualification"),
    path("areas/<str:code>/", AreaView.as_view(), name="area"),
    path("imports/", ImportsView.as_view(), name="imports"),
    path("imports/<uuid:batch_id>/", ImportView.as_view(), name="import"),
    path("imports/<uuid:batch_id>/rows/", ImportRowsView.as_view(), name="import-rows"),
    path("imports/<uuid:batch_id>/rows/<int:number>/", ImportRowView.as_view(), name="import-row"),
    path("imports/<uuid:batch_id>/write/", WriteImportView.as_view(), name="write-import"),
    path("imports/<uuid:batch_id>/undo/", UndoImportView.as_view(), name="undo-import"),
    path("labels/", LabelsView.as_view(), name="labels"),
    path("find/", FindView.as_view(), name="find"),
    path("exports/instruments/", ExportView.as_view(), name="export-instruments"),
    path("documents/<int:file_id>/", InstrumentFileView.as_view(), name="document"),
    path("instruments/<path:tag>/files/", InstrumentFilesView.as_view(), name="attach-document"),
    path("instruments/<path:tag>/", InstrumentView.as_view(), name="instrument"),
]
