from django.apps import AppConfig


class IntakeConfig(AppConfig):
    name = "apps.intake"
    default_auto_field = "django.db.models.BigAutoField"
