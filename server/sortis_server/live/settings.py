"""Settings of the stream's own process: nothing but who asks, and what others do."""

from sortis_server.settings import *  # noqa: F403

ROOT_URLCONF = "sortis_server.live.urls"
MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
]
