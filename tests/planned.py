"""Random jobs on random profiles, planned."""

import json

from ewerer.core.devices.library import Library, parse_job, parse_profile, shipped_library
from ewerer.core.plan import plan
from tests.adversary import random_job

SHIPPED = list(shipped_library())


def planned(seed):
    job, profile = random_job(seed)
    library = Library([*SHIPPED, parse_profile(json.dumps(profile))])
    return job, profile, plan(parse_job(json.dumps(job), library), library)
