"""The app of runs; loads the description of our sign-in."""

from django.apps import AppConfig


class RunsConfig(AppConfig):
    name = "apps.runs"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        import apps.runs.api.schema  # noqa: F401
        import config.schema  # noqa: F401  # both register themselves
        from apps.accounts.access import KEEPERS
        from apps.kit.outside import CHECKED, USES
        from apps.plant.following import FOLLOWERS
        from apps.plant.outside import MORE
        from apps.runs.due import set_due
        from apps.runs.instrument_page import page_part
        from apps.runs.kit_checks import item_check
        from apps.runs.kit_use import item_uses
        from apps.runs.selectors import holds_answered_for

        if set_due not in FOLLOWERS:
            FOLLOWERS.append(set_due)
        if page_part not in MORE:
            MORE.append(page_part)
        if item_check not in CHECKED:
            CHECKED.append(item_check)
        if item_uses not in USES:
            USES.append(item_uses)
        if holds_answered_for not in KEEPERS:
            KEEPERS.append(holds_answered_for)
