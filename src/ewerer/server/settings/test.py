"""Tests: a throw-away database, fast password hashes."""

from .base import *  # noqa: F403
from .base import DATABASES, LOGGING

SECRET_KEY = "only-for-tests-" + "x" * 50
SIGN_IN_RATE = "10000/m"
ALLOWED_HOSTS = ["testserver", "127.0.0.1", "localhost"]
PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
DATABASES["default"]["NAME"] = "ewerer-test.sqlite3"
DATABASES["default"]["CONN_MAX_AGE"] = 0
LOGGING["handlers"] = {"console": {"class": "logging.StreamHandler"}, "lines": {"class": "logging.NullHandler"}}
