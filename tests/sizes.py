"""How large a random search is: small in ``make test``, full in ``make test-long``."""

import os

EXPLORE = bool(os.environ.get("EWERER_EXPLORE"))


def size(small, full):
    """Return the size of a search in this run."""
    return full if EXPLORE else small
