"""One setting for all properties: no test fails because the machine was busy."""

import os

from hypothesis import HealthCheck, settings

settings.register_profile(
    "steady",
    deadline=None,
    suppress_health_check=[HealthCheck.too_slow],
    # a checker that nobody watches repeats the same cases; by hand they differ from run to run
    derandomize=bool(os.environ.get("CI")),
)
settings.load_profile("steady")
