"""Settings of the tests: passwords are hashed fast, tables made at once, all else is as ever."""

from sortis_server.settings import *  # noqa: F403

PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
TEST_RUNNER = "tests.runner.Runner"
DATABASES["default"]["TEST"]["MIGRATE"] = False  # noqa: F405
