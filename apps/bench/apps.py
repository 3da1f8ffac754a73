from django.apps import AppConfig


class BenchConfig(AppConfig):
    name = "apps.bench"

    def ready(self) -> None:
        from apps.bench import loop_tests
        from apps.bench.capture import follow, read_now
        from apps.bench.driven import still_driven
        from apps.bench.power import powered_for_s
        from apps.bench.selectors import describe_signal
        from apps.runs.outside import DESCRIBE, POWERED, READ_NOW, STILL_DRIVEN
        from apps.runs.services import FOLLOWERS

        if follow not in FOLLOWERS:
            FOLLOWERS.append(follow)
        if loop_tests.follow not in FOLLOWERS:
            FOLLOWERS.append(loop_tests.follow)
        if still_driven not in STILL_DRIVEN:
            STILL_DRIVEN.append(still_driven)
        if describe_signal not in DESCRIBE:
            DESCRIBE.append(describe_signal)
        if powered_for_s not in POWERED:
            POWERED.append(powered_for_s)
        if read_now not in READ_NOW:
            READ_NOW.append(read_now)
