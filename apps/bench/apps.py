from django.apps import AppConfig


class BenchConfig(AppConfig):
    name = "apps.bench"

    def ready(self) -> None:
        from apps.bench.capture import follow
        from apps.runs.services import FOLLOWERS

        if follow not in FOLLOWERS:
            FOLLOWERS.append(follow)
