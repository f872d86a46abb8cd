#!/usr/bin/env python3
"""Django's own commands, with the core beside the server on the path."""

import os
import sys
from pathlib import Path

from django.core.management import execute_from_command_line

HOME = Path(__file__).resolve().parent.parent

if __name__ == "__main__":
    sys.path[:0] = [str(HOME / "core"), str(HOME)]
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "sortis_server.settings")
    execute_from_command_line(sys.argv)
