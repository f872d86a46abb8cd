"""Write the API's OpenAPI document: ``python -m sortis_server.openapi FILE``."""

import json
import sys
from pathlib import Path

import django

if __name__ == "__main__":
    django.setup()
    from sortis_server.api import api

    document = api.get_openapi_schema(path_prefix="/api/")
    Path(sys.argv[1]).write_text(json.dumps(document, indent=1))
