"""Production: behind HTTPS. EWERER_PLAIN_HTTP=1 lifts that for a closed local network."""

import os

from .base import *  # noqa: F403
from .base import ALLOWED_HOSTS, secret_key

SECRET_KEY = secret_key()
if os.environ.get("EWERER_PLAIN_HTTP") != "1":
    SECURE_SSL_REDIRECT = True
    SECURE_REDIRECT_EXEMPT = [r"^health", r"^metrics$"]  # asked from beside the server, not through the proxy
    SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https")
    SECURE_HSTS_SECONDS = 31_536_000
    SECURE_HSTS_INCLUDE_SUBDOMAINS = True
    SECURE_HSTS_PRELOAD = True
    SESSION_COOKIE_SECURE = True
    CSRF_COOKIE_SECURE = True
    CSRF_TRUSTED_ORIGINS = [f"https://{h}" for h in ALLOWED_HOSTS if h != "*"]
