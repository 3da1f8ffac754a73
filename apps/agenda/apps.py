from django.apps import AppConfig


class AgendaConfig(AppConfig):
    name = "apps.agenda"
    default_auto_field = "django.db.models.BigAutoField"
