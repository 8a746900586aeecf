"""Jobs with something found, for tests."""

from tests.jobs import SKERRY, data


def found(unit="U1", base=SKERRY, **values):
    job = data(base)
    job["as_found"] = {unit: {k.replace("_", "-"): v for k, v in values.items()}}
    return job
