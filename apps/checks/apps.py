from django.apps import AppConfig


class ChecksConfig(AppConfig):
    name = "apps.checks"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from apps.checks.services import follow
        from apps.runs.services import FOLLOWERS

        if follow not in FOLLOWERS:
            FOLLOWERS.append(follow)
