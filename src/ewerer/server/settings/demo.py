"""Demo: plain HTTP on loopback only, data in a folder of its own."""

from .base import *  # noqa: F403
from .base import secret_key

SECRET_KEY = secret_key()
ALLOWED_HOSTS = ["127.0.0.1", "localhost"]
