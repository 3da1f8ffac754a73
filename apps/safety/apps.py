from typing import Any

from django.apps import AppConfig


class SafetyConfig(AppConfig):
    name = "apps.safety"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from apps.plant.outside import MORE
        from apps.runs.outside import FUNCTIONS, PROOF_DUE
        from apps.runs.projections import WHEN_ENDED
        from apps.safety.proving import keep_proofs, points_of, proof_due
        from apps.safety.selectors import functions_of

        for hooks, hook in ((MORE, functions_of), (FUNCTIONS, points_of), (PROOF_DUE, proof_due), (WHEN_ENDED, keep_proofs)):
            put_in(hooks, hook)


def put_in(hooks: list[Any], hook: Any) -> None:
    """Once, however often the app starts."""
    if hook not in hooks:
        hooks.append(hook)
