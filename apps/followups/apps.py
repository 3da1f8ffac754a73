from django.apps import AppConfig


class FollowupsConfig(AppConfig):
    name = "apps.followups"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from apps.followups.services import follow
        from apps.runs.projections import WHEN_ENDED

        if follow not in WHEN_ENDED:
            WHEN_ENDED.append(follow)
