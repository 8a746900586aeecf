"""Shared fixtures and Hypothesis profiles."""

import os

from hypothesis import HealthCheck, settings

os.environ.setdefault("PYBAMM_DISABLE_TELEMETRY", "true")
settings.register_profile(
    "steady", deadline=None, max_examples=60, suppress_health_check=[HealthCheck.too_slow, HealthCheck.function_scoped_fixture]
)
settings.load_profile("steady")
