"""Settings that hold everywhere. Where data lies comes from EWERER_DATA."""

import os
import secrets
from datetime import timedelta
from pathlib import Path

from csp.constants import NONE, SELF

from ...core.trade.budget import MAX_DOCUMENT_BYTES

SERVER_DIR = Path(__file__).resolve().parent.parent
DATA_DIR = Path(os.environ.get("EWERER_DATA", Path.home() / ".ewerer"))


LEAST_KEY = 40
"""Shortest secret key that counts as one, in characters."""


def secret_key() -> str:
    """Return the secret key from the environment, or one kept beside the data, made on first use."""
    given = os.environ.get("EWERER_SECRET_KEY")
    if given:
        return given
    path = DATA_DIR / "secret-key"
    held = path.read_text().strip() if path.exists() else ""
    if len(held) >= LEAST_KEY:
        return held
    # Written beside and moved, so that no crash leaves half a key; an empty one is made anew.
    DATA_DIR.mkdir(parents=True, exist_ok=True, mode=0o700)
    fresh = DATA_DIR / f"secret-key.{os.getpid()}"
    with os.fdopen(os.open(fresh, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "w") as file:
        file.write(secrets.token_urlsafe(50))
    fresh.replace(path)
    return path.read_text().strip()


DEBUG = False
ALLOWED_HOSTS = ["127.0.0.1", "localhost", *(h.strip() for h in os.environ.get("EWERER_HOSTS", "").split(",") if h.strip())]
ROOT_URLCONF = "ewerer.server.urls"
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
USE_TZ = True
TIME_ZONE = "UTC"
LANGUAGE_CODE = "en"

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "axes",
    "ewerer.server.crews",
    "ewerer.server.jobs",
    "ewerer.server.profiles",
    "ewerer.server.record",
    "ewerer.server.live",
    "ewerer.server.logs",
]
MIDDLEWARE = [
    "ewerer.server.ops.logs.RequestLog",
    "django.middleware.security.SecurityMiddleware",
    "csp.middleware.CSPMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "django.middleware.gzip.GZipMiddleware",
    "axes.middleware.AxesMiddleware",
    "ewerer.server.problems.ApiProblems",
    "ewerer.server.problems.Bounded",
]
AUTHENTICATION_BACKENDS = ["axes.backends.AxesStandaloneBackend", "django.contrib.auth.backends.ModelBackend"]
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator", "OPTIONS": {"min_length": 12}},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
    {
        "NAME": "django.contrib.auth.password_validation.UserAttributeSimilarityValidator",
        "OPTIONS": {"user_attributes": ("username",)},
    },
    {"NAME": "django.contrib.auth.password_validation.NumericPasswordValidator"},
]

AXES_FAILURE_LIMIT = 5
AXES_COOLOFF_TIME = timedelta(minutes=5)
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]
AXES_RESET_ON_SUCCESS = True
AXES_HTTP_RESPONSE_CODE = 429
AXES_LOCKOUT_CALLABLE = "ewerer.server.problems.locked_out"
AXES_VERBOSE = False

DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.sqlite3",
        "NAME": DATA_DIR / "ewerer.sqlite3",
        "CONN_MAX_AGE": None,
        "OPTIONS": {
            "transaction_mode": "IMMEDIATE",
            "timeout": 15,
            "init_command": "PRAGMA journal_mode=WAL; PRAGMA synchronous=FULL; PRAGMA cache_size=-8000;",
        },
    }
}

CACHES = {
    "default": {"BACKEND": "django.core.cache.backends.locmem.LocMemCache", "OPTIONS": {"MAX_ENTRIES": 20_000}},
    "work": {
        "BACKEND": "django.core.cache.backends.filebased.FileBasedCache",
        "LOCATION": DATA_DIR / "work",
        "TIMEOUT": 86_400,
        "OPTIONS": {"MAX_ENTRIES": 2000},
    },
}
NINJA_NUM_PROXIES = 0
"""The server has put the address that a trusted proxy names in its place already."""
SIGN_IN_RATE = "60/m"
"""Sign-ins that are tried from one address, right or wrong."""

STATIC_URL = "/static/"
STATIC_ROOT = SERVER_DIR / "static"
WHITENOISE_IMMUTABLE_FILE_TEST = r"^/static/assets/.+-[\w-]{8}\.\w+$"

DATA_UPLOAD_MAX_MEMORY_SIZE = MAX_DOCUMENT_BYTES + 500_000
SESSION_COOKIE_HTTPONLY = True
SESSION_COOKIE_SAMESITE = "Lax"
SESSION_COOKIE_AGE = 60 * 60 * 24 * 14
CSRF_COOKIE_SAMESITE = "Lax"
CSRF_FAILURE_VIEW = "ewerer.server.problems.csrf_failure"
X_FRAME_OPTIONS = "DENY"
SECURE_REFERRER_POLICY = "same-origin"
CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": [SELF],
        "img-src": [SELF, "data:", "blob:"],
        "object-src": [NONE],
        "base-uri": [SELF],
        "form-action": [SELF],
        "frame-ancestors": [NONE],
    }
}
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {"lines": {"()": "ewerer.server.settings.logs.lines"}},
    "handlers": {
        "console": {"class": "logging.StreamHandler"},
        "lines": {
            "class": "ewerer.server.settings.logs.Kept",
            "filename": DATA_DIR / "logs" / "ewerer.log",
            "maxBytes": 5_000_000,
            "backupCount": 4,
            "delay": True,
            "encoding": "utf-8",
            "formatter": "lines",
        },
    },
    "root": {"handlers": ["console"], "level": "WARNING"},
    "loggers": {
        "ewerer.requests": {"handlers": ["lines"], "level": "INFO", "propagate": False},
        "axes": {"level": "ERROR"},
        "django.request": {"level": "ERROR"},
        "waitress": {"level": "ERROR"},
        "weasyprint": {"level": "ERROR"},
        "fontTools": {"level": "ERROR"},
    },
}
