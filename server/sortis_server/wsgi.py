"""The application for gunicorn."""

import os

from django.core.wsgi import get_wsgi_application
from django.urls import get_resolver

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "sortis_server.settings")
application = get_wsgi_application()
# Before the workers part: else each reads all of the API at its first request, which waits for it.
assert get_resolver().url_patterns
