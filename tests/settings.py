"""Settings of the tests: passwords are hashed fast, everything else is as in the workshop."""

from sortis_server.settings import *  # noqa: F403

PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
