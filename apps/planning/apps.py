from django.apps import AppConfig


class PlanningConfig(AppConfig):
    name = "apps.planning"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from apps.kit.outside import STOPS
        from apps.planning.stops import what_stops

        if what_stops not in STOPS:
            STOPS.append(what_stops)
