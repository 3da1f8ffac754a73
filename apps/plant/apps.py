from django.apps import AppConfig


class PlantConfig(AppConfig):
    name = "apps.plant"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from apps.accounts.outside import CODES_WANTED
        from apps.plant.policies import codes_wanted

        if codes_wanted not in CODES_WANTED:
            CODES_WANTED.append(codes_wanted)
