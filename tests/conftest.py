"""Shared fixtures and Hypothesis profiles."""

import os

from hypothesis import HealthCheck, settings

os.environ.setdefault("PYBAMM_DISABLE_TELEMETRY", "true")
QUIET = [HealthCheck.too_slow, HealthCheck.function_scoped_fixture]
# The same examples on every run, a few of them with EWERER_QUICK=1; EWERER_EXPLORE=1 looks for new ones, many more of them.
settings.register_profile("steady", deadline=None, max_examples=60, derandomize=True, suppress_health_check=QUIET)
settings.register_profile("explore", deadline=None, max_examples=400, suppress_health_check=QUIET)
settings.register_profile("quick", deadline=None, max_examples=10, derandomize=True, suppress_health_check=QUIET)
settings.load_profile(next((p for p in ("explore", "quick") if os.environ.get(f"EWERER_{p.upper()}")), "steady"))
