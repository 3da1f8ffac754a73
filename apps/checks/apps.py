from django.apps import AppConfig


class ChecksConfig(AppConfig):
    name = "apps.checks"
    default_auto_field = "django.db.models.BigAutoField"
