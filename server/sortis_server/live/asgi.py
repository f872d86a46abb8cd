"""The stream for uvicorn; everything else is answered by ``sortis_server.wsgi``."""

import os

from django.core.asgi import get_asgi_application

os.environ["DJANGO_SETTINGS_MODULE"] = "sortis_server.live.settings"
application = get_asgi_application()
