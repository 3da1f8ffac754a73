from django.apps import AppConfig


class BenchConfig(AppConfig):
    name = "apps.bench"

    def ready(self) -> None:
        from apps.bench.capture import follow
        from apps.bench.power import powered_for_s
        from apps.bench.selectors import describe_signal
        from apps.runs.outside import DESCRIBE, POWERED
        from apps.runs.services import FOLLOWERS

        if follow not in FOLLOWERS:
            FOLLOWERS.append(follow)
        if describe_signal not in DESCRIBE:
            DESCRIBE.append(describe_signal)
        if powered_for_s not in POWERED:
            POWERED.append(powered_for_s)
