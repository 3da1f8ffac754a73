"""The app of runs; loads the description of our sign-in."""

from django.apps import AppConfig


class RunsConfig(AppConfig):
    name = "apps.runs"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        import apps.runs.api.schema  # noqa: F401
        import config.schema  # noqa: F401  # both register themselves
        from apps.kit.outside import CHECKED, USES
        from apps.plant.outside import MORE
        from apps.plant.services import FOLLOWERS
        from apps.runs.due import set_due
        from apps.runs.instrument_page import page_part
        from apps.runs.kit_checks import item_check
        from apps.runs.kit_use import item_uses

        if set_due not in FOLLOWERS:
            FOLLOWERS.append(set_due)
        if page_part not in MORE:
            MORE.append(page_part)
        if item_check not in CHECKED:
            CHECKED.append(item_check)
        if item_uses not in USES:
            USES.append(item_uses)
