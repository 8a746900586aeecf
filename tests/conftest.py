"""Hypothesis profiles, what is left out of a quick run, and one prepared data folder for all servers of a run."""

import os
import shutil
import tempfile
from pathlib import Path

from hypothesis import HealthCheck, settings

os.environ.setdefault("PYBAMM_DISABLE_TELEMETRY", "true")
QUIET = [HealthCheck.too_slow, HealthCheck.function_scoped_fixture]
# The same few examples on every run; EWERER_EXPLORE=1, as make test-long says it, looks for new ones, many more of them.
settings.register_profile("quick", deadline=None, max_examples=20, derandomize=True, suppress_health_check=QUIET)
settings.register_profile("explore", deadline=None, max_examples=400, suppress_health_check=QUIET)
settings.load_profile("explore" if os.environ.get("EWERER_EXPLORE") else "quick")


def pytest_configure(config):
    """Give all servers of this run one data folder to copy; workers find it in the environment, as whoever keeps one says it."""
    if "EWERER_PREPARED" not in os.environ:
        config.prepared = os.environ["EWERER_PREPARED"] = str(Path(tempfile.gettempdir()) / f"ewerer-demo-{os.getpid()}")


def pytest_unconfigure(config):
    """Tidy the prepared folder up when all workers are done."""
    if hasattr(config, "prepared"):
        shutil.rmtree(config.prepared, ignore_errors=True)
