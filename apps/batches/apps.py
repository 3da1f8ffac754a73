from django.apps import AppConfig


class BatchesConfig(AppConfig):
    name = "apps.batches"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from apps.batches.services import follow
        from apps.runs.services import FOLLOWERS

        if follow not in FOLLOWERS:
            FOLLOWERS.append(follow)
