"""Settings; everything that differs between places comes from the environment.

``./sortis demo``, ``serve`` and ``test`` set the variables for the private database. To run
against another MariaDB, set them yourself (docs/running.md).
"""

import os
from pathlib import Path

from csp.constants import NONE, SELF

HOME = Path(__file__).resolve().parent.parent.parent
DEBUG = False
SECRET_KEY = os.environ["SORTIS_SECRET_KEY"]
ALLOWED_HOSTS = os.environ.get("SORTIS_HOSTS", "localhost,127.0.0.1,[::1]").split(",")
CSRF_TRUSTED_ORIGINS = [o for o in os.environ.get("SORTIS_ORIGINS", "").split(",") if o]
SECURE = os.environ.get("SORTIS_HTTPS") == "1"
TRUSTED_HOPS = int(os.environ.get("SORTIS_HOPS", "0"))
"""Proxies in front of the application that say who asked; the front that ships is one of them."""
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = SECURE
SESSION_COOKIE_AGE = 12 * 3600
SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https") if SECURE else None
SECURE_SSL_REDIRECT = SECURE
SECURE_REDIRECT_EXEMPT = ["^alive$"]
SECURE_HSTS_SECONDS = 365 * 24 * 3600 if SECURE else 0
# For this name alone: what else a workshop serves under its domain may speak http.
SILENCED_SYSTEM_CHECKS = ["security.W005", "security.W021"]

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "axes",
    "csp",
    "django_tasks",
    "django_tasks_db",
    "sortis_server.background",
    "sortis_server.people",
    "sortis_server.workshop",
    "sortis_server.sheets",
    "sortis_server.stock",
    "sortis_server.arrive",
    "sortis_server.inspect",
    "sortis_server.orders",
    "sortis_server.decide",
    "sortis_server.fit",
    "sortis_server.day",
    "sortis_server.release",
    "sortis_server.sell",
    "sortis_server.papers",
    "sortis_server.furnish",
    "sortis_server.live",
    "sortis_server.repeats",
]
MIDDLEWARE = [
    "sortis_server.asked.Asked",
    "sortis_server.hops.TrustedHops",
    "django.middleware.security.SecurityMiddleware",
    "django.middleware.gzip.GZipMiddleware",
    "csp.middleware.CSPMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "axes.middleware.AxesMiddleware",
    "sortis_server.withheld.Withheld",
    # Inside of it: what is kept to be said again was said to somebody else once more.
    "sortis_server.repeats.middleware.Repeats",
]
ROOT_URLCONF = "sortis_server.urls"
WSGI_APPLICATION = "sortis_server.wsgi.application"
TEMPLATES = [{"BACKEND": "django.template.backends.django.DjangoTemplates", "DIRS": []}]

DATABASES = {
    "default": {
        "ENGINE": "sortis_server.database",
        "NAME": os.environ.get("SORTIS_DB_NAME", "sortis"),
        "USER": os.environ.get("SORTIS_DB_USER", "sortis"),
        "PASSWORD": os.environ.get("SORTIS_DB_PASSWORD", ""),
        "HOST": os.environ.get("SORTIS_DB_HOST", "127.0.0.1"),
        "PORT": os.environ.get("SORTIS_DB_PORT", "3306"),
        "CONN_MAX_AGE": 60,
        "CONN_HEALTH_CHECKS": True,
        "OPTIONS": {
            "charset": "utf8mb4",
            "connect_timeout": 5,
            "sql_mode": ",".join(
                (
                    "STRICT_TRANS_TABLES",
                    "NO_ZERO_DATE",
                    "ERROR_FOR_DIVISION_BY_ZERO",
                    "ONLY_FULL_GROUP_BY",
                )
            ),
            "isolation_level": "read committed",
        },
        "TEST": {"CHARSET": "utf8mb4", "COLLATION": "utf8mb4_unicode_ci"},
    }
}
SHELF = os.environ.get("SORTIS_SHELF")
CACHES = {
    "default": {"BACKEND": "django.core.cache.backends.locmem.LocMemCache"},
    "shelf": {
        "BACKEND": "django.core.cache.backends.filebased.FileBasedCache",
        "LOCATION": SHELF,
        "TIMEOUT": None,
        "OPTIONS": {"MAX_ENTRIES": 40},
    }
    if SHELF
    else {"BACKEND": "django.core.cache.backends.dummy.DummyCache"},
}
DB_ANSWER_SECONDS = int(os.environ.get("SORTIS_DB_ANSWER_SECONDS", "0"))
"""Of several databases one that says nothing for so long is given up; 0: it is waited for."""
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
TASKS = {"default": {"BACKEND": "django_tasks_db.DatabaseBackend"}}

