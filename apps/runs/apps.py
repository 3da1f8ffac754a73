"""The app of runs; loads the description of our sign-in."""

from django.apps import AppConfig


class RunsConfig(AppConfig):
    name = "apps.runs"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        import config.schema  # noqa: F401  # registers itself
        from apps.plant.services import FOLLOWERS
        from apps.runs.due import set_due

        if set_due not in FOLLOWERS:
            FOLLOWERS.append(set_due)
