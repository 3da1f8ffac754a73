"""Addresses of records and of the calculations."""

from django.urls import path

from apps.records.api import calculators, views

urlpatterns = [
    path("records/", views.RecordsView.as_view(), name="records"),
    path("runs/<uuid:run_id>/certificate.pdf", views.CertificateView.as_view(), name="certificate"),
    path("runs/<uuid:run_id>/export.csv", views.CsvView.as_view(), name="run-csv"),
    path("runs/<uuid:run_id>/export.json", views.JsonView.as_view(), name="run-json"),
    path("runs/<uuid:run_id>/evidence.zip", views.PackageView.as_view(), name="run-evidence"),
    path("calculators/", calculators.CalculatorListView.as_view(), name="calculators"),
    path("calculators/<str:name>/", calculators.CalculatorView.as_view(), name="calculator"),
    path("calculators/<str:name>/plot/", calculators.CalculatorPlotView.as_view(), name="calculator-plot"),
]