AUTH_USER_MODEL = "people.Person"
AUTHENTICATION_BACKENDS = [
    "axes.backends.AxesStandaloneBackend",
    "django.contrib.auth.backends.ModelBackend",
]
AXES_FAILURE_LIMIT = 8
AXES_COOLOFF_TIME = 0.25
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]
AXES_RESET_ON_SUCCESS = True
AXES_VERBOSE = False
AXES_LOCKOUT_CALLABLE = "sortis_server.people.api.locked_out"

PASSWORD_HASHERS = [
    "django.contrib.auth.hashers.Argon2PasswordHasher",
    # Those of before are read and written anew at the next sign-in.
    "django.contrib.auth.hashers.PBKDF2PasswordHasher",
]
AUTH_PASSWORD_VALIDATORS = [
    {
        "NAME": "django.contrib.auth.password_validation.MinimumLengthValidator",
        "OPTIONS": {"min_length": 10},
    },
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
    {"NAME": "django.contrib.auth.password_validation.NumericPasswordValidator"},
    {
        "NAME": "django.contrib.auth.password_validation.UserAttributeSimilarityValidator",
        "OPTIONS": {"user_attributes": ("username", "name")},
    },
]

START_KEY = os.environ.get("SORTIS_START_KEY", "")
"""Opens the set-up of an empty database once; made anew by the command that serves it."""

USE_TZ = True
TIME_ZONE = "UTC"
USE_I18N = False

WEB = HOME / "web" / "dist"
WHITENOISE_ROOT = WEB
WHITENOISE_INDEX_FILE = False
WHITENOISE_MAX_AGE = 60
WHITENOISE_IMMUTABLE_FILE_TEST = r"^/assets/.+-[\w-]{8}\.\w+$"
STATIC_URL = "/static/"
FILE_UPLOAD_HANDLERS = ["sortis_server.uploads.LimitedUpload"]
DATA_UPLOAD_MAX_MEMORY_SIZE = 6_000_000

CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": [SELF],
        "img-src": [SELF, "data:"],
        "object-src": [NONE],
        "frame-ancestors": [NONE],
        "base-uri": [SELF],
    }
}
X_FRAME_OPTIONS = "DENY"
SECURE_REFERRER_POLICY = "same-origin"

METRICS_KEY = os.environ.get("SORTIS_METRICS_KEY", "")
LOGS_FOR_MACHINES = os.environ.get("SORTIS_LOG") == "json"
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {
        "line": {"format": "{asctime} {levelname} {name}: {message}", "style": "{"},
        "json": {"()": "sortis_server.asked.JsonLine"},
    },
    "handlers": {
        "console": {
            "class": "logging.StreamHandler",
            "formatter": "json" if LOGS_FOR_MACHINES else "line",
        }
    },
    "root": {"handlers": ["console"], "level": "WARNING"},
    # A refusal is an answer, not a fault of the server.
    "loggers": {
        **{name: {"level": "ERROR"} for name in ("django.request", "django.security", "axes")},
        "sortis.asked": {"level": "INFO" if LOGS_FOR_MACHINES else "WARNING"},
    },
}
